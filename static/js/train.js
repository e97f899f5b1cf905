/* The train: keys, and a stage carried to another place; the drop place is the gap nearest the pointer. */
import { carry } from "./drag.js";
import { edit, inTurn, keysOff, near, say, typing } from "./page.js";

const bench = () => document.getElementById("bench");
const stages = () => Array.from(document.querySelectorAll("#bench .stage"));
const selected = () => document.querySelector('#bench .stage[aria-current="true"]');
const hit = (stage) => stage.querySelector(".stage-hit").getBoundingClientRect();

let keyboard = false; /* the last choice came from the keyboard: keep the focus on the chosen stage */
document.addEventListener("pointerdown", (e) => { keyboard = Boolean(near(e, "#bench .stage")); }, true);
document.addEventListener("htmx:afterSettle", () => {
  const stage = selected(), at = document.activeElement;
  if (keyboard && stage && (!at || at === document.body || at.classList.contains("stage"))) stage.focus({ preventScroll: true });
});

let asked = ""; /* the stage that was asked for and is not shown yet: the next step counts from there */
const called = (id) => stages().find((stage) => stage.dataset.stage === id);
const current = () => called(asked) ?? selected();

function choose(by) {
  const all = stages();
  if (!all.length) return;
  const next = all[Math.max(0, Math.min(all.length - 1, Math.max(all.indexOf(current()), 0) + by))];
  if (!next || next === current()) return;
  const id = next.dataset.stage;
  asked = id;
  keyboard = true;
  next.focus({ preventScroll: true });
  inTurn(async () => {
    const stage = called(id);
    if (asked !== id || !stage) return; /* somebody went on */
    await htmx.ajax("GET", stage.getAttribute("href"), { target: "#bench", swap: "outerHTML" });
    if (asked === id) asked = "";
  });
}
function act(action) {
  keyboard = true;
  edit(bench, { action, stage: current()?.dataset.stage ?? "" });
}
function lookAtFindings() {
  const list = document.getElementById("findings");
  list?.focus();
  list?.scrollIntoView({ block: "nearest" });
}

const KEYS = {
  ArrowLeft: (e) => (e.shiftKey ? act("earlier") : choose(-1)),
  ArrowRight: (e) => (e.shiftKey ? act("later") : choose(1)),
  Delete: () => (document.activeElement?.closest("#bench .stage") ? act("remove") : say("Delete removes the stage that has the focus. Choose a stage first.", true)),
  u: () => act("undo"),
  r: () => act("redo"),
  a: () => document.getElementById("shelf")?.focus(),
  f: lookAtFindings,
};
document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || typing(e) || (e.key.length === 1 && keysOff()) || !bench() || !KEYS[e.key] || document.getElementById("keys")?.open) return;
  e.preventDefault();
  KEYS[e.key](e);
});

/* Where a stage carried to x would stand among the others: the gap, and the place it gets. */
function placeAt(stage, x) {
  const all = stages(), from = all.indexOf(stage);
  const gap = all.map(hit).filter((box) => x > box.left + box.width / 2).length;
  return { all, from, gap, to: gap > from ? gap - 1 : gap };
}
const mark = () => document.getElementById("drop-mark");
carry({
  kind: "#bench .stage",
  may: () => !bench().dataset.readonly,
  move(stage, _, e) {
    const { all, gap } = placeAt(stage, e.clientX), last = gap >= all.length;
    const at = all[last ? all.length - 1 : gap];
    const x = Number(at.dataset.x) + (last ? Number(at.dataset.width) : 0);
    mark().setAttribute("x1", x);
    mark().setAttribute("x2", x);
    mark().removeAttribute("visibility");
  },
  end(stage, dropped, _, e) {
    mark()?.setAttribute("visibility", "hidden");
    const { from, to } = placeAt(stage, e.clientX);
    if (dropped && from >= 0 && to !== from) edit(bench, { action: "move", stage: stage.dataset.stage, to: String(to) });
  },
});

/* On a narrow screen the drawing scrolls sideways: bring the chosen stage into view. */
function reveal() {
  const stage = selected(), box = stage && stage.closest(".scroll-x");
  if (!box || box.scrollWidth <= box.clientWidth) return;
  const at = hit(stage), frame = box.getBoundingClientRect();
  box.scrollLeft += at.left + at.width / 2 - (frame.left + frame.width / 2);
}
document.addEventListener("htmx:afterSettle", reveal);
document.addEventListener("DOMContentLoaded", reveal);

/* the side sheet stays folded, or open, as it was left */
const FOLDED = "cairn-sheet-folded";
function asLeft() {
  const sheet = document.getElementById("sheet");
  if (!sheet || sheet.dataset.kept) return;
  sheet.dataset.kept = "yes";
  if (localStorage.getItem(FOLDED)) sheet.open = false;
  sheet.addEventListener("toggle", () => (sheet.open ? localStorage.removeItem(FOLDED) : localStorage.setItem(FOLDED, "yes")));
}
document.addEventListener("htmx:afterSettle", asLeft);
asLeft();
