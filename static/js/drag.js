/* Carrying something by the pointer, written once: what is carried, how far makes a move, and what a move and a drop do. */
import { near } from "./page.js";

/*
 * kind: selector of what can be carried; may: whether it may now; least: pixels that make a move of it;
 * move(thing, from, e): while carried; end(thing, dropped, from, e): let go, dropped only where it was moved and not taken away.
 */
export function carry({ kind, may = () => true, least = 8, move, end }) {
  let held = null;
  document.addEventListener("pointerdown", (e) => {
    const thing = near(e, kind);
    if (thing && e.button === 0 && may()) held = { thing, from: { x: e.clientX, y: e.clientY }, moved: false };
  });
  document.addEventListener("pointermove", (e) => {
    if (!held) return;
    if (!held.moved && Math.hypot(e.clientX - held.from.x, e.clientY - held.from.y) < least) return;
    held.moved = true;
    held.thing.classList.add("dragging");
    move(held.thing, held.from, e);
  });
  const letGo = (e) => {
    if (!held) return;
    const { thing, from, moved } = held;
    held = null;
    thing.classList.remove("dragging");
    if (moved) swallowClick();
    end(thing, moved && e.type === "pointerup", from, e);
  };
  document.addEventListener("pointerup", letGo);
  document.addEventListener("pointercancel", letGo);
  document.addEventListener("dragstart", (e) => { if (near(e, kind)) e.preventDefault(); });
}

/* The click that ends a drag must not follow the link under it. */
function swallowClick() {
  const stop = (e) => { e.preventDefault(); e.stopPropagation(); };
  window.addEventListener("click", stop, { capture: true, once: true });
  setTimeout(() => window.removeEventListener("click", stop, { capture: true }), 50);
}
