/* Forms that save by themselves: each field says whether it is being saved, is saved, or is not; drafts survive a reload. */
const saves = (form) => form?.matches?.('form[hx-swap="none"]');

function mark(field, words, kind = "") {
  const label = field.closest(".field")?.querySelector("label");
  if (!label) return;
  const told = label.querySelector(".field-state") ?? label.appendChild(document.createElement("span"));
  told.className = `field-state ${kind}`;
  told.textContent = words;
}
const changed = new WeakMap(); /* form -> fields changed since it was last answered */

document.addEventListener("change", (e) => {
  const form = e.target.form;
  if (!saves(form)) return;
  if (!changed.has(form)) changed.set(form, new Set());
  changed.get(form).add(e.target);
  mark(e.target, "saving …");
});
document.addEventListener("htmx:afterRequest", (e) => {
  const form = e.detail.elt;
  if (!saves(form)) return;
  const status = e.detail.xhr.status, answered = status === 200 || status === 422;
  for (const field of changed.get(form) ?? []) {
    const wrong = document.getElementById(`${field.id}_error`)?.childElementCount;
    if (answered && !wrong) {
      mark(field, "saved", "field-saved");
      forget(field);
    } else mark(field, "not saved", "field-unsaved");
  }
  if (answered) changed.delete(form);
});

/* the other forms of the page learn the version; a field shows what stands in it now, unless it was typed in meanwhile */
document.addEventListener("job-version", (e) => {
  document.querySelectorAll('input[name="version"][data-of="job"]').forEach((each) => { each.value = e.detail.value; });
});
document.addEventListener("stands", (e) => {
  for (const [id, pair] of Object.entries(e.detail)) {
    const field = document.getElementById(id);
    if (field && Array.isArray(pair) && field.value === pair[0]) {
      field.value = pair[1];
      field.defaultValue = pair[1];
    }
  }
});

/* what was typed and is not kept yet comes back after a reload */
const key = (field) => `draft:${location.pathname}#${field.id}`;
const drafted = (field) => field.id && field.form?.method === "post" && !field.form.dataset.own && (field.tagName === "TEXTAREA" || field.type === "text");
const forget = (field) => sessionStorage.removeItem(key(field));
document.addEventListener("input", (e) => {
  if (!drafted(e.target)) return;
  try { sessionStorage.setItem(key(e.target), e.target.value); } catch { /* no room: the page itself still holds it */ }
});
document.addEventListener("submit", (e) => {
  if (!e.defaultPrevented && !e.target.matches("[hx-post]")) [...e.target.elements].filter(drafted).forEach(forget);
});
document.addEventListener("htmx:afterSettle", () => {
  for (const field of document.querySelectorAll("textarea[data-once]")) if (field.value) sessionStorage.setItem(key(field), field.value); else forget(field);
});
document.addEventListener("DOMContentLoaded", () => {
  for (const field of document.querySelectorAll("input[id], textarea[id]")) {
    const typed = drafted(field) ? sessionStorage.getItem(key(field)) : null;
    if (typed === null) continue;
    if (typed === field.value || !typed) { forget(field); continue; }
    field.value = typed;
    mark(field, "not saved", "field-unsaved");
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
});
