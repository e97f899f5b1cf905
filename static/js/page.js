/* What every module asks of the page. */

/* Whether a key goes into a field. */
export const typing = (e) => /^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName) || e.target.isContentEditable;

/* Whether single-letter keys are switched off here. */
export const keysOff = () => localStorage.getItem("cairn-letters") === "off";
export const switchKeys = (on) => (on ? localStorage.removeItem("cairn-letters") : localStorage.setItem("cairn-letters", "off"));

/* The nearest element of a kind around where something happened. */
export const near = (e, kind) => (e.target.closest ? e.target.closest(kind) : null);

/* Say a line to those who listen; shown: to all. */
export function say(line, shown = false) {
  const live = document.getElementById("live");
  if (!live) return;
  live.textContent = line;
  if (shown) live.classList.remove("sr-only");
}

/* Send an edit of the train or the wall with the version it was made on; the answer takes the box's place. */
export function edit(box, values) {
  values.version = box.dataset.version;
  htmx.ajax("POST", box.dataset.edit, { target: "#" + box.id, swap: "outerHTML", values });
}
