import htmx from "htmx.org";
import { Spine } from "./spine.js";
import { Book } from "./book.js";
import { View, pans, zooms } from "./view.js";
import { firstLaid, lastLaid } from "./geometry.js";
import { draw } from "./page.js";
import { el } from "./svg.js";
import { mm } from "./words.js";
import { say } from "./say.js";

// What each piece is filled with on the spine, besides its colour.
const TEXTURES = [
  "M0 6L6 0",
  "M3 0V6",
  "M0 0L6 6",
  "M0 3H6",
  "M0 3H6M3 0V6",
  "M0 0L6 6M0 6L6 0",
  "M1.5 1.5h.1",
  "M4.5 4.5h.1",
];

// bind is the page on which pieces of several slicings are joined.
export async function bind(root, signal) {
  const q = (sel) => root.querySelector(sel);
  const books = new Map(); // of each print that is bound, by its id
  const bookOf = (id) => books.get(id);
  let opened = false; // all pieces that are shown
  let state,
    view,
    spine,
    whole,
    chosen,
    turn = 0;

  // load opens the prints that are not open yet; false when one cannot be.
  async function load() {
    for (const p of state.pieces) {
      if (books.has(p.id)) continue;
      const b = await Book.open(p.id);
      if (!b) return say("One of the pieces could not be opened. Load the page again.") || false;
      books.set(p.id, b);
    }
    return true;
  }

  // pile makes one book of the pieces, as if they were one print.
  const pile = (runs) =>
    Book.joined(runs.map(({ id, from, to }) => ({ book: bookOf(id), from, to })));

  const colour = (p, n) => bookOf(p.id).colour(n);
  const put = (name, text) => {
    const e = q(`[data-out="${name}"]`);
    if (e) e.textContent = text;
  };

  // moved returns the pieces with the joint that is looked at at another height.
  function moved(s) {
    const runs = state.pieces.map((p) => ({ ...p }));
    if (s) {
      runs[state.at].to = s.a;
      runs[state.at + 1].from = s.b + 1;
    }
    return runs;
  }

  async function pages(runs) {
    const now = ++turn,
      below = runs[state.at],
      above = runs[state.at + 1];
    const [a, b, air] = await Promise.all([
      bookOf(below.id).layer(below.to),
      bookOf(above.id).layer(above.from),
      bookOf(above.id).over(bookOf(below.id), below.to, above.from),
    ]);
    if (now !== turn || !a || !b) return;
    const end = lastLaid(a),
      first = firstLaid(b);
    draw(q('[data-page="left"]'), view, {
      parts: [{ geo: a, from: 0, to: a.n, colour: colour(below, below.to) }],
      at: end >= 0 ? { geo: a, piece: end, end: true, text: "ends here" } : null,
    });
    draw(q('[data-page="right"]'), view, {
      parts: [{ geo: b, from: 0, to: b.n, colour: colour(above, above.from) }],
      below: a,
      overlay: air,
      at: first >= 0 ? { geo: b, piece: first, end: false, text: "goes on here" } : null,
    });
  }

  function pileOnSpine(runs) {
    const svg = q("[data-spine]");
    whole = pile(runs);
    const N = whole.N,
      fold = whole.from[state.at + 1];
    spine = new Spine(svg, whole);
    const bands = [];
    runs.forEach((p, i) => {
      for (const b of bookOf(p.id).bands) {
        if (b.from > p.to) continue;
        const from = whole.from[i] + Math.max(b.from - p.from, 0);
        if (bands.at(-1)?.from === from) bands.pop();
        bands.push({ ...b, from, line: 0 });
      }
    });
    spine.draw({ fold, bands });
    const defs = el("defs");
    runs.forEach((_, i) => {
      const p = el("pattern", {
        id: `piece-${i}`,
        width: 6,
        height: 6,
        patternUnits: "userSpaceOnUse",
      });
      p.append(el("path", { d: TEXTURES[i % TEXTURES.length], class: "piece-line" }));
      defs.append(p);
    });
    svg.append(defs);
    const w = svg.clientWidth;
    runs.forEach((_, i) => {
      const d = spine.shape(
        whole.front,
        whole.from[i],
        i + 1 < runs.length ? whole.from[i + 1] : N + 1,
      );
      svg.append(el("path", { d, fill: `url(#piece-${i})`, "data-texture": i }));
    });
    // Heights that both share stand as ticks at the edge.
    let last = Infinity;
    for (const s of state.shared) {
      const y = Math.round(spine.y(s.z)) + 0.5;
      if (last - y < 3) continue;
      last = y;
      svg.append(el("path", { d: `M${w - 14} ${y}h8`, class: "spine-tick" }));
    }
    whole.from.slice(1).forEach((n, i) => {
      const y = Math.round(spine.y(spine.under(n))) + 0.5;
      const here = i === state.at;
      svg.append(el("path", { d: `M2 ${y}H${w - 16}`, class: here ? "spine-cut" : "spine-tick" }));
      if (!here) return;
      const label = `${runs[i].to} | ${runs[i + 1].from}`,
        tw = 14 + label.length * 6.6;
      svg.append(
        el("path", { d: `M2 ${y - 12}h${tw}l9 12l-9 12h${-tw}z`, class: "spine-cut-tag" }),
        el("text", { x: 9, y: y + 4, class: "spine-tag-text" }, label),
      );
    });
    const s = current();
    svg.setAttribute("aria-valuemax", state.shared.length);
    svg.setAttribute("aria-valuenow", state.shared.indexOf(s) + 1);
    svg.setAttribute("aria-valuetext", s ? `${mm(s.z)} mm` : "no height that both share");
    put("scale", spine.scale());
  }

  const current = () => state.shared.find((s) => s.a === (chosen?.a ?? state.pieces[state.at].to));

  function show(s) {
    chosen = s;
    const runs = moved(s);
    if (s) {
      put("height", mm(s.z));
      put("left-name", `Layer ${s.a}`);
      put("right-name", `Layer ${s.b + 1}`);
    }
    pileOnSpine(runs);
    pages(runs);
  }

  // send asks for the page with the joint somewhere else.
  let sending = 0;
  function send(s) {
    clearTimeout(sending);
    sending = setTimeout(
      () =>
        htmx.ajax("GET", "/bind", {
          source: q("[data-form]"),
          target: "#bind",
          swap: "outerHTML",
          values: { move: `${state.at}:${s.z}` },
        }),
      120,
    );
  }

  function step(by) {
    if (!opened) return;
    const i = state.shared.indexOf(current()) + by;
    if (i < 0 || i >= state.shared.length)
      return say("The pieces share no more heights in that direction.");
    show(state.shared[i]);
    send(state.shared[i]);
  }

  function wire() {
    const svg = q("[data-spine]");
    const at = (e) => {
      const y = e.clientY - svg.getBoundingClientRect().top;
      return state.shared.reduce(
        (best, s) =>
          !best || Math.abs(spine.y(s.z) - y) < Math.abs(spine.y(best.z) - y) ? s : best,
        null,
      );
    };
    svg.addEventListener("pointerdown", (e) => {
      svg.setPointerCapture(e.pointerId);
      const s = at(e);
      if (s) show(s);
    });
    svg.addEventListener("pointermove", (e) => {
      if (svg.hasPointerCapture(e.pointerId)) {
        const s = at(e);
        if (s && s !== chosen) show(s);
      }
    });
    svg.addEventListener("pointerup", () => {
      if (chosen) send(chosen);
    });
    svg.addEventListener("keydown", (e) => {
      const by = {
        ArrowUp: 1,
        ArrowDown: -1,
        PageUp: 10,
        PageDown: -10,
        Home: -state.shared.indexOf(current()),
        End: state.shared.length - 1 - state.shared.indexOf(current()),
      }[e.key];
      if (!by) return;
      e.preventDefault();
      step(e.shiftKey && Math.abs(by) === 1 ? 10 * by : by);
    });
    for (const c of root.querySelectorAll("[data-page]")) {
      zooms(c, view, () => pages(moved(chosen)));
      pans(c, view, () => pages(moved(chosen)));
    }
    for (const b of root.querySelectorAll("[data-go]"))
      b.addEventListener("click", () =>
        ({ up: () => step(1), down: () => step(-1), fit })[b.dataset.go](),
      );
  }
  function fit() {
    if (!opened) return;
    view.fit();
    pages(moved(chosen));
  }

  async function fresh(first) {
    const b = q("#bind");
    opened = false;
    const mine = (state = JSON.parse(b.dataset.state));
    chosen = undefined;
    if (!first && b.dataset.address !== location.pathname + location.search)
      history.pushState(null, "", b.dataset.address);
    if (!(await load()) || mine !== state) return; // or a newer page has come meanwhile
    opened = true;
    view ??= new View(pile(state.pieces).frame());
    wire();
    show();
    root.dataset.ready = "true";
  }

  let focus = "",
    open = false;
  document.addEventListener(
    "htmx:beforeSwap",
    () => {
      focus = document.activeElement?.closest?.("[data-spine]")
        ? "spine"
        : document.activeElement?.dataset?.go || document.activeElement?.id || "";
      open = !!q("details[open]");
    },
    { signal },
  );
  document.addEventListener(
    "htmx:afterSettle",
    async () => {
      if (!q("#bind")) return;
      if (open) q("details").open = true;
      await fresh(false);
      if (document.activeElement !== document.body || !focus) return;
      (focus === "spine"
        ? q("[data-spine]")
        : q(`[data-go="${focus}"]`) || document.getElementById(focus)
      )?.focus();
    },
    { signal },
  );
  window.addEventListener("popstate", () => location.reload(), { signal });
  document.addEventListener(
    "keydown",
    (e) => {
      if (
        e.target.closest("input, select, textarea, [data-spine]") ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey
      )
        return;
      const act = {
        ArrowUp: () => step(e.shiftKey ? 10 : 1),
        ArrowDown: () => step(e.shiftKey ? -10 : -1),
        f: fit,
      }[e.key];
      if (!act) return;
      e.preventDefault();
      act();
    },
    { signal },
  );
  new ResizeObserver(() => {
    if (opened) {
      pileOnSpine(moved(chosen));
      pages(moved(chosen));
    }
  }).observe(root);
  window.addEventListener(
    "dogear:theme",
    () => {
      if (opened) {
        pileOnSpine(moved(chosen));
        pages(moved(chosen));
      }
    },
    { signal },
  );
  await fresh(true);
}
