/* A paper is printed while a line says so, and then saved; where the server has something else to say, its page opens. */
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
  const answer = await fetch(paper.href, { credentials: "same-origin" }).catch(() => null);
  const made = answer?.ok && !answer.redirected ? await answer.blob().catch(() => null) : null;
  clearTimeout(late);
  show("");
  at = null;
  if (made) save(made, answer.headers.get("Content-Disposition")); else location.assign(paper.href);
});

/* Hand a file to the browser's downloads, by the name that the server gave it. */
function save(made, disposition) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(made);
  link.download = /filename="([^"]+)"/.exec(disposition ?? "")?.[1] ?? "paper.pdf";
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60000);
}
