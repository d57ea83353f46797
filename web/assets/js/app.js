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
import { opens } from "./opens.js";
import { writes } from "./write.js";
import { say } from "./say.js";

window.htmx = htmx;
Alpine.data("lamp", lamp);
Alpine.start();
opens();
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

const ready = () => {
  const s = document.querySelector("[data-shelf]");
  if (s) shelf(s);
  const b = document.querySelector("[data-bench]");
  if (b) bench(b);
  const l = document.querySelector("[data-lines]");
  if (l) lines(l);
  const k = document.querySelector("[data-kit]");
  if (k) kit(k);
  const u = document.querySelector("[data-pickup]");
  if (u) pickup(u);
  const m = document.querySelector("[data-compare-page]");
  if (m) compare(m);
  const d = document.querySelector("[data-bind]");
  if (d) bind(d);
  const h = document.querySelector("[data-rehearse]");
  if (h) rehearse(h);
  const y = document.querySelector("[data-byhand]");
  if (y) byHand(y);
  const w = document.querySelector("[data-watch]");
  if (w) watch(w);
  const g = document.querySelector("[data-handshake]");
  if (g) handshake(g);
  const r = document.querySelector("[data-routine]");
  if (r) routine(r);
};
if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", ready);
else ready();
