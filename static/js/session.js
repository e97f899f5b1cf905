/* A log-in that ended: what was typed stays, a small log-in opens over the page, then what waited is sent. */
import { say } from "./page.js";

/* pages that are kept for use without reception are one person's: gone when another logs in, when the log-in ended, and at log-out */
const PAGES = "cairn-sheet", WHOSE = "cairn-pages-of";
export const forgetPages = () => globalThis.caches?.delete(PAGES);
const whose = document.body.dataset.user ?? "";
if (localStorage.getItem(WHOSE) !== whose) {
  forgetPages();
  localStorage.setItem(WHOSE, whose);
}
document.addEventListener("submit", (e) => { if (e.target.getAttribute("action")?.endsWith("/logout/")) forgetPages(); });

const box = () => document.getElementById("login-again");
let waiting = []; /* what is sent once somebody is logged in */

export const token = () => JSON.parse(document.body.getAttribute("hx-headers") ?? "{}")["X-CSRFToken"] ?? "";
export const askLogIn = (send) => ask(send);
/* The token of a log-in that was renewed elsewhere; false where nobody is logged in or the server does not answer. */
export async function renewToken() {
  try {
    const answer = await fetch(box()?.dataset.address ?? "", { cache: "no-store" });
    if (answer.status !== 200) return false;
    take((await answer.json()).token);
    return true;
  } catch {
    return false;
  }
}

function ask(send) {
  forgetPages();
  waiting.push(send);
  if (box() && !box().open) box().showModal();
  document.getElementById("again-password")?.focus();
}

/* htmx was told 401, or 403 for a token of the log-in before: the same request again, with what stands in its form by then */
const again = (detail) => {
  const { requestConfig: asked, target } = detail, from = asked.elt ?? detail.elt;
  if (from.matches("input, textarea, select")) return; /* only a look at what would be kept: typing on asks again */
  if (from.matches("form")) return htmx.trigger(from, "submit");
  const { csrfmiddlewaretoken: _, ...values } = { ...asked.parameters };
  return htmx.ajax(asked.verb.toUpperCase(), asked.path, { target, swap: "outerHTML", values });
};
let renewed = 0; /* when the token was last asked for anew: once in a while is enough */
document.addEventListener("htmx:responseError", async (e) => {
  const status = e.detail.xhr.status;
  if (status === 401) return ask(() => again(e.detail));
  if (status !== 403) return;
  if (Date.now() - renewed < 3000) return say("The server refused this (403). Nothing was changed.", true);
  renewed = Date.now();
  if (await renewToken()) again(e.detail);
});
function take(token) {
  document.body.setAttribute("hx-headers", JSON.stringify({ "X-CSRFToken": token }));
  document.querySelectorAll("input[name=csrfmiddlewaretoken]").forEach((each) => { each.value = token; });
}

/* a form that htmx does not send: see that somebody is logged in before the page is left */
document.addEventListener("submit", async (e) => {
  const form = e.target;
  if (!box() || e.defaultPrevented || form.method !== "post" || form.dataset.own || form.dataset.sure || form.matches("[hx-post], [hx-get]")) return;
  e.preventDefault();
  const by = e.submitter;
  const send = () => {
    form.dataset.sure = "1";
    if (by?.isConnected) form.requestSubmit(by); else form.requestSubmit();
    delete form.dataset.sure;
  };
  try {
    const answer = await fetch(box().dataset.address, { cache: "no-store" });
    if (answer.status === 401) ask(send); else send();
  } catch {
    say("The server does not answer. Nothing was sent; what you typed is still here.", true);
  }
});

document.addEventListener("submit", async (e) => {
  if (e.target.parentElement !== box()) return;
  e.preventDefault();
  const data = new FormData(e.target);
  data.set("csrfmiddlewaretoken", document.querySelector("input[name=csrfmiddlewaretoken]")?.value ?? "");
  const problem = document.getElementById("again-problem");
  let told;
  try {
    const answer = await fetch(box().dataset.address, { method: "POST", body: data });
    told = await answer.json();
  } catch {
    told = { problem: "The server does not answer. Try again." };
  }
  problem.textContent = told.problem ?? "";
  if (!told.token) return;
  take(told.token);
  document.getElementById("again-password").value = "";
  const sends = waiting;
  waiting = [];
  box().close();
  sends.forEach((send) => send());
});
document.addEventListener("close", (e) => { if (e.target === box()) waiting = []; }, true);
