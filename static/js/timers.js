/* Timers: the server says how much is left, this only counts it down; when one ends, the page is asked again. */
let seen = Date.now();
const sinceSeen = () => (Date.now() - seen) / 1000;
document.addEventListener("htmx:afterSwap", () => { seen = Date.now(); });

function ask() {
  const box = document.querySelector("#step[data-refresh]");
  if (box) htmx.ajax("GET", box.dataset.refresh, { target: "#step", swap: "outerHTML" });
}
function words(left) {
  if (left >= 3600) return `${Math.floor(left / 3600)} h ${Math.floor((left % 3600) / 60)} min`;
  return `${Math.floor(left / 60)}:${String(left % 60).padStart(2, "0")}`;
}
setInterval(() => {
  document.querySelectorAll("[data-since]").forEach((el) => { el.textContent = words(Math.floor(Number(el.dataset.since) + sinceSeen())); });
  let over = false;
  document.querySelectorAll("[data-left]").forEach((el) => {
    const left = Math.ceil(Number(el.dataset.left) - sinceSeen());
    el.textContent = words(Math.max(left, 0));
    over = over || left <= 0;
  });
  if (!over) return;
  document.querySelectorAll("[data-left]").forEach((el) => el.removeAttribute("data-left"));
  if (navigator.vibrate) navigator.vibrate(200);
  ask();
}, 250);
document.addEventListener("visibilitychange", () => { if (!document.hidden && document.querySelector("[data-left]")) ask(); });
