/* The first visit of a step says in one line what it is for. */
const line = document.querySelector("[data-intro]");
if (line) {
  const key = `intro:${line.dataset.intro}`;
  if (!localStorage.getItem(key)) {
    line.hidden = false;
    const seen = () => localStorage.setItem(key, "seen");
    line.querySelector("button").addEventListener("click", () => { seen(); line.hidden = true; });
    addEventListener("pagehide", seen);
  }
}
