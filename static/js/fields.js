/* Fields: what is being typed stays when the answer to an earlier change arrives, and a message marks the field it stands beside. */
let kept = null;
document.addEventListener("htmx:beforeSwap", () => {
  const el = document.activeElement;
  const begun = el && el.id && /^(INPUT|TEXTAREA)$/.test(el.tagName) && el.value !== el.defaultValue;
  kept = begun ? { id: el.id, value: el.value, at: el.selectionStart } : null;
});
document.addEventListener("htmx:afterSwap", () => {
  const el = kept && document.getElementById(kept.id);
  if (el && el.value !== kept.value && el.getAttribute("aria-invalid") !== "true" && el.dataset.once !== "1") {
    el.value = kept.value;
    try { el.setSelectionRange(kept.at, kept.at); } catch { /* not a text field */ }
  }
  kept = null;
});
document.addEventListener("htmx:afterSettle", () => {
  document.querySelectorAll(".field-error").forEach((box) => {
    const field = document.getElementById(box.id.replace(/_error$/, ""));
    if (!field) return;
    if (!box.childElementCount) { field.removeAttribute("aria-invalid"); return; }
    field.setAttribute("aria-invalid", "true");
    field.setAttribute("aria-describedby", box.id);
  });
});

/* Enter keeps a line of readings; a new line is Shift+Enter */
document.addEventListener("keydown", (e) => {
  if (e.key !== "Enter" || e.shiftKey || e.isComposing || !e.target.matches?.("textarea[data-once]")) return;
  e.preventDefault();
  e.target.form.requestSubmit();
});

/* what was unfolded stays unfolded when the answer to a change arrives */
let unfolded = new Set();
document.addEventListener("htmx:beforeSwap", () => {
  unfolded = new Set([...document.querySelectorAll("details[id][open]")].map((each) => each.id));
});
document.addEventListener("htmx:afterSwap", () => {
  for (const id of unfolded) {
    const each = document.getElementById(id);
    if (each?.tagName === "DETAILS" && id !== "sheet") each.open = true;
  }
});

/* the focus stays where the person was: on the same control of the new content, else near it */
const words = (el) => el.getAttribute("aria-label") ?? el.textContent.trim();
let left = null;
document.addEventListener("htmx:beforeSwap", (e) => {
  const el = document.activeElement;
  left = el && el !== document.body && e.detail.target.contains(el) ? { tag: el.tagName, name: el.name ?? "", words: words(el), box: e.detail.target.id } : null;
});
document.addEventListener("htmx:afterSettle", () => {
  if (!left || (document.activeElement && document.activeElement !== document.body)) { left = null; return; }
  const box = document.getElementById(left.box);
  const same = [...(box?.querySelectorAll(left.tag) ?? [])].find((el) => (el.name ?? "") === left.name && words(el) === left.words && !el.disabled);
  const places = ["[aria-invalid=true]", "[data-first]", "textarea[data-once]", "button:not([disabled]), a[href]"];
  const near = places.reduce((found, each) => found ?? box?.querySelector(each), same);
  near?.focus({ preventScroll: true });
  left = null;
});
