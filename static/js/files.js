/* A file may be dropped anywhere on the box that takes it, and goes at once. */
import { near } from "./page.js";

document.addEventListener("dragover", (e) => {
  const box = near(e, "[data-drop]");
  if (!box) return;
  e.preventDefault();
  box.classList.add("dropping");
});
document.addEventListener("dragleave", (e) => near(e, "[data-drop]")?.classList.remove("dropping"));
document.addEventListener("drop", (e) => {
  const box = near(e, "[data-drop]");
  if (!box || !e.dataTransfer.files.length) return;
  e.preventDefault();
  box.classList.remove("dropping");
  const input = box.querySelector("input[type=file]");
  input.files = e.dataTransfer.files;
  input.form.requestSubmit();
});
/* What takes seconds says so; coming back to the page, the button is as it was. */
document.addEventListener("submit", (e) => {
  const button = e.target.querySelector?.("[data-busy]");
  if (!button) return;
  button.dataset.idle = button.textContent;
  button.textContent = button.dataset.busy;
  button.setAttribute("aria-busy", "true");
});
addEventListener("pageshow", () => document.querySelectorAll("[data-idle]").forEach((button) => {
  button.textContent = button.dataset.idle;
  button.removeAttribute("aria-busy");
}));
document.addEventListener("change", (e) => { if (e.target.matches?.("[data-submit]")) e.target.form.requestSubmit(); });
