// The introductions of the steps: shown to a newcomer, put away and brought back by one switch, for all steps at once.
const KEY = "introductions";
const line = document.querySelector("[data-intro]");
const box = document.getElementById("introductions");
const shown = () => localStorage.getItem(KEY) !== "off";
function show() {
  if (line) line.hidden = !shown();
  if (box) box.checked = shown();
}
function turn(on) {
  localStorage.setItem(KEY, on ? "on" : "off");
  show();
}
line?.querySelector("button").addEventListener("click", () => turn(false));
box?.addEventListener("change", () => turn(box.checked));
show();
