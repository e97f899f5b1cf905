/* Keys, drag and small manners. Nothing is computed here: every figure comes from the server. */
(function () {
  "use strict";
  const typing = (e) => /^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName) || e.target.isContentEditable;
  const bench = () => document.getElementById("bench");

  function post(values) {
    const b = bench();
    if (!b) return;
    values.version = b.dataset.version;
    htmx.ajax("POST", b.dataset.edit, { target: "#bench", swap: "outerHTML", values: values });
  }
  const stages = () => Array.from(document.querySelectorAll("#bench .stage"));
  let keyboard = false; /* the last choice came from the keyboard: keep the focus on the chosen stage */
  document.addEventListener("pointerdown", function () { keyboard = false; }, true);
  document.addEventListener("htmx:afterSettle", function () {
    const s = selected(), at = document.activeElement;
    if (keyboard && s && (!at || at === document.body || at.classList.contains("stage"))) s.focus({ preventScroll: true });
  });
  const selected = () => document.querySelector('#bench .stage[aria-current="true"]');

  function choose(by) {
    const all = stages();
    if (!all.length) return;
    const at = all.indexOf(selected());
    const next = all[Math.max(0, Math.min(all.length - 1, (at < 0 ? 0 : at) + by))];
    if (next && next !== selected()) {
      keyboard = true;
      next.focus({ preventScroll: true });
      htmx.ajax("GET", next.getAttribute("href"), { target: "#bench", swap: "outerHTML" });
    }
  }

  const trainKeys = {
    ArrowLeft: (e) => (e.shiftKey ? act("earlier") : choose(-1)),
    ArrowRight: (e) => (e.shiftKey ? act("later") : choose(1)),
    Delete: () => act("remove"),
    u: () => act("undo"),
    r: () => act("redo"),
    a: () => { const shelf = document.getElementById("shelf"); if (shelf) shelf.focus(); },
    f: () => { const list = document.getElementById("findings"); if (list) { list.focus(); list.scrollIntoView({ block: "nearest" }); } },
  };
  function act(action) {
    keyboard = true;
    const s = selected();
    post({ action: action, stage: s ? s.dataset.stage : "" });
  }

  document.addEventListener("keydown", function (e) {
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    const help = document.getElementById("keys");
    if (typing(e)) return;
    if (e.key === "?") { e.preventDefault(); if (help.open) help.close(); else help.showModal(); return; }
    if (help && help.open) return;
    const step = document.querySelector('.steps a[data-key="' + e.key + '"]');
    if (step) { e.preventDefault(); step.click(); return; }
    if (bench() && trainKeys[e.key]) { e.preventDefault(); trainKeys[e.key](e); }
  });

  /* Drag a stage to another place: the drop place is the gap nearest the pointer. */
  let drag = null;
  document.addEventListener("pointerdown", function (e) {
    const stage = e.target.closest && e.target.closest("#bench .stage");
    if (!stage || e.button !== 0 || bench().dataset.readonly) return;
    drag = { stage: stage, x: e.clientX, moved: false, to: null };
  });
  document.addEventListener("pointermove", function (e) {
    if (!drag) return;
    if (!drag.moved && Math.abs(e.clientX - drag.x) < 8) return;
    drag.moved = true;
    drag.stage.classList.add("dragging");
    const all = stages();
    const boxes = all.map((s) => s.querySelector(".stage-hit").getBoundingClientRect());
    let place = boxes.filter((b) => e.clientX > b.left + b.width / 2).length;
    const from = all.indexOf(drag.stage);
    drag.to = place > from ? place - 1 : place;
    drag.from = from;
    const mark = document.getElementById("drop-mark");
    const at = place < all.length ? all[place] : all[all.length - 1];
    const x = Number(at.dataset.x) + (place < all.length ? 0 : Number(at.dataset.width));
    mark.setAttribute("x1", x); mark.setAttribute("x2", x); mark.removeAttribute("visibility");
  });
  function drop(e) {
    if (!drag) return;
    const d = drag; drag = null;
    d.stage.classList.remove("dragging");
    const mark = document.getElementById("drop-mark");
    if (mark) mark.setAttribute("visibility", "hidden");
    if (d.moved && e.type === "pointerup" && d.to !== null && d.to !== d.from) post({ action: "move", stage: d.stage.dataset.stage, to: String(d.to) });
    if (d.moved) { const stop = (c) => { c.preventDefault(); c.stopPropagation(); }; window.addEventListener("click", stop, { capture: true, once: true }); setTimeout(() => window.removeEventListener("click", stop, { capture: true }), 50); }
  }
  document.addEventListener("pointerup", drop);
  document.addEventListener("pointercancel", drop);
  document.addEventListener("dragstart", function (e) { if (e.target.closest && e.target.closest("#bench .stage")) e.preventDefault(); });

  /* On the wall: drag a unit, or move it with the arrow keys; the server snaps it and draws the pipe anew. */
  const wall = () => document.getElementById("wall");
  function wallPost(values) {
    values.version = wall().dataset.version;
    htmx.ajax("POST", wall().dataset.edit, { target: "#wall", swap: "outerHTML", values: values });
  }
  function point(e) {
    const svg = document.querySelector(".wall-svg"), p = new DOMPoint(e.clientX, e.clientY);
    return p.matrixTransform(svg.getScreenCTM().inverse());
  }
  let carried = null;
  document.addEventListener("pointerdown", function (e) {
    const unit = e.target.closest && e.target.closest("#wall .unit");
    if (!unit || e.button !== 0) return;
    const at = point(e);
    carried = { unit: unit, x: at.x, y: at.y, dx: 0, dy: 0, moved: false };
  });
  document.addEventListener("pointermove", function (e) {
    if (!carried) return;
    const at = point(e);
    carried.dx = at.x - carried.x; carried.dy = at.y - carried.y;
    if (!carried.moved && Math.hypot(carried.dx, carried.dy) < 25) return;
    carried.moved = true;
    carried.unit.classList.add("dragging");
    carried.unit.setAttribute("transform", "translate(" + carried.dx + " " + carried.dy + ")");
  });
  function setDown(e) {
    if (!carried) return;
    const c = carried; carried = null;
    c.unit.classList.remove("dragging");
    c.unit.removeAttribute("transform");
    if (!c.moved) return;
    const stop = (k) => { k.preventDefault(); k.stopPropagation(); };
    window.addEventListener("click", stop, { capture: true, once: true }); setTimeout(() => window.removeEventListener("click", stop, { capture: true }), 50);
    if (e.type !== "pointerup") return;
    const foot = Number(c.unit.dataset.foot), values = { action: "place", stage: c.unit.dataset.unit, x: String(Number(c.unit.dataset.x) + c.dx) };
    if (foot > 0) values.foot = String(foot - c.dy);
    wallPost(values);
  }
  document.addEventListener("pointerup", setDown);
  document.addEventListener("pointercancel", setDown);
  document.addEventListener("dragstart", function (e) { if (e.target.closest && e.target.closest("#wall .unit")) e.preventDefault(); });
  document.addEventListener("keydown", function (e) {
    const way = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down" }[e.key], unit = e.target.closest && e.target.closest("#wall .unit");
    if (!way || !unit || e.ctrlKey || e.metaKey || e.altKey) return;
    e.preventDefault();
    refocus = unit.id;
    wallPost({ action: way, stage: unit.dataset.unit });
  });
  let refocus = "";
  document.addEventListener("htmx:afterSettle", function () {
    const unit = refocus && document.getElementById(refocus);
    if (unit) unit.focus({ preventScroll: true });
  });
  document.addEventListener("focusout", function (e) { if (refocus && e.relatedTarget) refocus = ""; });

  /* Keep what is being typed when the answer to an earlier change arrives. */
  let kept = null;
  document.addEventListener("htmx:beforeSwap", function () {
    const el = document.activeElement;
    kept = el && el.id && /^(INPUT|TEXTAREA)$/.test(el.tagName) && el.value !== el.defaultValue ? { id: el.id, value: el.value, at: el.selectionStart } : null;
  });
  document.addEventListener("htmx:afterSwap", function () {
    const el = kept && document.getElementById(kept.id);
    if (el && el.value !== kept.value && el.getAttribute("aria-invalid") !== "true" && el.dataset.once !== "1") {
      el.value = kept.value;
      try { el.setSelectionRange(kept.at, kept.at); } catch (e) { /* not a text field */ }
    }
    kept = null;
  });
  /* Mark the fields that a message stands beside. */
  document.addEventListener("htmx:afterSettle", function () {
    document.querySelectorAll(".field-error").forEach(function (box) {
      const field = document.getElementById(box.id.replace(/_error$/, ""));
      if (!field) return;
      if (box.childElementCount) { field.setAttribute("aria-invalid", "true"); field.setAttribute("aria-describedby", box.id); }
      else field.removeAttribute("aria-invalid");
    });
  });

  /* Say what changed to those who listen, and keep the eye where it was. */
  document.addEventListener("htmx:afterSwap", function () {
    const said = document.querySelector("#bench [data-said], #step [data-said], #wall [data-said]");
    const live = document.getElementById("live");
    if (said && live) live.textContent = said.dataset.said;
  });
  /* On a narrow screen the drawing scrolls sideways: bring the chosen stage into view. */
  function reveal() {
    const s = selected(), box = s && s.closest(".scroll-x");
    if (!box || box.scrollWidth <= box.clientWidth) return;
    const hit = s.querySelector(".stage-hit").getBoundingClientRect(), frame = box.getBoundingClientRect();
    box.scrollLeft += hit.left + hit.width / 2 - (frame.left + frame.width / 2);
  }
  document.addEventListener("htmx:afterSettle", reveal);
  document.addEventListener("DOMContentLoaded", reveal);
  document.addEventListener("htmx:sendError", function () {
    const live = document.getElementById("live");
    if (live) { live.textContent = "The server does not answer. Nothing was saved; try again."; live.classList.remove("sr-only"); }
  });
  document.addEventListener("click", function (e) {
    const opener = e.target.closest && e.target.closest("[data-open]");
    if (opener) { const d = document.getElementById(opener.dataset.open); if (d) d.showModal(); }
    const closer = e.target.closest && e.target.closest("[data-close]");
    if (closer) closer.closest("dialog").close();
  });
  /* Timers: the server says how much is left, this only counts it down; when one ends, the page is asked again. */
  let seen = 0;
  function mark() { seen = Date.now(); }
  function ask() {
    const box = document.querySelector("#step[data-refresh]");
    if (box) htmx.ajax("GET", box.dataset.refresh, { target: "#step", swap: "outerHTML" });
  }
  function words(left) {
    return left >= 3600 ? Math.floor(left / 3600) + " h " + Math.floor((left % 3600) / 60) + " min" : Math.floor(left / 60) + ":" + String(left % 60).padStart(2, "0");
  }
  mark();
  document.addEventListener("htmx:afterSwap", mark);
  setInterval(function () {
    let over = false;
    document.querySelectorAll("[data-since]").forEach((el) => { el.textContent = words(Math.floor(Number(el.dataset.since) + (Date.now() - seen) / 1000)); });
    document.querySelectorAll("[data-left]").forEach(function (el) {
      const left = Math.ceil(Number(el.dataset.left) - (Date.now() - seen) / 1000);
      el.textContent = words(Math.max(left, 0));
      over = over || left <= 0;
    });
    if (over) { document.querySelectorAll("[data-left]").forEach((el) => el.removeAttribute("data-left")); if (navigator.vibrate) navigator.vibrate(200); ask(); }
  }, 250);
  document.addEventListener("visibilitychange", function () { if (!document.hidden && document.querySelector("[data-left]")) ask(); });
  /* A file may be dropped anywhere on the box that takes it. */
  document.addEventListener("dragover", function (e) { const box = e.target.closest && e.target.closest("[data-drop]"); if (box) { e.preventDefault(); box.classList.add("dropping"); } });
  document.addEventListener("dragleave", function (e) { const box = e.target.closest && e.target.closest("[data-drop]"); if (box) box.classList.remove("dropping"); });
  document.addEventListener("drop", function (e) {
    const box = e.target.closest && e.target.closest("[data-drop]");
    if (!box || !e.dataTransfer.files.length) return;
    e.preventDefault();
    box.classList.remove("dropping");
    const input = box.querySelector("input[type=file]");
    input.files = e.dataTransfer.files;
    input.form.requestSubmit();
  });
  document.addEventListener("change", function (e) {
    if (e.target.matches && e.target.matches("[data-submit]")) e.target.form.requestSubmit();
  });
})();
