/* A paper is printed while a line says so; then it is taken from where the server keeps it. */
import { near } from "./page.js";

const LATE = 250; // ms: sooner nobody needs a word
const line = document.createElement("p");
line.className = "preparing card no-print";
line.setAttribute("role", "status");
line.hidden = true;
document.body.append(line);

/* Say what is going on, or nothing any more. */
function show(words) {
  line.replaceChildren();
  line.hidden = !words;
  if (!words) return;
  const moving = document.createElement("span");
  moving.className = "moving";
  line.append(words, moving);
}

let at = null; // the address that is being printed
document.addEventListener("click", async (e) => {
  const paper = near(e, "a[data-paper]");
  if (!paper || e.defaultPrevented || e.ctrlKey || e.metaKey || e.shiftKey) return;
  e.preventDefault();
  if (at === paper.href) return;
  at = paper.href;
  const late = setTimeout(() => show(`Preparing the ${paper.dataset.paper || "PDF"}… `), LATE);
  try {
    await fetch(paper.href, { credentials: "same-origin" });
  } catch {
    /* the address itself says what is wrong */
  }
  clearTimeout(late);
  show("");
  at = null;
  location.assign(paper.href);
});
