/* What every module asks of the page. */

/* Whether a key goes into a field. */
export const typing = (e) => /^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName) || e.target.isContentEditable;

/* Whether single-letter keys are switched off here. */
export const keysOff = () => localStorage.getItem("cairn-letters") === "off";
export const switchKeys = (on) => (on ? localStorage.removeItem("cairn-letters") : localStorage.setItem("cairn-letters", "off"));

/* The nearest element of a kind around where something happened. */
export const near = (e, kind) => (e.target.closest ? e.target.closest(kind) : null);

/* A part of the page that an address aims at is open. */
const aim = () => {
  const aimed = location.hash ? document.getElementById(location.hash.slice(1)) : null;
  if (aimed?.tagName === "DETAILS") { aimed.open = true; aimed.scrollIntoView(); }
};
addEventListener("DOMContentLoaded", aim);
addEventListener("hashchange", aim);

/* Say a line to those who listen; shown: to all. */
export function say(line, shown = false) {
  const live = document.getElementById("live");
  if (!live) return;
  live.textContent = line;
  if (shown) live.classList.remove("sr-only");
}

/* Requests of the train and the wall go one after another: each is made on what the one before it left. */
let turn = Promise.resolve();
export function inTurn(work) {
  turn = turn.then(work).catch(() => null);
  return turn;
}

/* Send an edit of the train or the wall with the version that its box has when its turn comes; the answer takes the box's place. */
export const edit = (find, values) => inTurn(() => {
  const box = find();
  return box && htmx.ajax("POST", box.dataset.edit, { target: `#${box.id}`, swap: "outerHTML", values: { ...values, version: box.dataset.version, shown: box.dataset.shown } });
});
