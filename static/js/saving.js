/* Forms that save by themselves: each field says whether it is being saved, is saved, or is not; drafts survive a reload. */
const saves = (form) => form?.matches?.('form[hx-swap="none"]');

function mark(field, words, kind = "") {
  const label = field.closest(".field")?.querySelector("label");
  if (!label) return;
  const beside = label.nextElementSibling?.matches(".field-state") ? label.nextElementSibling : null;
  const told = beside ?? label.insertAdjacentElement("afterend", document.createElement("span"));
  told.className = `field-state ${kind}`;
  told.textContent = words;
}
/* a form says what stood in its fields when they were shown: what was not changed here is nobody's to overwrite */
const ticks = (el) => el.type === "checkbox" || el.type === "radio";
const asks = (form) => [...form.elements].filter((el) => el.name && !["hidden", "file", "submit", "button"].includes(el.type) && !/^(BUTTON|FIELDSET|OUTPUT)$/.test(el.tagName));
const stood = (el) => {
  if (ticks(el)) return el.defaultChecked ? el.value : "";
  if (el.tagName === "SELECT") return ([...el.options].find((each) => each.defaultSelected) ?? el.options[0])?.value ?? "";
  return el.defaultValue ?? "";
};
const sent = new WeakMap(); /* form -> its fields as they were sent last */
document.addEventListener("htmx:configRequest", (e) => {
  const form = e.detail.elt.closest?.("form");
  if (!saves(form) || e.detail.verb !== "post") return;
  for (const el of asks(form)) e.detail.formData.append(`was-${el.name}`, stood(el));
  sent.set(form, asks(form).map((el) => [el, ticks(el) ? el.checked : el.value]));
});
/* what was sent and kept stands from now on; what was typed meanwhile is still to be sent */
function settle(form) {
  for (const [el, state] of sent.get(form) ?? []) {
    if (document.getElementById(`${el.id}_error`)?.childElementCount) continue;
    if (ticks(el)) el.defaultChecked = state;
    else if (el.tagName === "SELECT") for (const each of el.options) each.defaultSelected = each.value === state;
    else if (el.defaultValue !== el.value) el.defaultValue = state;
  }
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
  if (answered) settle(form);
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

/* what both changed is now known: saved again, it is meant */
document.addEventListener("based", (e) => {
  for (const [name, values] of Object.entries(e.detail)) {
    if (!Array.isArray(values)) continue;
    for (const el of document.getElementsByName(name)) {
      if (ticks(el)) el.defaultChecked = values.includes(el.value);
      else if (el.tagName === "SELECT") for (const each of el.options) each.defaultSelected = each.value === (values[0] ?? "");
      else el.defaultValue = values[0] ?? "";
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
