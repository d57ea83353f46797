import htmx from "htmx.org";
import { Spine } from "./spine.js";
import { Thread } from "./thread.js";
import { Book } from "./book.js";
import { View, zooms } from "./view.js";
import { along, firstLaid, lastLaid, lengthOf, nearest, stretch } from "./geometry.js";
import { draw } from "./page.js";
import { el } from "./svg.js";
import { Photo } from "./photo.js";
import { sideways } from "./sideways.js";
import { count, mm } from "./words.js";
import { say } from "./say.js";
import { ASK } from "./evidence.js";

// A move longer than this, mm, is cut where it is pointed at.
const LONG = 4;

// pickup is the page on which a failed print is finished. The server works
// everything out; here it is drawn, and places are pointed at.
export async function pickup(root, signal) {
  const id = root.dataset.pickup;
  const q = (sel) => root.querySelector(sel);
  const book = await Book.open(id);
  if (!book) return say("This print could not be opened. Load the page again.");
  const { N, bands } = book;
  const view = new View(book.frame());
  const layer = (n) => book.layer(n),
    order = (n) => book.order(n),
    colour = (n) => book.colour(n);
  let state = {},
    spine,
    thread,
    shown = {};

  const post = (path, values) =>
    htmx.ajax("POST", `/prints/${id}/pickup/${path}`, { source: q("#pickup"), values });
  const put = (name, text) => {
    const e = q(`[data-out="${name}"]`);
    if (e) e.textContent = text;
  };

  const photo = new Photo(root, id, {
    redraw: () => pages(),
    post,
    shown: () => shown.pinned,
    fetched: () => htmx.ajax("GET", `/prints/${id}/pickup/now`, { source: q("#pickup") }),
  });

  function cutOf(geo, line) {
    let i = 0;
    while (i < geo.n && geo.line[i] < line) i++;
    return i;
  }

  const part = (geo, tone) => (geo ? [{ geo, from: 0, to: 1, colour: tone }] : []);

  async function pages() {
    const left = q('[data-page="left"]'),
      right = q('[data-page="right"]');
    if (!state.last && !state.inside) {
      for (const c of [left, right]) draw(c, view, { nothing: "not known yet" });
      put("left-name", "The part");
      put("right-name", "The rest");
      return;
    }
    const n = state.inside ? state.first : state.last,
      m = state.first;
    const [a, b] = await Promise.all([layer(n), layer(m)]);
    if (!a || !b) return;
    const cut = state.inside ? cutOf(b, state.line) : 0;
    // Of a move that is cut, one stretch lies there and the other is laid first.
    const { rest } = state;
    const whole = rest ? b.line.lastIndexOf(rest.line) : -1;
    const [laid, ahead] =
      whole < 0 ? [] : [stretch(b, whole, 0, rest.at), stretch(b, whole, rest.at, 1)];
    const to = state.inside ? (whole < 0 ? cut : whole) : a.n;
    shown = { left: { n, geo: a, from: 0, to: a.n }, right: { n: m, geo: b, from: 0, to: b.n } };
    put("left-name", `Layer ${n}`);
    put("right-name", `Layer ${m}`);
    const end = lastLaid(a, 0, to);
    draw(left, view, {
      parts: [{ geo: a, from: 0, to, colour: colour(n) }, ...part(laid, colour(n))],
      below: state.inside ? await layer(n - 1) : null,
      pins: state.pins,
      photo: photo.under(),
      at: laid
        ? { geo: laid, piece: 0, end: true, text: "was laid last" }
        : end >= 0
          ? { geo: a, piece: end, end: true, text: "was laid last" }
          : null,
    });
    if (photo.pinning) {
      // the two places that the picture is pinned by, instead of what comes next
      const foot = photo.foot && n > 1;
      const g = foot ? await layer(1) : a;
      if (!g) return;
      shown.pinned = { geo: g };
      draw(right, view, {
        parts: [{ geo: g, from: 0, to: foot ? g.n : to, colour: colour(foot ? 1 : n) }],
        pins: photo.places(),
      });
      put("right-name", `Layer ${foot ? 1 : n}`);
      put("right-what", foot ? "its foot" : "the same layer");
      put("right-note", "1 and 2 are these places");
      return;
    }
    put("right-what", "laid first");
    const first = firstLaid(b, cut, b.n);
    const route =
      state.landing && state.spot && !state.loose
        ? [state.spot, [state.landing[0], state.landing[1]]]
        : null;
    draw(right, view, {
      parts: [...part(ahead, colour(m)), { geo: b, from: cut, to: b.n, colour: colour(m) }],
      below: state.inside ? await layer(m - 1) : a,
      route,
      loops: state.brim,
      at: ahead
        ? { geo: ahead, piece: 0, end: false, text: "begins here" }
        : first >= 0
          ? { geo: b, piece: first, end: false, text: "begins here" }
          : null,
    });
    put(
      "left-note",
      [state.look, state.pins ? "1, 2, 3: places of the touch check" : ""]
        .filter(Boolean)
        .join(" · "),
    );
    put(
      "right-note",
      route
        ? `primes beside the part, then over the top and down · ${mm(book.z[m - 1])} mm`
        : [`${mm(book.z[m - 1])} mm`, state.brim ? "with its brim" : ""]
            .filter(Boolean)
            .join(" · "),
    );
  }

  function side() {
    const svg = q("[data-spine]");
    spine = new Spine(svg, book);
    const fold =
      state.first && (state.last || state.inside)
        ? state.inside
          ? state.first
          : Math.min(state.last + 1, N + 1)
        : 0;
    const { inside } = state;
    spine.draw({ fold, inside, bands, tone: "brick", unprinted: fold <= N ? fold : 0 });
    svg.setAttribute("aria-valuemax", N);
    svg.setAttribute("aria-valuenow", state.last || 0);
    svg.setAttribute(
      "aria-valuetext",
      state.last ? `layer ${state.last}, ${mm(book.z[state.last - 1])} mm` : "not known yet",
    );
    const w = svg.clientWidth;
    // Evidence stands in columns of its own, each with its name above.
    (state.bars || []).slice(0, 5).forEach((b, i) => {
      const x = w - 58 + i * 12 - Math.max(0, (state.bars.length - 4) * 12);
      const top = b.high >= 1 ? book.z[Math.min(b.high, N) - 1] : 0,
        low = b.low >= 1 ? book.z[Math.min(b.low, N) - 1] : 0;
      const y0 = spine.y(top),
        y1 = Math.max(spine.y(low), y0 + 4);
      const r = el("rect", { x, y: y0 - 1, width: 6, height: y1 - y0 + 2, class: "spine-bar" });
      r.append(el("title", {}, `${b.name}: layers ${b.low} to ${b.high}`));
      svg.append(
        r,
        el(
          "text",
          {
            x: 0,
            y: 0,
            transform: `translate(${x + 6} ${y0 - 6}) rotate(-62)`,
            class: "spine-bar-text",
          },
          b.name,
        ),
      );
    });
    put("scale", spine.scale());
  }

  async function ribbon() {
    q("[data-mid]").hidden = !state.mid;
    if (!state.mid) return;
    const t = await order(state.first);
    if (!t) return;
    thread = new Thread(q("[data-thread]"));
    const k = Math.max(
      0,
      t.paths.findLastIndex((p) => p.line <= state.line),
    );
    const p = t.paths[k];
    const inside =
      p && state.line > p.first ? (state.line - p.first) / Math.max(p.last - p.first, 1) : 0;
    thread.draw(t, k, p ? p.begin + inside * (p.end - p.begin) : 0, []);
    put(
      "mid-note",
      `drag along the thread of layer ${state.first}, or click a page; ` +
        (state.rest
          ? `now inside the move of line ${count(state.rest.line)}`
          : `now in front of line ${count(state.line)}`),
    );
  }

  function asks() {
    const kind = q("#ev-kind").value,
      [label, hint] = ASK[kind];
    for (const e of root.querySelectorAll("[data-for]"))
      e.hidden = !e.dataset.for.split(/\s+/).includes(kind);
    q("[data-label]").textContent = label;
    q("[data-hint]").textContent = hint;
  }

  function fresh() {
    const p = q("#pickup");
    state = JSON.parse(p.dataset.state);
    if (p.dataset.said) {
      say(p.dataset.said);
      delete p.dataset.said;
    }
    asks();
    side();
    pages();
    ribbon();
    wire();
    photo.fresh(state);
    sideways(root);
  }

  // wire listens on what was sent anew.
  function wire() {
    const svg = q("[data-spine]");
    const at = (e) =>
      Math.max(1, Math.min(N, spine.at(e.clientY - svg.getBoundingClientRect().top) - 1));
    svg.addEventListener("pointerdown", (e) => {
      svg.setPointerCapture(e.pointerId);
      if (q("#ev-kind").value === "counted" && q("#more-known").open) {
        q("#ev-from").value = at(e);
        say(`Counting from layer ${at(e)}.`);
        q("#ev-value").focus();
      }
    });
    svg.addEventListener("pointerup", (e) => {
      if (!(q("#ev-kind").value === "counted" && q("#more-known").open))
        post("choice", { layer: at(e) });
    });
    svg.addEventListener("keydown", (e) => {
      const by = { ArrowUp: 1, ArrowDown: -1 }[e.key];
      if (!by) return;
      e.preventDefault();
      post("choice", {
        layer: Math.max(
          1,
          Math.min(N, (state.last || Math.round(N / 2)) + by * (e.shiftKey ? 10 : 1)),
        ),
      });
    });
    for (const [name, c] of Object.entries({
      left: q('[data-page="left"]'),
      right: q('[data-page="right"]'),
    })) {
      zooms(c, view, pages);
      let moved = false;
      c.addEventListener("pointerdown", (e) => {
        moved = false;
        c.setPointerCapture(e.pointerId);
      });
      c.addEventListener("pointermove", (e) => {
        if (
          !c.hasPointerCapture(e.pointerId) ||
          Math.abs(e.movementX) + Math.abs(e.movementY) === 0
        )
          return;
        moved = true;
        const s = view.scale(c.clientWidth, c.clientHeight);
        view.dx -= e.movementX / s;
        view.dy += e.movementY / s;
        pages();
      });
      c.addEventListener("pointerup", (e) => {
        if (!moved && state.mid) point(name, c, e);
      });
      c.addEventListener("dblclick", () => {
        view.fit();
        pages();
      });
    }
    const ribbonSvg = q("[data-thread]");
    ribbonSvg.addEventListener("pointerup", async (e) => {
      const t = await order(state.first);
      if (t?.paths.length && thread)
        post("choice", {
          line: t.paths[
            Math.min(
              thread.at(e.clientX - ribbonSvg.getBoundingClientRect().left),
              t.paths.length - 1,
            )
          ].first,
        });
    });
    ribbonSvg.addEventListener("keydown", async (e) => {
      const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
      const t = by && (await order(state.first));
      if (!t) return;
      e.preventDefault();
      const k = Math.max(
        0,
        Math.min(t.paths.length - 1, t.paths.findLastIndex((p) => p.first <= state.line) + by),
      );
      post("choice", { line: t.paths[k].first });
    });
    q("#ev-kind").addEventListener("change", asks);
  }

  // point takes the place on a page where the good plastic ends.
  function point(name, c, e) {
    const s = shown[name];
    if (!s || s.n !== state.first) return;
    const r = c.getBoundingClientRect();
    const [x, y] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
    const i = nearest(s.geo, s.from, s.to, x, y, 12 / view.scale(r.width, r.height), false);
    if (i < 0) return say("Click on a path: the file goes on with what comes behind it.");
    // A long move is cut where it was pointed at; of a short one, and of a curve, that is made of
    // several pieces, all is taken for laid.
    const g = s.geo;
    const alone = g.line[i - 1] !== g.line[i] && g.line[i + 1] !== g.line[i];
    const share = along(g, i, x, y);
    if (alone && lengthOf(g, i) > LONG && share > 0.02 && share < 0.98)
      post("choice", { line: g.line[i], along: (100 * share).toFixed(1) });
    else post("choice", { line: g.line[Math.min(i + 1, g.n - 1)] });
  }

  let opened = [],
    focus = "",
    kind = "touch";
  document.addEventListener(
    "htmx:beforeSwap",
    () => {
      opened = [...root.querySelectorAll("details[open]")].map((d) => d.id);
      focus = document.activeElement?.id || "";
      kind = q("#ev-kind").value;
    },
    { signal },
  );
  document.addEventListener(
    "htmx:afterSettle",
    () => {
      if (!q("#pickup")?.dataset.state) return;
      for (const i of opened) document.getElementById(i)?.setAttribute("open", "");
      q("#ev-kind").value = kind;
      fresh();
      if (focus && document.activeElement === document.body)
        document.getElementById(focus)?.focus();
    },
    { signal },
  );
  new ResizeObserver(() => {
    side();
    pages();
    ribbon();
  }).observe(root);
  window.addEventListener(
    "dogear:theme",
    () => {
      side();
      pages();
    },
    { signal },
  );
  fresh();
  root.dataset.ready = "true";
}
