import htmx from "htmx.org";
import Alpine from "@alpinejs/csp";
import { lamp } from "./lamp.js";
import { shelf } from "./shelf.js";
import { bench } from "./bench.js";
import { lines } from "./lines.js";
import { kit, routine } from "./kit.js";
import { bind } from "./bind.js";
import { compare } from "./compare.js";
import { pickup } from "./pickup.js";
import { rehearse } from "./rehearse.js";
import { byHand } from "./byhand.js";
import { handshake } from "./handshake.js";
import { watch } from "./watch.js";
import { dropZone } from "./opens.js";
import { writes } from "./write.js";
import { mount } from "./mount.js";
import { say } from "./say.js";

window.htmx = htmx;
Alpine.data("lamp", lamp);
Alpine.data("dropZone", dropZone);
Alpine.start();
writes();

// Whatever a button sent: while it is under way the button says so, and a
// connection that is gone is told instead of swallowed.
document.addEventListener("htmx:beforeRequest", (e) => {
  const el = e.detail.elt;
  if (el.dataset?.busy) {
    el.disabled = true;
    el.textContent = el.dataset.busy;
  }
});
document.addEventListener("htmx:sendError", () =>
  say("Dogear does not answer. Is it still running?"),
);
document.addEventListener("htmx:afterSwap", (e) => {
  if (e.detail.target.id === "said") say(e.detail.target.textContent);
});

document.addEventListener("click", (e) => {
  if (e.target.closest("[data-print]")) window.print();
});

const pages = [
  ["[data-shelf]", shelf],
  ["[data-bench]", bench],
  ["[data-lines]", lines],
  ["[data-kit]", kit],
  ["[data-routine]", routine],
  ["[data-pickup]", pickup],
  ["[data-compare-page]", compare],
  ["[data-bind]", bind],
  ["[data-rehearse]", rehearse],
  ["[data-byhand]", byHand],
  ["[data-watch]", watch],
  ["[data-handshake]", handshake],
];
const ready = () => mount(pages);
if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", ready);
else ready();
