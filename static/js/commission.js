/* The run sheet on a phone. What is told (tick, reading, note, photo, skip) is written into a store of this browser first, then
   sent in order, each with a key of its own: told twice it counts once, and without reception it waits. The server decides. */
import { near, say } from "./page.js";
import { askLogIn, renewToken, token } from "./session.js";
import * as store from "./waiting.js";

const box = () => document.getElementById("run");
const CACHE = "cairn-sheet";
/* answers of a server, or of what stands before it, that is busy or away; how often one is tried that it fails on */
const BUSY = [408, 429, 502, 503, 504], TRIES = 4;
let sending = false, again = false, renewed = 0;

const mine = async () => (await store.all()).filter((told) => told.job === box().dataset.job);
const step = (id) => document.querySelector(`.start-step[data-step="${CSS.escape(id)}"]`);
/* the server's time: what this clock is off, as the last answer told */
const clock = () => Date.now() + Number(localStorage.getItem("cairn-clock") ?? 0);
function heard(answer) {
  const off = Date.parse(answer.headers.get("Date") ?? "") - Date.now();
  if (!Number.isNaN(off)) localStorage.setItem("cairn-clock", Math.abs(off) > 90000 ? off : 0);
}

/* --- telling ------------------------------------------------------------------------------------------------------- */
document.addEventListener("submit", async (e) => {
  const form = e.target;
  if (!box() || form.getAttribute("action") !== box().dataset.tell) return;
  e.preventDefault(); /* before anybody else sends it */
  if (form.querySelector("[aria-disabled]")) return;
  const data = new FormData(form), fields = Object.fromEntries([...data].filter(([, value]) => typeof value === "string"));
  delete fields.csrfmiddlewaretoken;
  const photo = data.get("photo");
  if (fields.kind === "photo" && !(photo instanceof File && photo.size)) return say("Choose a picture first.", true);
  const told = { job: box().dataset.job, user: box().dataset.user, fields: { ...fields, key: key(), at: new Date().toISOString(), base: box().dataset.base } };
  if (fields.kind === "photo") Object.assign(told, { photo, name: photo.name });
  await store.put(told);
  if (fields.kind !== "reading") form.reset();
  await show();
  send();
}, true);
const key = () => Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

/* --- sending ------------------------------------------------------------------------------------------------------- */
async function send() {
  if (sending) { again = true; return; }
  sending = true;
  let kept = 0;
  try {
    for (const told of await mine()) {
      if (told.user !== box().dataset.user || (told.refused && told.refused.wants !== "missing")) continue;
      const answer = await post(told);
      if (!answer) break;
      if (answer.status === "failed") { /* the server fails on this one: the rest goes on, and after some tries it is put aside in the open */
        const tries = (told.tries ?? 0) + 1;
        await store.change({ ...told, tries, refused: tries >= TRIES ? { wants: "later", words: `The server failed on this ${tries} times. It is saved here; the other entries were sent.` } : undefined });
        continue;
      }
      if (answer.status === "refused") await store.change({ ...told, refused: answer });
      else { await store.drop(told.order); kept += 1; if (answer.clock_s) say("This phone's clock is wrong; the times were corrected.", true); }
    }
  } finally {
    sending = false;
  }
  if (kept) await refresh(); else await show();
  if (again) { again = false; send(); }
}
async function post(told, second = false) {
  const data = new FormData();
  Object.entries(told.fields).forEach(([name, value]) => data.set(name, value));
  if (told.photo) data.set("photo", told.photo, told.name);
  data.set("sent_at", new Date().toISOString());
  let answer;
  try {
    answer = await fetch(box().dataset.tell, { method: "POST", body: data, headers: { Accept: "application/json", "HX-Request": "true", "X-CSRFToken": token() } });
  } catch {
    return null; /* no reception: it waits */
  }
  heard(answer);
  if (answer.status === 401) { askLogIn(send); return null; }
  if (answer.status === 403 && !second && Date.now() - renewed > 3000) {
    renewed = Date.now();
    if (await renewToken()) return post(told, true);
  }
  const never = { 403: "You can view this but not change it.", 404: "This job no longer exists.", 413: "This is too large to be sent." }[answer.status];
  if (never) return { status: "refused", wants: "never", words: never };
  if (BUSY.includes(answer.status)) return null; /* it waits */
  if (answer.status !== 200 && answer.status !== 422) return { status: "failed" };
  try { return await answer.json(); } catch { return { status: "failed" }; }
}

/* --- showing ------------------------------------------------------------------------------------------------------- */
/* the sheet is never taken from under a finger: what is pressed is clicked first, or a new sheet would lose the tap */
const LONGEST_PRESS = 10000;
let pressed = null, letGo = () => {};
document.addEventListener("pointerdown", () => {
  letGo();
  pressed = new Promise((done) => { letGo = done; setTimeout(done, LONGEST_PRESS); });
}, true);
["pointerup", "pointercancel"].forEach((name) => document.addEventListener(name, () => setTimeout(letGo), true));

async function refresh() {
  let answer;
  try {
    answer = await fetch(location.pathname + location.search, { cache: "no-store" });
  } catch {
    return show();
  }
  if (!answer.ok || answer.redirected) return show();
  heard(answer);
  const copy = answer.clone(), page = new DOMParser().parseFromString(await answer.text(), "text/html");
  if (!page.getElementById("run")) return show();
  keep(copy);
  await pressed;
  const open = [...document.querySelectorAll(".start-step details.start-more[open]")].map((el) => el.closest("li").id);
  const plan = document.getElementById("plan")?.open, focused = path(document.activeElement), typed = typing();
  box().replaceWith(document.adoptNode(page.getElementById("run")));
  open.forEach((id) => document.querySelector(`#${CSS.escape(id)} > details`)?.setAttribute("open", ""));
  if (document.getElementById("plan") && plan !== undefined) document.getElementById("plan").open = plan;
  prepare();
  typed.forEach(([where, value]) => { const el = at(where); if (el) el.value = value; });
  at(focused)?.focus({ preventScroll: true });
  await show();
}
/* a field by the step and form it belongs to, so that it is found again in a new page */
const path = (el) => {
  const form = el?.form, row = el && near({ target: el }, ".start-step");
  return form && row ? { row: row.id, kind: form.elements.kind?.value, about: form.elements.about?.value, name: el.name, button: el.tagName === "BUTTON" } : row ? { row: row.id, tag: el.tagName } : null;
};
function at(where) {
  if (!where) return null;
  const row = document.getElementById(where.row);
  if (!row || where.tag) return row?.querySelector(where.tag?.toLowerCase() ?? "summary") ?? null;
  const form = [...row.querySelectorAll("form")].find((el) => el.elements.kind?.value === where.kind && (el.elements.about?.value ?? "") === (where.about ?? "")) ?? (where.button ? row.querySelector(".start-tick") : null);
  return where.button ? form?.querySelector("button") : form?.elements[where.name] ?? null;
}
const typing = () => [...box().querySelectorAll(".start-step input:not([type=hidden]):not([type=file]), .start-step textarea")].filter((el) => el.value !== el.defaultValue).map((el) => [path(el), el.value]);

/* open steps get their forms for note, photo and skip */
function prepare() {
  const forms = document.getElementById("tellers");
  if (!forms) return;
  document.querySelectorAll(".start-more[open]").forEach(fill);
  turn();
  atDesk();
}
/* at a desk one step stands open beside the list, with its picture: what is next, until somebody chooses another */
const desk = window.matchMedia("(min-width: 64rem)");
function atDesk() {
  if (!desk.matches || document.querySelector(".start-more[open]")) return;
  const next = document.querySelector(".start-next[data-go]")?.dataset.go, row = document.getElementById(next) ?? document.querySelector(".start-step");
  if (!row) return;
  row.querySelector("details").open = true;
  const list = document.querySelector(".start-lists");
  if (list) list.scrollTop = row.offsetTop - list.offsetTop - 60;
}
desk.addEventListener("change", atDesk);
function fill(details) {
  const place = details.querySelector(".start-tellers"), row = details.closest("li");
  if (!place || place.childElementCount) return;
  place.append(document.getElementById("tellers").content.cloneNode(true));
  place.querySelectorAll("form").forEach((form) => {
    const hidden = Object.assign(document.createElement("input"), { type: "hidden", name: "step", value: row.dataset.step });
    form.append(hidden);
    if (form.elements.kind.value === "skip") form.hidden = row.dataset.state !== "open";
  });
}
document.addEventListener("toggle", (e) => {
  if (!e.target.matches?.(".start-more") || !e.target.open) return;
  fill(e.target);
  if (desk.matches) e.target.closest("li").scrollIntoView({ block: "nearest" });
  if (desk.matches) document.querySelectorAll(".start-more[open]").forEach((other) => { if (other !== e.target) other.open = false; });
}, true);

/* what waits is shown at its step, before the server has heard of it */
async function show() {
  if (!box()) return;
  const waiting = await mine(); /* what follows is one piece: nothing is drawn twice */
  document.querySelectorAll(".start-pending, .start-refused, .start-timer-here").forEach((el) => el.remove());
  document.querySelectorAll("[data-pending]").forEach((row) => {
    row.removeAttribute("data-pending");
    const tick = row.querySelector(".tick");
    if (row.dataset.was) Object.assign(row.dataset, { state: row.dataset.was });
    if (tick.dataset.was) tick.className = tick.dataset.was;
    tick.removeAttribute("aria-disabled");
  });
  const line = document.getElementById("unsent");
  const told = waiting.filter((each) => !each.refused), others = told.filter((each) => each.user !== box().dataset.user);
  line.hidden = !told.length;
  line.textContent = told.length ? `Not sent yet: ${told.length}${others.length ? ` (${others.length} of ${others[0].user}, sent when they log in)` : ""}` : "";
  for (const each of waiting) each.refused ? ask(each) : pend(each);
}
const SAID = { tick: "done", skip: "skipped", undo: "undone", note: "note", reading: "read", photo: "photo", lift: "boil-water notice lifted" };
function pend(told) {
  const row = step(told.fields.step), kind = told.fields.kind;
  if (!row) return;
  row.dataset.pending = kind;
  const words = document.createElement("span");
  words.className = "start-pending";
  words.textContent = `${SAID[kind]}${told.fields.text ? `: ${told.fields.text}` : told.name ? `: ${told.name}` : ""}, not sent yet`;
  row.querySelector("summary").append(words);
  const tick = row.querySelector(".tick");
  row.dataset.was ??= row.dataset.state;
  tick.dataset.was ??= tick.className;
  if (kind === "tick" || kind === "skip") { row.dataset.state = kind === "tick" ? "done" : "skipped"; tick.className = `tick tick-${row.dataset.state}`; tick.setAttribute("aria-disabled", "true"); }
  if (kind === "undo") { row.dataset.state = "open"; tick.className = "tick"; tick.setAttribute("aria-disabled", "true"); }
  if (kind === "tick" && row.dataset.wait) timer(row, Date.parse(told.fields.at) + Number(row.dataset.wait) * 60000);
}
function timer(row, ends) {
  let strip = document.getElementById("timers");
  if (!strip) {
    strip = Object.assign(document.createElement("div"), { className: "running", id: "timers" });
    document.querySelector(".start-head").after(strip);
  }
  const chip = Object.assign(document.createElement("a"), { className: "timer-chip start-timer-here", href: `#${row.id}` });
  const left = Object.assign(document.createElement("span"), { className: "font-semibold" });
  left.dataset.ends = ends;
  chip.append(Object.assign(document.createElement("span"), { textContent: row.dataset.title }), left);
  strip.append(chip);
}
/* refused: why, and what can be done; what was typed stays until somebody lets it go */
function ask(told) {
  const row = step(told.fields.step), why = told.refused;
  const place = document.createElement("div");
  place.className = "start-refused finding finding-fault";
  const words = document.createElement("p");
  words.textContent = `${row ? "" : `${told.fields.step}: `}${why.words}${why.missing?.length ? ` Missing: ${why.missing.join("; ")}.` : ""}${told.fields.text ? ` You had: ${told.fields.text}` : ""}`;
  place.append(words);
  if (why.wants === "reason" || why.wants === "sure") {
    const reason = Object.assign(document.createElement("input"), { value: told.fields.text ?? "", maxLength: 2000, placeholder: "the reason" });
    reason.setAttribute("aria-label", "Reason");
    place.append(reason, button(why.wants === "sure" ? "Skip this critical step" : "Continue with this reason", async () => {
      const { refused: _, ...plain } = told;
      await store.put({ ...plain, fields: { ...told.fields, text: reason.value, sure: why.wants === "sure" ? "1" : "" } });
      await show();
      send();
    }));
  } else if (why.wants === "missing") place.append(button("Send again", async () => { await send(); }));
  else if (why.wants === "later") place.append(button("Send again", async () => {
    const { refused: _, tries: __, ...plain } = told;
    await store.put(plain);
    await show();
    send();
  }));
  place.append(button("Discard this entry", async () => {
    if (!window.confirm("Discard this entry? It has not been sent, and cannot be restored.")) return;
    await store.drop(told.order);
    await show();
  }));
  if (row) row.append(place); else document.getElementById("unsent").after(place);
}
function button(words, act) {
  const found = Object.assign(document.createElement("button"), { type: "button", className: "btn", textContent: words });
  found.addEventListener("click", act);
  return found;
}

/* --- one at a time --------------------------------------------------------------------------------------------------- */
const rows = () => [...document.querySelectorAll(".start-step")];
function turn(by = 0, to = null) {
  const one = sessionStorage.getItem("cairn-one") === box().dataset.job;
  box().classList.toggle("one", one);
  document.querySelector("[data-one]")?.setAttribute("aria-pressed", one);
  const thumb = document.querySelector(".start-thumb"), all = rows();
  if (thumb) thumb.hidden = !one;
  all.forEach((row) => row.classList.remove("start-now"));
  if (!one || !all.length) return;
  const now = to ?? sessionStorage.getItem("cairn-now") ?? document.querySelector("[data-go]")?.dataset.go;
  const here = Math.max(all.findIndex((row) => row.id === now), 0), next = all[Math.min(Math.max(here + by, 0), all.length - 1)];
  sessionStorage.setItem("cairn-now", next.id);
  next.classList.add("start-now");
  next.querySelector("details").open = true;
  fill(next.querySelector("details"));
  document.querySelector(".start-place").textContent = `${all.indexOf(next) + 1} of ${all.length}`;
}
document.addEventListener("click", (e) => {
  if (!box()) return;
  const one = near(e, "[data-one]"), by = near(e, "[data-turn]"), go = near(e, "[data-go], .timer-chip");
  if (one) {
    if (box().classList.contains("one")) sessionStorage.removeItem("cairn-one"); else { sessionStorage.setItem("cairn-one", box().dataset.job); sessionStorage.removeItem("cairn-now"); }
    turn();
  }
  if (by) { turn(Number(by.dataset.turn)); window.scrollTo({ top: 0 }); }
  if (go) {
    const id = go.dataset.go ?? go.getAttribute("href").slice(1), row = document.getElementById(id);
    if (!row) return;
    e.preventDefault();
    if (box().classList.contains("one")) turn(0, id);
    row.querySelector("details").open = true;
    row.scrollIntoView({ block: "start" });
    row.querySelector("summary").focus({ preventScroll: true });
  }
});

/* --- timers ---------------------------------------------------------------------------------------------------------- */
function left(seconds) {
  if (seconds >= 86400) return `${Math.floor(seconds / 86400)} d ${Math.floor((seconds % 86400) / 3600)} h`;
  if (seconds >= 3600) return `${Math.floor(seconds / 3600)} h ${Math.floor((seconds % 3600) / 60)} min`;
  return `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;
}
function tickTimers() {
  document.querySelectorAll("[data-ends]").forEach((el) => {
    const rest = (Number(el.dataset.ends) - clock()) / 1000;
    el.textContent = rest > 0 ? `${left(rest)} left` : "over";
    if (rest <= 0 && !el.dataset.over) {
      el.dataset.over = "1";
      if (navigator.vibrate) navigator.vibrate(200);
      refresh();
    }
  });
}

/* --- without reception ----------------------------------------------------------------------------------------------- */
async function keep(page) {
  if (!("caches" in window)) return;
  try {
    const held = await caches.open(CACHE);
    if (page) await held.put(location.pathname + location.search, page);
    const own = performance.getEntriesByType("resource").map((each) => each.name).filter((name) => new URL(name).pathname.startsWith("/static/"));
    for (const name of new Set([...own, ...[...document.querySelectorAll("img[data-keep]")].map((img) => img.src)])) {
      if (!(await held.match(name))) await held.add(name);
    }
    for (const beside of box().dataset.beside.split(" ")) { /* what is looked up in the basement: materials, log */
      const answer = await fetch(beside);
      if (answer.ok && !answer.redirected) await held.put(beside, answer);
    }
    document.querySelectorAll("[data-kept]").forEach((el) => { el.hidden = false; });
  } catch { /* a full phone: the sheet still works while there is reception */ }
}
if (box()) {
  prepare();
  show().then(send);
  setInterval(tickTimers, 500);
  setInterval(() => { if (!document.hidden) news(); }, 20000);
  addEventListener("online", () => send());
  document.addEventListener("visibilitychange", () => { if (!document.hidden) send().then(news); });
  if ("serviceWorker" in navigator) {
    navigator.serviceWorker.register(box().dataset.worker, { scope: "/jobs/" }).catch(() => null);
    addEventListener("load", async () => {
      if (!performance.getEntriesByType("navigation")[0]?.transferSize) return; /* came from the store itself */
      try { await keep(await fetch(location.pathname + location.search, { cache: "no-store" })); } catch { /* gone again */ }
    });
  }
}
/* what others did, where nothing of ours waits */
async function news() {
  if ((await mine()).some((told) => !told.refused)) return send();
  if (!navigator.onLine) return;
  try {
    const answer = await fetch(`${box().dataset.tell}?since=${box().dataset.base}`, { headers: { "HX-Request": "true" } });
    if (answer.status === 200) await refresh();
  } catch { /* no reception */ }
}
