import htmx from "htmx.org";
import { Spine } from "./spine.js";
import { Cover } from "./cover.js";
import { Thread, pathOf } from "./thread.js";
import { Leaves } from "./leaves.js";
import { View, WAY, ahead, draw } from "./page.js";
import { understand } from "./goto.js";
import { count, hours, mm } from "./words.js";
import { say } from "./say.js";
import { hands } from "./hands.js";
import { send } from "./arrive.js";
import { others } from "./others.js";
import { Mend } from "./mend.js";

// bench is the open book: it holds the fold and keeps pages, spine, thread,
// margin and address bar at it.
//
// The fold lies before layer state.fold, or, when state.path is above 0, inside
// that layer, before its path number state.path.
export async function bench(root) {
  const id = root.dataset.bench;
  const q = (sel) => root.querySelector(sel);
  // put writes into the places named so; those outside the margin never change.
  const outs = {};
  const put = (name, text) => {
    if (name === "mark-title") outs[name] = [];
    if (!outs[name]?.length) outs[name] = [...root.querySelectorAll(`[data-out="${name}"]`)];
    for (const e of outs[name]) if (e.textContent !== text) e.textContent = text;
  };
  const answer = await fetch(`/prints/${id}/book`);
  if (!answer.ok) return say("This print could not be opened. Load the page again.");
  const book = await answer.json();
  const N = book.z.length;
  const view = new View([book.box[0] - 1, book.box[1] - 1, book.box[2] + 1, book.box[3] + 1]);
  const svg = q("[data-spine]"), ribbon = q("[data-thread]");
  const spine = new Spine(svg, book), thread = new Thread(ribbon);
  const canvas = { left: q('[data-page="left"]'), right: q('[data-page="right"]') };
  const cover = new Cover(q("[data-cover]"), `/prints/${id}/cover`);
  const state = { fold: 1, path: 0, time: -1, ears: [], bands: [], mutes: [], overs: [], sits: [], travel: false, rest: false };

  const leaves = new Leaves(book);
  const layer = (n) => leaves.layer(n), order = (n) => leaves.order(n), overlay = (n) => leaves.overlay(n);

  // ---- colours
  const bandAt = (n, line = 0) => {
    let b = state.bands[0];
    for (const x of state.bands) if (x.from < n || (x.from === n && x.line <= line)) b = x;
    return b;
  };
  const endOf = (n) => bandAt(n, Infinity);

  // parts splits pieces from … to-1 of layer n where a band begins inside it.
  function parts(n, geo, from, to, override) {
    const out = [];
    let band = bandAt(n), start = from;
    for (const x of state.bands.filter((b) => b.from === n && b.line > 0)) {
      let i = start;
      while (i < to && geo.line[i] < x.line) i++;
      if (i > start) out.push({ geo, from: start, to: i, colour: override || band.colour });
      start = i;
      band = x;
    }
    if (start < to) out.push({ geo, from: start, to, colour: override || band.colour });
    return out.flatMap((p) => unmuted(p));
  }

  // unmuted splits a part where lines are muted; those are drawn as ghosts.
  function unmuted(p) {
    const first = p.geo.line[p.from], last = p.geo.line[p.to - 1];
    const hit = state.mutes.filter((m) => m.to >= first && m.from <= last).sort((a, b) => a.from - b.from);
    const out = [];
    let start = p.from;
    for (const m of hit) {
      let a = start;
      while (a < p.to && p.geo.line[a] < m.from) a++;
      let b = a;
      while (b < p.to && p.geo.line[b] <= m.to) b++;
      if (a > start) out.push({ ...p, from: start, to: a });
      if (b > a) out.push({ ...p, from: a, to: b, ghost: true });
      start = b;
    }
    if (start < p.to) out.push({ ...p, from: start, to: p.to });
    return out;
  }

  // ---- drawing
  const shown = { left: null, right: null }; // what hovering asks
  const laid = (geo, from, to, last) => {
    for (let i = last ? to - 1 : from; last ? i >= from : i < to; i += last ? -1 : 1) if (geo.kind[i] !== WAY) return i;
    return -1;
  };
  const next = () => nextFilament()?.colour;

  // What layer n shows of pockets: those that are open on it, what lies in them
  // once it is laid, and the ways that are lifted over that.
  const holes = (n) => book.hollows.filter((h) => n >= h.first && n <= h.last).map((h) => { const r = h.rows.findLast((x) => x[0] <= n) || h.rows[0]; return { ...h, w: r[1], d: r[2] }; });
  const lying = (n) => state.sits.filter((s) => n >= s.from && n < s.until);
  const leaps = (n, from = 0, to = Infinity) => state.overs.filter((o) => o.layer === n && o.line >= from && o.line < to).map((o) => o.way);

  const mend = new Mend(root, {
    id, view, canvas, shown, order, redraw: () => pages(), mutes: () => state.mutes,
    fold: () => state.fold, path: () => state.path, step: () => along(1),
  });
  const chosen = (n, geo) => (mend.on && geo ? mend.parts(n, geo, leaves.ready.get(`t${n}`)) : []);

  let turn = 0, idle = 0;
  async function pages() {
    const mine = ++turn;
    const n = state.fold;
    const inside = state.path > 0;
    const [l, r, t] = await Promise.all([layer(n - 1), layer(n), order(n)]);
    if (mine !== turn) return;
    if ((!l && n > 1) || (!r && n <= N)) say("A layer could not be loaded. Is Dogear still running?");
    const rest = state.rest ? next() : "";
    if (inside && r && t) {
      const cut = cutAt(t, r);
      shown.left = { n, geo: r, from: 0, to: cut };
      shown.right = { n, geo: r, from: cut, to: r.n };
      draw(canvas.left, view, { parts: parts(n, r, 0, cut), chosen: chosen(n, r), sits: lying(n), overs: leaps(n, 0, r.line[cut] ?? Infinity), below: l, travel: state.travel, at: { geo: r, piece: laid(r, 0, cut, true), end: true, text: "ends here" } });
      draw(canvas.right, view, { parts: parts(n, r, cut, r.n, rest), chosen: chosen(n, r), sits: lying(n), overs: leaps(n, r.line[cut] ?? 0), below: l, travel: state.travel, at: { geo: r, piece: laid(r, cut, r.n, false), end: false, text: "begins here" } });
    } else {
      shown.left = l && { n: n - 1, geo: l, from: 0, to: l.n };
      shown.right = r && { n, geo: r, from: 0, to: r.n };
      draw(canvas.left, view, n === 1 ? { nothing: "the bare bed" } : { parts: l ? parts(n - 1, l, 0, l.n) : [], chosen: chosen(n - 1, l), holes: holes(n - 1).filter((h) => !lying(n - 1).some((s) => s.x === h.x && s.y === h.y)), sits: lying(n - 1), overs: leaps(n - 1), travel: state.travel, at: l && { geo: l, piece: laid(l, 0, l.n, true), end: true, text: "ends here" } });
      const page = n > N ? { nothing: "nothing more: the print is done" } : { parts: r ? parts(n, r, 0, r.n, rest) : [], chosen: chosen(n, r), sits: lying(n), overs: leaps(n), below: l, travel: state.travel, at: r && { geo: r, piece: laid(r, 0, r.n, false), end: false, text: "begins here" } };
      const over = (o) => { if (o) { draw(canvas.right, view, { ...page, overlay: o }); notes(o); } };
      const o = n > 1 ? leaves.ready.get(`o${n}`) : null;
      if (o) over(o);
      else {
        draw(canvas.right, view, page);
        if (n > 1) overlay(n).then((v) => { if (mine === turn) over(v); });
      }
    }
    ribbonNow(t);
    mend.drawn();
    root.dispatchEvent(new Event("dogear:drawn"));
    for (const k of [n + 1, n - 2, n + 2]) layer(k);
    for (const k of [n + 1, n - 1]) { order(k); overlay(k); }
    clearTimeout(idle);
    idle = setTimeout(async () => {
      for (const k of [n + 1, n - 2]) {
        const g = await layer(k);
        if (mine !== turn || !g) continue;
        const p = parts(k, g, 0, g.n);
        if (p.length === 1) ahead(canvas.right, view, p[0], state.travel);
      }
    }, 30);
  }

  function cutAt(t, geo) {
    if (state.time >= 0) { // playing: inside a path too
      const p = t.paths.findLast((x) => x.begin <= state.time);
      if (!p) return 0;
      const f = Math.min(1, (state.time - p.begin) / Math.max(p.end - p.begin, 1e-6));
      return Math.round(p.from + f * (p.to - p.from));
    }
    return state.path < t.paths.length ? t.paths[state.path].from : geo.n;
  }

  function notes(o) {
    const a = o.area.fresh, b = o.area.covered;
    const words = [];
    if (a > 0.5) words.push(`new here: ${a.toFixed(0)} mm² over nothing`);
    if (b > 0.5) words.push(`covered here: ${b.toFixed(0)} mm²`);
    if (words.length) put("right-hover", words.join(" · "));
  }

  function ribbonNow(t) {
    const n = state.fold;
    if (!t || !t.paths.length) { ribbon.replaceChildren(); put("thread-title", "Thread"); put("thread-note", n > N ? "the print is done" : ""); return; }
    const time = state.time >= 0 ? state.time : state.path < t.paths.length ? (state.path ? t.paths[state.path].begin : 0) : t.seconds;
    thread.draw(t, state.path, time, state.ears.filter((e) => e.before === n && e.line), state.overs.filter((o) => o.layer === n));
    put("thread-title", `Thread of layer ${n}`);
    const p = t.paths[Math.min(state.path, t.paths.length - 1)];
    put("thread-note", state.path === 0 ? `${hours(t.seconds)} · ${count(t.paths.length)} paths · drag the marker to fold inside the layer`
      : state.path < t.paths.length ? `after ${state.path} of ${count(t.paths.length)} paths, ${hours(time)} in · next: ${p.name}, line ${count(p.line)}` : `the whole layer, ${hours(t.seconds)}`);
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
    if (n > N) { p.append(b(endOf(N)), ` ends with layer ${N}${name(N)} · the print is done`); return; }
    if (state.path > 0) {
      const line = lineNow();
      const x = bandAt(n, line - 1), y = bandAt(n, line);
      if (x === y) p.append(`Inside layer ${n}${name(n)}, in front of line ${count(line)} · all `, b(x));
      else p.append(b(x), ` ends inside layer ${n}${name(n)} · `, b(y), ` begins in front of line ${count(line)}`);
      return;
    }
    if (n === 1) { p.append("Nothing is laid yet · ", b(bandAt(1)), ` begins with layer 1${name(1)}`); return; }
    const x = endOf(n - 1), y = bandAt(n);
    if (x === y) p.append(`Layer ${n - 1} is laid · layer ${n} comes next${name(n)} · both `, b(x));
    else p.append(b(x), ` ends with layer ${n - 1} · `, b(y), ` begins with layer ${n}${name(n)}`);
  }

  let threadNow = null; // of the layer above the fold, once it is here
  const lineNow = () => (state.path > 0 && threadNow ? (threadNow.paths[state.path]?.line ?? 0) : 0);

  async function show() {
    const n = state.fold;
    if (n < 1) return; // not opened yet
    threadNow = state.path > 0 ? await order(n) : null;
    if (n !== state.fold) return;
    const inside = state.path > 0;
    put("what", inside ? "Inside at" : "Fold at");
    put("height", mm(inside ? book.z[n - 1] : spine.under(n)));
    sentence();
    put("left-hover", "");
    put("right-hover", "");
    put("left-name", inside ? `Layer ${n}` : n === 1 ? "The bed" : `Layer ${n - 1}`);
    put("left-note", inside ? "the part already laid" : n === 1 ? "" : `already laid · ${mm(book.z[n - 2])} mm`);
    put("right-name", n > N ? "Done" : `Layer ${n}`);
    put("right-note", n > N ? "" : inside ? "the part still to come" : `laid next · ${mm(book.z[n - 1])} mm · ${hours(book.took[n - 1])}`);
    canvas.left.setAttribute("aria-label", inside ? `The part of layer ${n} already laid` : n === 1 ? "The bare bed" : `Layer ${n - 1} from above, the last one laid`);
    canvas.right.setAttribute("aria-label", n > N ? "Nothing more" : inside ? `The part of layer ${n} still to come` : `Layer ${n} from above, laid next`);
    svg.setAttribute("aria-valuemax", N + 1);
    svg.setAttribute("aria-valuenow", n);
    svg.setAttribute("aria-valuetext", `${mm(spine.under(n))} mm, before layer ${n}`);
    const ear = earHere();
    const corner = q("[data-corner]");
    corner.toggleAttribute("hidden", !ear);
    if (ear) {
      const p = corner.querySelector("path");
      p.setAttribute("class", ear.colour ? "" : "fill-shade stroke-ink");
      if (ear.colour) p.setAttribute("fill", ear.colour);
    }
    spine.draw(n, state.ears, state.bands, state.rest && n <= N ? next() : "", inside, state.mutes, state.sits, state.changes);
    put("scale", spine.lens > 1 ? "drawn wider round the fold" : spine.taller > 1.05 ? `heights drawn ${spine.taller.toFixed(spine.taller < 10 ? 1 : 0)}× taller` : "");
    margin();
    loadCover();
    pages();
  }

  const earHere = () => state.ears.find((e) => e.before === state.fold && (state.path > 0 ? e.line && threadNow && pathOf(threadNow, e.line) === state.path : !e.line));

  function margin() {
    const n = state.fold, ear = earHere();
    for (const li of root.querySelectorAll("[data-ear]")) {
      const open = li.dataset.ear === ear?.id;
      li.dataset.open = open;
      const more = li.querySelector("[data-more]");
      more.hidden = !open;
      if (open && more.dataset.lean !== undefined) { // of many ears, the inside comes when it is opened
        delete more.dataset.lean;
        htmx.ajax("GET", `/prints/${id}/ears/${ear.id}`, { source: more, target: more, swap: "innerHTML" });
      }
      li.querySelector("[data-jump]").setAttribute("aria-expanded", open);
    }
    q("#before").value = state.path > 0 ? "" : n;
    q("#line").value = lineNow() || "";
    q("#ch-from").value = Math.min(n, N);
    q("#ch-line").value = state.path > 0 ? lineNow() || "" : "";
    const end = n > N || (state.path > 0 && !lineNow());
    q("[data-mark]").hidden = !!ear || end;
    put("mark-title", state.path > 0 ? `Mark the fold inside layer ${n}` : n <= N ? `Mark the fold before layer ${n}` : "");
    const here = n > 1 || state.path > 0 ? filamentBefore() : "";
    for (const b of root.querySelectorAll("[data-mark] [data-filament]")) b.disabled = b.dataset.filament === here;
  }

  const filamentBefore = () => (state.path > 0 ? bandAt(state.fold, lineNow() - 1) : endOf(Math.max(state.fold - 1, 1)))?.filament;

  // loadCover shows the cover, with what is left from the fold on in the next colour when
  // that is asked for.
  function loadCover() {
    const colour = state.rest && state.fold <= N ? next() : "";
    cover.load(state.fold, state.ears, state.bands, colour ? { from: state.fold, line: state.path > 0 ? lineNow() || 0 : 0, colour } : null);
  }

  // fromWhere says from which side what is left is seen.
  const fromWhere = () => (state.fold === 1 ? "below" : "above");

  // seeRest shows what is left to be laid in the next colour, on the cover.
  function seeRest() {
    cover.root.open = true;
    cover.root.scrollIntoView({ block: "nearest" });
    if (!state.rest) return acts.rest();
    cover.ask(fromWhere());
    loadCover();
  }

  // nextFilament is the one that a mark would put here: the filament before the
  // last one comes back, since bands usually take turns.
  function nextFilament() {
    const here = filamentBefore();
    const earlier = state.bands.filter((b) => b.from < state.fold).map((b) => b.filament).reverse().find((f) => f !== here);
    const slug = earlier || [...root.querySelectorAll("[data-mark] [data-filament]")].map((b) => b.dataset.filament).find((f) => f !== here);
    return slug ? { slug, ...book.filaments[slug] } : null;
  }

  // ---- the fold
  function remember() {
    const u = new URL(location.href);
    u.searchParams.set("before", state.fold);
    const line = lineNow();
    if (state.path > 0 && line) u.searchParams.set("line", line); else u.searchParams.delete("line");
    history.replaceState(null, "", u);
    const nav = document.querySelector('nav a[href*="/lines"]');
    if (nav) nav.href = `/prints/${id}/lines?line=${line || book.fold[Math.min(state.fold, N) - 1]}`;
  }

  async function go(n, path = 0) {
    n = Math.max(1, Math.min(N + 1, n));
    if (n === state.fold && path === state.path && state.time < 0) return;
    stop();
    state.fold = n;
    state.path = n > N ? 0 : path;
    await show();
    remember();
  }

  // goLine folds inside the layer a line belongs to, in front of the path that
  // the line opens or lies in.
  async function goLine(n, line) {
    const t = await order(n);
    if (!t) return go(n);
    await go(n, pathOf(t, line));
  }

  async function along(by) {
    const t = await order(state.fold);
    if (!t) return;
    const k = state.path + by;
    if (k < 0) { const b = await order(state.fold - 1); return b ? go(state.fold - 1, b.paths.length - 1) : undefined; }
    if (k >= t.paths.length) return go(state.fold + 1);
    return go(state.fold, k);
  }

  // ---- playing the thread: a layer in about eight seconds
  let frame = 0;
  function stop() {
    cancelAnimationFrame(frame);
    frame = 0;
    state.time = -1;
    press("play", false);
  }
  async function play() {
    if (frame) { const t = await order(state.fold); const k = t.paths.findIndex((p) => p.begin > state.time); stop(); state.path = k < 0 ? t.paths.length : k; await show(); return remember(); }
    const t = await order(state.fold);
    if (!t || !t.paths.length) return;
    const still = matchMedia("(prefers-reduced-motion: reduce)").matches;
    if (still) return along(1);
    const from = state.path < t.paths.length ? t.paths[state.path].begin : 0;
    const rate = Math.max(t.seconds / 8, 1), start = performance.now();
    state.path = Math.max(state.path, 1);
    press("play", true);
    const tick = (now) => {
      state.time = from + ((now - start) / 1000) * rate;
      if (state.time >= t.seconds) { stop(); return go(state.fold + 1); }
      frame = requestAnimationFrame(tick);
      pages();
    };
    await show();
    frame = requestAnimationFrame(tick);
  }

  function marks() {
    const m = q("#margin");
    const d = JSON.parse(m.dataset.marks);
    state.ears = d.ears;
    state.bands = d.bands;
    state.mutes = d.mutes;
    state.changes = d.changes;
    state.overs = d.overs;
    state.sits = d.sits;
    if (m.dataset.said) { say(m.dataset.said); delete m.dataset.said; }
  }

  function mark() {
    const ear = earHere();
    if (ear) return root.querySelector(`[data-ear="${ear.id}"] [data-remove]`)?.click();
    if (q("[data-mark]").hidden) return say("There is nothing above this fold to mark.");
    const f = nextFilament();
    (root.querySelector(`[data-mark] [data-filament="${f?.slug}"]`) || q("[data-mark] [data-plain]")).click();
  }

  // mute leaves the next path of the thread out, or brings it back.
  async function mute() {
    const t = await order(state.fold);
    const p = t?.paths[state.path];
    if (!p) return say("There is no path above this fold.");
    const m = state.mutes.find((x) => x.from <= p.first && p.last <= x.to);
    const values = m || { from: p.first, to: p.last };
    htmx.ajax("POST", `/prints/${id}/mutes${m ? "/remove" : ""}`, { source: q("#margin"), values });
  }

  const goEar = (e) => (e.line ? goLine(e.before, e.line) : go(e.before));
  const key = (e) => e.before * 1e12 + (e.line || 0);
  function earAfter(dir) {
    const now = state.fold * 1e12 + lineNow();
    const list = state.ears.filter((e) => (dir > 0 ? key(e) > now : key(e) < now)).sort((a, b) => dir * (key(a) - key(b)));
    if (list.length) goEar(list[0]); else say(dir > 0 ? "There is no ear above." : "There is no ear below.");
  }
  function landmark() {
    const now = state.fold * 1e12 + lineNow();
    const list = book.landmarks.filter((m) => key(m) > now).sort((a, b) => key(a) - key(b));
    // One that lies where the fold is already is no step upward.
    const next = list.find((m) => m.before !== state.fold || !threadNow || (m.line ? pathOf(threadNow, m.line) : 0) !== state.path);
    if (!next) return say(book.landmarks.length ? "There is no landmark above." : "No fold of this print stands out.");
    goEar(next).then(() => say(next.reason + "."));
  }

  // putIn marks the pocket that is open at this fold, or the next one above.
  function putIn() {
    const all = [...root.querySelectorAll("[data-pocket]")].map((e) => ({ e, before: Number(e.dataset.pocket) })).filter((p) => p.before >= state.fold).sort((a, b) => a.before - b.before);
    if (!all.length) return say(book.hollows.length ? "There is no pocket above that is closed later." : "This print has no pocket.");
    all[0].e.querySelector("[data-put]").click();
  }

  const acts = {
    up: () => go(state.fold + 1), down: () => go(state.path > 0 ? state.fold : state.fold - 1), up10: () => go(state.fold + 10), down10: () => go(state.fold - 10),
    choose: () => { mend.toggle(); press("choose", mend.on); }, home: () => go(1), end: () => go(N + 1), next: () => earAfter(1), prev: () => earAfter(-1), mark, landmark, play, mute, putIn,
    on: () => along(1), back: () => along(-1),
    side: () => { spine.side = !spine.side; press("side", spine.side); show(); },
    travel: () => { state.travel = !state.travel; press("travel", state.travel); pages(); },
    rest: () => { state.rest = !state.rest; press("rest", state.rest); cover.ask(state.rest ? fromWhere() : ""); show(); },
    cover: () => { cover.root.open = !cover.root.open; },
    fit: () => { view.fit(); pages(); },
    keys: () => document.querySelector("[data-keys]").showModal(),
    undo: () => q('#margin [data-act="undo"]').click(), redo: () => q('#margin [data-act="redo"]').click(),
    goto: () => { q("#goto").focus(); q("#goto").select(); },
  };
  function press(act, on) { q(`button[data-act="${act}"]`).setAttribute("aria-pressed", on); }
  for (const a of ["side", "travel", "rest", "play", "choose"]) press(a, false);

  root.addEventListener("click", (e) => {
    const b = e.target.closest("[data-act]");
    if (b && !b.closest("#margin") && acts[b.dataset.act]) return acts[b.dataset.act]();
    const j = e.target.closest("[data-jump]");
    if (!j) return;
    const there = goEar({ before: Number(j.dataset.jump), line: Number(j.dataset.jumpLine || 0) });
    if (j.hasAttribute("data-rest")) there.then(seeRest);
  });

  const keys = { ArrowUp: "up", ArrowDown: "down", ArrowLeft: "back", ArrowRight: "on", Home: "home", End: "end", n: "next", p: "prev", m: "mark", i: "putIn", l: "landmark", "/": "goto", u: "undo", U: "redo", s: "side", t: "travel", r: "rest", f: "fit", c: "cover", x: "mute", e: "choose", " ": "play", "?": "keys" };
  document.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey || document.querySelector("dialog[open]")) return;
    if (e.target.closest("input, textarea, select")) { if (e.key === "Escape") e.target.blur(); return; }
    if (e.target.closest("summary, button, a") && (e.key === "Enter" || e.key === " ")) return;
    let act = keys[e.key];
    if (mend.on && e.key === "Escape") act = "choose";
    if (mend.on && e.key === "x" && mend.chosen.size) { e.preventDefault(); return mend.mute(); }
    if (e.shiftKey && e.key === "ArrowUp") act = "up10";
    if (e.shiftKey && e.key === "ArrowDown") act = "down10";
    if (!act) return;
    e.preventDefault();
    acts[act]();
  });

  q("[data-goto]").addEventListener("submit", async (e) => {
    e.preventDefault();
    const r = understand(q("#goto").value, book);
    if (r.error) return say(r.error);
    q("#goto").blur();
    await (r.line && r.line > book.fold[r.fold - 1] ? goLine(r.fold, r.line) : go(r.fold));
    say(`${r.said}: ${state.path > 0 ? `fold inside it, in front of line ${count(lineNow())}` : `fold before layer ${state.fold}`}.`);
  });

  cover.root.addEventListener("toggle", loadCover);
  cover.root.addEventListener("click", (e) => {
    const b = e.target.closest("button");
    if (!b) return;
    if (b.dataset.view) {
      cover.show(b.dataset.view);
    } else {
      cover.cut = !cover.cut;
      b.setAttribute("aria-pressed", cover.cut);
    }
    loadCover();
  });

  const signOf = (ear) => root.querySelector(`[data-ear="${ear}"]`)?.dataset.sign || "";
  hands({ id, N, svg, ribbon, canvas, view, spine, thread, mend, shown, state, order, go, goEar, pages, put, signOf, fit: () => acts.fit() });

  // What was open in the margin stays open when it is sent anew.
  let opened = [], focus = "";
  document.addEventListener("htmx:beforeSwap", () => {
    opened = [...root.querySelectorAll("#margin details[open]")].map((d) => d.id);
    focus = document.activeElement?.closest("#margin") ? document.activeElement.id : "";
  });
  root.addEventListener("input", (e) => { if (e.target.id === "ch-from") q("#ch-line").value = ""; });
  root.addEventListener("change", async (e) => {
    if (e.target.dataset?.newer !== undefined && e.target.files[0]) {
      send(e.target.files[0], { url: `/prints/${id}/version`, list: root.querySelector("[data-arrivals]"), done: (v) => { location.href = `/prints/${v}`; } });
      e.target.value = "";
      return;
    }
    const f = e.target.dataset?.plan && e.target.files[0];
    if (!f) return;
    if (f.size > 900000) return say("This is too large to be a plan.");
    htmx.ajax("POST", e.target.dataset.plan, { source: q("#margin"), values: { plan: await f.text() } });
    e.target.value = "";
  });
  document.addEventListener("htmx:afterSettle", () => { if (root.querySelector("#margin")) settled(); });
  async function settled() {
    for (const i of opened) document.getElementById(i)?.setAttribute("open", "");
    opened = [];
    marks();
    await show();
    if (focus && document.activeElement === document.body) document.getElementById(focus)?.focus();
    focus = "";
  }
  // ---- what others do: the server tells the version of what is marked
  document.addEventListener("htmx:configRequest", (e) => {
    const card = e.detail.elt.closest?.("[data-ear]");
    if (card && e.detail.verb === "post") e.detail.headers["X-Ear"] ??= card.dataset.sign;
    const open = root.querySelector('[data-ear][data-open="true"]');
    if (open) e.detail.headers["X-Open"] = open.dataset.ear;
  });
  others(root, id, found);

  // found takes in what was found by looking at the layers, once it is.
  let finding = false;
  async function found() {
    if (finding) return;
    finding = true;
    const r = await fetch(`/prints/${id}/book`).catch(() => null);
    if (r?.ok) {
      const { landmarks, hollows, front, side } = await r.json();
      Object.assign(book, { landmarks, hollows, front, side });
      await htmx.ajax("GET", `/prints/${id}/finds`, { source: q("#finds"), target: "#finds", swap: "outerHTML" });
    }
    finding = false;
  }
  new ResizeObserver(() => show()).observe(canvas.left);
  window.addEventListener("dogear:theme", show);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", show);

  marks();
  const asked = new URL(location.href).searchParams;
  const first = state.ears[0];
  const n = Number(asked.get("before")) || first?.before || Math.ceil((N + 1) / 2);
  state.fold = 0;
  const line = Number(asked.get("line")) || (asked.get("before") ? 0 : first?.line) || 0;
  await (line ? goLine(n, line) : go(n));
  root.dataset.ready = "true";
}
