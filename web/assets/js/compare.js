import { Spine } from "./spine.js";
import { Book } from "./book.js";
import { View, pans, zooms } from "./view.js";
import { draw } from "./page.js";
import { el } from "./svg.js";
import { mm } from "./words.js";
import { say } from "./say.js";

// compare is the page on which two slicings of a model lie side by side, each
// with the layer that it lays at one height.
export async function compare(root, signal) {
  const q = (sel) => root.querySelector(sel);
  const state = JSON.parse(root.dataset.state);
  const [old, now] = await Promise.all([Book.open(state.old), Book.open(state.now)]);
  if (!old || !now) return say("One of the slicings could not be opened. Load the page again.");
  const box = old.box.map((v, k) =>
    k < 2 ? Math.min(v, now.box[k]) - 1 : Math.max(v, now.box[k]) + 1,
  );
  const view = new View(box);
  const spine = new Spine(q("[data-spine]"), now);
  const { N } = now;
  const put = (name, text) => {
    q(`[data-out="${name}"]`).textContent = text;
  };
  let n = Math.min(Math.max(state.before, 1), N),
    turn = 0;

  // twin is the layer of the older slicing that is laid at the same height.
  function twin() {
    const z = now.z[n - 1] - now.h[n - 1] / 2;
    const k = old.z.findIndex((v) => v > z);
    return k < 0 ? 0 : k + 1;
  }

  async function pages() {
    const mine = ++turn,
      m = twin();
    const [a, b] = await Promise.all([m ? old.layer(m) : null, now.layer(n)]);
    const [gone, fresh] = m
      ? await Promise.all([old.over(now, n, m), now.over(old, m, n)])
      : [null, null];
    if (mine !== turn || !b) return;
    draw(
      q('[data-page="left"]'),
      view,
      a
        ? { parts: [{ geo: a, from: 0, to: a.n, colour: old.colour(m) }], overlay: gone }
        : { nothing: "the older one ends below this" },
    );
    draw(q('[data-page="right"]'), view, {
      parts: [{ geo: b, from: 0, to: b.n, colour: now.colour(n) }],
      overlay: fresh,
    });
  }

  function side() {
    const svg = q("[data-spine]");
    spine.draw({ fold: n, bands: now.bands, tone: "ink" });
    const was = Object.assign(Object.create(Spine.prototype), spine, {
      book: { ...old, height: now.height },
    });
    svg.append(
      el("path", {
        d: was.shape(old.front, 1, old.z.length + 1),
        class: "spine-was",
        fill: "none",
      }),
    );
    svg.setAttribute("aria-valuemax", N);
    svg.setAttribute("aria-valuenow", n);
    svg.setAttribute("aria-valuetext", `layer ${n}, ${mm(now.z[n - 1])} mm`);
  }

  function go(to) {
    n = Math.min(Math.max(to, 1), N);
    const m = twin();
    put("height", mm(now.z[n - 1]));
    put("left-note", m ? `layer ${m}, ${mm(old.z[m - 1])} mm` : "nothing any more");
    put("right-note", `layer ${n}, ${mm(now.z[n - 1])} mm`);
    put(
      "sentence",
      m
        ? `Layer ${m} of ${old.z.length} before, layer ${n} of ${N} now.`
        : `Layer ${n} of ${N} now; the older one is done.`,
    );
    const u = new URL(location.href);
    u.searchParams.set("before", n);
    history.replaceState(null, "", u);
    side();
    pages();
  }

  root.addEventListener("click", (e) => {
    const j = e.target.closest("[data-jump]"),
      s = e.target.closest("[data-step]");
    if (j) go(Number(j.dataset.jump));
    if (s) go(n + Number(s.dataset.step));
  });
  document.addEventListener(
    "keydown",
    (e) => {
      if (e.target.closest("input, select, textarea") || e.ctrlKey || e.metaKey || e.altKey) return;
      const by = { ArrowUp: 1, ArrowDown: -1, Home: -N, End: N }[e.key];
      if (e.key === "f") {
        view.fit();
        return pages();
      }
      if (!by) return;
      e.preventDefault();
      go(n + by * (e.shiftKey ? 10 : 1));
    },
    { signal },
  );
  const svg = q("[data-spine]");
  const at = (e) => go(spine.at(e.clientY - svg.getBoundingClientRect().top));
  svg.addEventListener("pointerdown", (e) => {
    svg.setPointerCapture(e.pointerId);
    at(e);
  });
  svg.addEventListener("pointermove", (e) => {
    if (svg.hasPointerCapture(e.pointerId)) at(e);
  });
  svg.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      go(n - Math.sign(e.deltaY));
    },
    { passive: false },
  );
  for (const c of root.querySelectorAll("[data-page]")) {
    zooms(c, view, pages);
    pans(c, view, pages);
  }
  new ResizeObserver(() => {
    side();
    pages();
  }).observe(root);
  window.addEventListener(
    "dogear:theme",
    () => {
      side();
      pages();
    },
    { signal },
  );
  go(n);
  root.dataset.ready = "true";
}
