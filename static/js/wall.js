/* The wall: carry a unit, or move it with the arrow keys; the server snaps it and draws the pipe anew. */
import { carry } from "./drag.js";
import { edit, near } from "./page.js";

const wall = () => document.getElementById("wall");

/* A place on the screen as a place on the wall [mm]. */
function onWall(x, y) {
  return new DOMPoint(x, y).matrixTransform(document.querySelector(".wall-frame .wall-svg").getScreenCTM().inverse());
}
function carried(from, e) {
  const start = onWall(from.x, from.y), now = onWall(e.clientX, e.clientY);
  return { x: now.x - start.x, y: now.y - start.y };
}
carry({
  kind: "#wall .unit",
  move(unit, from, e) {
    const by = carried(from, e);
    unit.setAttribute("transform", `translate(${by.x} ${by.y})`);
  },
  end(unit, dropped, from, e) {
    unit.removeAttribute("transform");
    if (!dropped) return;
    const by = carried(from, e), foot = Number(unit.dataset.foot);
    const place = { action: "place", stage: unit.dataset.unit, x: String(Number(unit.dataset.x) + by.x) };
    edit(wall, foot > 0 ? { ...place, foot: String(foot - by.y) } : place);
  },
});

const WAYS = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down" };
let refocus = "";
document.addEventListener("keydown", (e) => {
  const nowhere = document.activeElement === document.body; /* as when the page opens: the unit that is chosen is meant */
  const meant = () => (refocus ? document.getElementById(refocus) : document.querySelector('#wall .unit[aria-current="true"]'));
  const unit = near(e, "#wall .unit") ?? (nowhere ? meant() : null);
  if (!WAYS[e.key] || !unit || e.ctrlKey || e.metaKey || e.altKey) return;
  e.preventDefault();
  refocus = unit.id;
  edit(wall, { action: WAYS[e.key], stage: unit.dataset.unit });
});
document.addEventListener("htmx:afterSettle", () => {
  if (refocus) document.getElementById(refocus)?.focus({ preventScroll: true });
});
document.addEventListener("focusout", (e) => { if (refocus && e.relatedTarget) refocus = ""; });
