/* The workbench in the browser: keys, drag and small manners. Nothing is computed here, every figure comes from the server. */
import "./train.js";
import "./wall.js";
import "./timers.js";
import "./fields.js";
import "./files.js";
import "./session.js";
import "./saving.js";
import "./intro.js";
import "./commission.js";
import "./present.js";
import "./papers.js";
import { keysOff, near, say, switchKeys, typing } from "./page.js";

document.addEventListener("keydown", (e) => {
  const help = document.getElementById("keys");
  if (e.defaultPrevented || e.ctrlKey || e.metaKey || e.altKey || typing(e) || keysOff()) return;
  if (e.key === "?" && help) {
    e.preventDefault();
    if (help.open) help.close(); else help.showModal();
    return;
  }
  const step = document.querySelector(`.steps a[data-key="${CSS.escape(e.key)}"]`);
  if (step && !(help && help.open)) {
    e.preventDefault();
    step.click();
  }
});

document.addEventListener("click", (e) => {
  const opener = near(e, "[data-open]"), closer = near(e, "[data-close]");
  if (opener) document.getElementById(opener.dataset.open)?.showModal();
  if (closer) closer.closest("dialog").close();
});

/* on a phone the steps are a strip: the one that is open stands in sight */
const here = document.querySelector(".steps [aria-current]");
if (here) here.parentElement.scrollLeft = here.offsetLeft - here.parentElement.offsetLeft - 40;

/* single letters can be switched off, for who speaks to the page or types without looking */
const letters = document.getElementById("keys-letters");
if (letters) {
  letters.checked = !keysOff();
  letters.addEventListener("change", () => switchKeys(letters.checked));
}

/* Say what changed to those who listen. */
document.addEventListener("htmx:afterSwap", () => {
  const said = document.querySelector("#bench [data-said], #step [data-said], #wall [data-said]");
  if (said) say(said.dataset.said);
});
document.addEventListener("htmx:responseError", (e) => {
  if ([401, 403].includes(e.detail.xhr.status)) return;
  say(`The server refused this (${e.detail.xhr.status}). Nothing was changed; reload the page.`, true);
});
document.addEventListener("htmx:sendError", () => say("The server does not answer. Nothing was saved; try again.", true));
