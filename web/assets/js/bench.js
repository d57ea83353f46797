import { Spine } from "./spine.js";
import { View, draw, parse } from "./page.js";
import { understand } from "./goto.js";
import { hours, mm } from "./words.js";
import { say } from "./say.js";

// bench is the open book: it holds the fold and keeps pages, spine, margin and
// address bar at it.
export async function bench(root) {
  const id = root.dataset.bench;
  const q = (sel) => root.querySelector(sel);
  const put = (name, text) => { for (const e of root.querySelectorAll(`[data-out="${name}"]`)) e.textContent = text; };
  const answer = await fetch(`/prints/${id}/book`);
  if (!answer.ok) return say("This print could not be opened. Load the page again.");
  const book = await answer.json();
  const N = book.z.length;
  const pad = (b) => [b[0] - 1, b[1] - 1, b[2] + 1, b[3] + 1];
  const view = new View(pad(book.box));
  const svg = q("[data-spine]");
  const spine = new Spine(svg, book);
  const left = q('[data-page="left"]'), right = q('[data-page="right"]');
  const state = { fold: 1, ears: [], bands: [], travel: false };
  const kept = new Map();

  // ---- layers, fetched once and ahead for the neighbours
  function layer(n) {
    if (n < 1 || n > N) return Promise.resolve(null);
    if (!kept.has(n)) {
      kept.set(n, fetch(`/prints/${id}/layers/${n}?v=${book.version}`).then((r) => { if (!r.ok) throw new Error(); return r.arrayBuffer(); }).then(parse)
        .catch(() => { kept.delete(n); return null; }));
      if (kept.size > 60) kept.delete(kept.keys().next().value);
    }
    return kept.get(n);
  }

  const bandOf = (n) => { let b = state.bands[0]; for (const x of state.bands) if (x.from <= n) b = x; return b; };
  const under = (n) => spine.under(n);

  // ---- drawing
  let drawing = 0;
  async function pages() {
    const turn = ++drawing;
    const n = state.fold;
    const [l, r] = await Promise.all([layer(n - 1), layer(n)]);
    if (turn !== drawing) return;
    if (!l && n > 1 || !r && n <= N) say("A layer could not be loaded. Is Dogear still running?");
    draw(left, view, { geo: l, colour: bandOf(Math.max(n - 1, 1)).colour, travel: state.travel, at: "end", nothing: n === 1 ? "the bare bed" : "" });
    draw(right, view, { geo: r, below: l, colour: bandOf(Math.min(n, N)).colour, travel: state.travel, at: "start", nothing: n > N ? "nothing more: the print is done" : "" });
    layer(n + 1); layer(n - 2); layer(n + 2);
  }

  function name(n) {
    const k = book.number[n - 1];
    return k !== null && k !== undefined && k !== n ? ` (${k} in the file)` : "";
  }

  function sentence() {
    const n = state.fold, p = q('[data-out="sentence"]');
    const b = (band) => {
      const e = document.createElement("b");
      e.textContent = band.name;
      e.className = "border-b-[3px]";
      e.style.borderColor = band.colour;
      return e;
    };
    p.replaceChildren();
    if (n === 1) { p.append("Nothing is laid yet · ", b(bandOf(1)), ` begins with layer 1${name(1)}`); return; }
    if (n > N) { p.append(b(bandOf(N)), ` ends with layer ${N}${name(N)} · the print is done`); return; }
    const x = bandOf(n - 1), y = bandOf(n);
    if (x === y) p.append(`Layer ${n - 1} is laid · layer ${n} comes next${name(n)} · both `, b(x));
    else p.append(b(x), ` ends with layer ${n - 1} · `, b(y), ` begins with layer ${n}${name(n)}`);
  }

  function show() {
    const n = state.fold;
    put("height", mm(under(n)));
    sentence();
    put("left-name", n === 1 ? "The bed" : `Layer ${n - 1}`);
    put("left-note", n === 1 ? "" : `already laid · ${mm(book.z[n - 2])} mm`);
    put("right-name", n > N ? "Done" : `Layer ${n}`);
    put("right-note", n > N ? "" : `laid next · ${mm(book.z[n - 1])} mm · ${hours(book.took[n - 1])}`);
    left.setAttribute("aria-label", n === 1 ? "The bare bed" : `Layer ${n - 1} from above, the last one laid`);
    right.setAttribute("aria-label", n > N ? "Nothing more" : `Layer ${n} from above, laid next`);
    svg.setAttribute("aria-valuemax", N + 1);
    svg.setAttribute("aria-valuenow", n);
    svg.setAttribute("aria-valuetext", `${mm(under(n))} mm, before layer ${n}`);
    const ear = state.ears.find((e) => e.before === n);
    const corner = q("[data-corner]");
    corner.toggleAttribute("hidden", !ear);
    if (ear) { const p = corner.querySelector("path"); p.setAttribute("class", ear.colour ? "" : "fill-shade stroke-ink"); if (ear.colour) p.setAttribute("fill", ear.colour); }
    spine.draw(n, state.ears, state.bands);
    put("scale", spine.taller > 1.05 ? `heights drawn ${spine.taller.toFixed(spine.taller < 10 ? 1 : 0)}× taller` : "");
    margin();
    pages();
  }

  function margin() {
    const n = state.fold;
    for (const li of root.querySelectorAll("[data-ear]")) {
      const open = Number(li.dataset.before) === n;
      li.dataset.open = open;
      li.querySelector("[data-more]").hidden = !open;
      li.querySelector("[data-jump]").setAttribute("aria-expanded", open);
    }
    const input = q("#before");
    input.value = n;
    const has = state.ears.some((e) => e.before === n);
    q("[data-mark]").hidden = has || n > N;
    put("mark-title", n <= N ? `Mark the fold before layer ${n}` : "");
    const here = n > 1 ? bandOf(n - 1)?.filament : "";
    for (const b of root.querySelectorAll("[data-mark] [data-filament]")) b.disabled = b.dataset.filament === here;
  }

  // ---- the fold
  function go(n, remember = true) {
    n = Math.max(1, Math.min(N + 1, n));
    if (n === state.fold && remember) return;
    state.fold = n;
    if (remember) {
      const u = new URL(location.href);
      u.searchParams.set("before", n);
      history.replaceState(null, "", u);
    }
    show();
  }

  function marks() {
    const m = q("#margin");
    const d = JSON.parse(m.dataset.marks);
    state.ears = d.ears;
    state.bands = d.bands;
    if (m.dataset.said) say(m.dataset.said);
  }

  function mark() {
    const ear = state.ears.find((e) => e.before === state.fold);
    if (ear) { root.querySelector(`[data-ear="${ear.id}"] [data-remove]`).click(); return; }
    if (state.fold > N) return say("There is nothing above this fold to mark.");
    // The filament before the last one comes back: bands usually take turns.
    const here = bandOf(Math.max(state.fold - 1, 1)).filament;
    const before = state.bands.filter((b) => b.from < state.fold).map((b) => b.filament).reverse().find((f) => f !== here);
    const buttons = [...root.querySelectorAll("[data-mark] [data-filament]")];
    const b = buttons.find((x) => x.dataset.filament === before) || buttons.find((x) => x.dataset.filament !== here);
    (b || q("[data-mark] [data-plain]")).click();
  }

  const earAfter = (dir) => {
    const list = state.ears.map((e) => e.before).sort((a, b) => a - b);
    const n = dir > 0 ? list.find((v) => v > state.fold) : list.reverse().find((v) => v < state.fold);
    if (n) go(n); else say(dir > 0 ? "There is no ear above." : "There is no ear below.");
  };

  const acts = {
    up: () => go(state.fold + 1), down: () => go(state.fold - 1), up10: () => go(state.fold + 10), down10: () => go(state.fold - 10),
    home: () => go(1), end: () => go(N + 1), next: () => earAfter(1), prev: () => earAfter(-1), mark,
    side: () => { spine.side = !spine.side; press("side", spine.side); show(); },
    travel: () => { state.travel = !state.travel; press("travel", state.travel); pages(); },
    fit: () => { view.fit(); pages(); },
    keys: () => document.querySelector("[data-keys]").showModal(),
    undo: () => q('#margin [data-act="undo"]').click(), redo: () => q('#margin [data-act="redo"]').click(),
    goto: () => { q("#goto").focus(); q("#goto").select(); },
  };
  const press = (name, on) => q(`[role="toolbar"] [data-act="${name}"]`).setAttribute("aria-pressed", on);
  press("side", false);
  press("travel", false);

  root.querySelector('[role="toolbar"]').addEventListener("click", (e) => {
    const b = e.target.closest("[data-act]");
    if (b) acts[b.dataset.act]();
  });
  root.addEventListener("click", (e) => {
    const j = e.target.closest("[data-jump]");
    if (j) go(Number(j.dataset.jump));
  });

  const keys = { ArrowUp: "up", ArrowDown: "down", Home: "home", End: "end", n: "next", p: "prev", m: "mark", "/": "goto", u: "undo", U: "redo", s: "side", t: "travel", f: "fit", "?": "keys" };
  document.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey || document.querySelector("dialog[open]")) return;
    const typing = e.target.closest("input, textarea, select");
    if (typing) { if (e.key === "Escape") e.target.blur(); return; }
    if (e.target.closest("summary, button, a") && (e.key === "Enter" || e.key === " ")) return;
    let act = keys[e.key];
    if (e.shiftKey && e.key === "ArrowUp") act = "up10";
    if (e.shiftKey && e.key === "ArrowDown") act = "down10";
    if (!act) return;
    e.preventDefault();
    acts[act]();
  });

  q("[data-goto]").addEventListener("submit", (e) => {
    e.preventDefault();
    const r = understand(q("#goto").value, book);
    if (r.error) return say(r.error);
    go(r.fold);
    say(`${r.said}: fold before layer ${r.fold}.`);
    q("#goto").blur();
  });

  // ---- the pointer on the spine
  let wheel = 0;
  svg.addEventListener("wheel", (e) => {
    e.preventDefault();
    wheel += e.deltaMode ? e.deltaY * 40 : e.deltaY;
    const steps = Math.trunc(wheel / 40);
    if (steps) { wheel -= steps * 40; go(state.fold - steps); }
  }, { passive: false });
  const drag = (e) => go(spine.at(e.clientY - svg.getBoundingClientRect().top));
  svg.addEventListener("pointerdown", (e) => { svg.setPointerCapture(e.pointerId); svg.focus({ preventScroll: true }); drag(e); });
  svg.addEventListener("pointermove", (e) => { if (svg.hasPointerCapture(e.pointerId)) drag(e); });

  // ---- the pointer on the pages: both move together
  for (const c of [left, right]) {
    c.addEventListener("wheel", (e) => {
      e.preventDefault();
      const r = c.getBoundingClientRect();
      const m = view.matrix(r.width, r.height);
      const x = (e.clientX - r.left - m[4]) / m[0], y = (m[5] - (e.clientY - r.top)) / m[0];
      view.zoom = Math.max(0.5, Math.min(60, view.zoom * Math.exp(-e.deltaY / 300)));
      const k = view.matrix(r.width, r.height);
      view.dx += x - (e.clientX - r.left - k[4]) / k[0];
      view.dy += y - (k[5] - (e.clientY - r.top)) / k[0];
      pages();
    }, { passive: false });
    c.addEventListener("pointerdown", (e) => c.setPointerCapture(e.pointerId));
    c.addEventListener("pointermove", (e) => {
      if (!c.hasPointerCapture(e.pointerId)) return;
      const s = view.scale(c.clientWidth, c.clientHeight);
      view.dx -= e.movementX / s;
      view.dy += e.movementY / s;
      pages();
    });
    c.addEventListener("dblclick", () => acts.fit());
  }

  document.addEventListener("htmx:afterSettle", (e) => { if (root.querySelector("#margin")) { marks(); show(); } });
  new ResizeObserver(() => show()).observe(left);
  window.addEventListener("dogear:theme", show);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", show);

  marks();
  const asked = Number(new URL(location.href).searchParams.get("before"));
  go(asked || state.ears[0]?.before || Math.ceil((N + 1) / 2), false);
  root.dataset.ready = "true";
}
