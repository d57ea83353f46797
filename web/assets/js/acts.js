import htmx from "htmx.org";
import { pathOf } from "./thread.js";
import { Goto } from "./goto.js";
import { say } from "./say.js";

// acts are what can be done on the bench by button and by key.
export function acts(b) {
  const { root, state, q, id, N, book, spine, cover, view, mend } = b;
  const turn = (act, on) => b.press(act, on);
  const box = new Goto(b);
  const all = {
    up: () => b.go(state.fold + 1),
    down: () => b.go(state.path > 0 ? state.fold : state.fold - 1),
    up10: () => b.go(state.fold + 10),
    down10: () => b.go(state.fold - 10),
    home: () => b.go(1),
    end: () => b.go(N + 1),
    on: () => b.along(1),
    back: () => b.along(-1),
    next: () => earAfter(1),
    prev: () => earAfter(-1),
    play: () => b.player.toggle(),
    mark,
    landmark,
    mute,
    putIn,
    choose: () => {
      mend.toggle();
      turn("choose", mend.on);
    },
    side: () => {
      spine.side = !spine.side;
      turn("side", spine.side);
      b.show();
    },
    travel: () => {
      state.travel = !state.travel;
      turn("travel", state.travel);
      b.pages.draw();
    },
    rest: () => {
      state.rest = !state.rest;
      turn("rest", state.rest);
      cover.ask(state.rest ? fromWhere() : "");
      b.show();
    },
    cover: () => {
      cover.root.open = !cover.root.open;
    },
    fit: () => {
      view.fit();
      b.pages.draw();
    },
    keys: () => document.querySelector("[data-keys]").showModal(),
    undo: () => q('#margin [data-act="undo"]').click(),
    redo: () => q('#margin [data-act="redo"]').click(),
    goto: () => box.focus(),
    card,
    among,
    add,
    seeRest,
  };

  function mark() {
    const ear = b.earHere();
    if (ear) return root.querySelector(`[data-ear="${ear.id}"] [data-remove]`)?.click();
    if (q("[data-mark]").hidden) return say("There is nothing above this fold to mark.");
    const button = `[data-mark] [data-filament="${b.nextFilament()?.slug}"]`;
    (root.querySelector(button) || q("[data-mark] [data-plain]")).focus();
    say("Choose with the arrow keys, then press Enter.");
  }

  // card goes to the card of the ear at the fold.
  function card() {
    const ear = b.earHere();
    if (!ear) return say("There is no ear at this fold; m marks it.");
    const c = root.querySelector(`[data-ear="${ear.id}"] [data-more]`);
    (c.querySelector("[aria-pressed=true], input, select") || c).focus();
  }

  // add offers the marks for something else at the same stop.
  async function add() {
    if (!b.earHere()) return mark();
    state.adding = true;
    await b.show();
    root.querySelector("[data-mark] button:not(:disabled)")?.focus();
  }

  // among moves the focus among the marks that are offered.
  function among(e) {
    const offered = [...root.querySelectorAll("[data-mark] button:not(:disabled)")];
    const k = offered.indexOf(document.activeElement);
    const by = { ArrowRight: 1, ArrowDown: 2, ArrowLeft: -1, ArrowUp: -2 }[e.key];
    if (k < 0 || (!by && e.key !== "Escape")) return false;
    if (by) offered[Math.max(0, Math.min(offered.length - 1, k + by))].focus();
    else b.svg.focus();
    return true;
  }

  // mute leaves the next path of the thread out, or brings it back.
  async function mute() {
    const t = await b.book.order(state.fold);
    const p = t?.paths[state.path];
    if (!p) return say("There is no path above this fold.");
    const m = state.mutes.find((x) => x.from <= p.first && p.last <= x.to);
    const values = m || { from: p.first, to: p.last };
    htmx.ajax("POST", `/prints/${id}/mutes${m ? "/remove" : ""}`, { source: q("#margin"), values });
  }

  const order = (e) => e.before * 1e12 + (e.line || 0);
  const now = () => order({ before: state.fold, line: b.lineNow() });

  function earAfter(dir) {
    const list = state.ears
      .filter((e) => (dir > 0 ? order(e) > now() : order(e) < now()))
      .sort((x, y) => dir * (order(x) - order(y)));
    if (list.length) b.goEar(list[0]);
    else say(dir > 0 ? "There is no ear above." : "There is no ear below.");
  }

  function landmark() {
    const t = b.threadNow;
    const list = book.landmarks
      .filter((m) => order(m) > now())
      .sort((x, y) => order(x) - order(y))
      // One that lies where the fold is already is no step upward.
      .filter(
        (m) => m.before !== state.fold || !t || (m.line ? pathOf(t, m.line) : 0) !== state.path,
      );
    if (list.length) return b.goEar(list[0]).then(() => say(list[0].reason + "."));
    const any = book.landmarks.length;
    say(any ? "There is no landmark above." : "No fold of this print stands out.");
  }

  // putIn marks the pocket that is open at this fold, or the next one above.
  function putIn() {
    const pockets = [...root.querySelectorAll("[data-pocket]")]
      .map((e) => ({ e, before: Number(e.dataset.pocket) }))
      .filter((p) => p.before >= state.fold)
      .sort((x, y) => x.before - y.before);
    if (pockets.length) return pockets[0].e.querySelector("[data-put]").click();
    const any = book.hollows.length;
    say(any ? "There is no pocket above that is closed later." : "This print has no pocket.");
  }

  // fromWhere says from which side what is left is seen.
  const fromWhere = () => (state.fold === 1 ? "below" : "above");

  // seeRest shows what is left to be laid in the next colour, on the cover.
  function seeRest() {
    cover.root.open = true;
    cover.root.scrollIntoView({ block: "nearest" });
    if (!state.rest) return all.rest();
    cover.ask(fromWhere());
    b.loadCover();
  }

  for (const a of ["side", "travel", "rest", "play", "choose"]) turn(a, false);
  return all;
}

const keys = {
  ArrowUp: "up",
  ArrowDown: "down",
  ArrowLeft: "back",
  ArrowRight: "on",
  Home: "home",
  End: "end",
  n: "next",
  p: "prev",
  m: "mark",
  o: "card",
  a: "add",
  i: "putIn",
  l: "landmark",
  "/": "goto",
  u: "undo",
  U: "redo",
  s: "side",
  t: "travel",
  r: "rest",
  f: "fit",
  c: "cover",
  x: "mute",
  e: "choose",
  " ": "play",
  "?": "keys",
};

// listen carries the acts out, at a button and at a key.
export function listen(b) {
  const { root, mend, cover } = b;
  root.addEventListener("click", (e) => {
    const button = e.target.closest("[data-act]");
    if (button && !button.closest("#margin") && b.acts[button.dataset.act])
      return b.acts[button.dataset.act]();
    if (e.target.closest("[data-add]")) return b.acts.add();
    const j = e.target.closest("[data-jump]");
    if (!j) return;
    const card = j.closest("[data-ear]");
    if (card) return b.pick(card.dataset.ear);
    const line = Number(j.dataset.jumpLine || 0);
    const there = b.goEar({ before: Number(j.dataset.jump), line });
    if (j.hasAttribute("data-rest")) there.then(b.acts.seeRest);
  });

  document.addEventListener(
    "keydown",
    (e) => {
      if (e.altKey || document.querySelector("dialog[open]")) return;
      const typing = e.target.closest("input, textarea, select");
      if (e.ctrlKey || e.metaKey) {
        // As everywhere: what is typed into a box is undone there.
        if (typing || e.key.toLowerCase() !== "z") return;
        e.preventDefault();
        return b.acts[e.shiftKey ? "redo" : "undo"]();
      }
      if (typing) {
        if (e.key === "Escape") e.target.blur();
        return;
      }
      if (e.target.closest("summary, button, a") && (e.key === "Enter" || e.key === " ")) return;
      if (b.acts.among(e)) return e.preventDefault();
      let act = keys[e.key];
      if (mend.on && e.key === "Escape") act = "choose";
      if (mend.on && e.key === "x" && mend.chosen.size) {
        e.preventDefault();
        return mend.mute();
      }
      if (e.shiftKey && e.key === "ArrowUp") act = "up10";
      if (e.shiftKey && e.key === "ArrowDown") act = "down10";
      if (!act) return;
      e.preventDefault();
      b.acts[act]();
    },
    { signal: b.gone },
  );

  cover.root.addEventListener("toggle", () => b.loadCover());
  cover.root.addEventListener("click", (e) => {
    const button = e.target.closest("button");
    if (!button) return;
    if (button.dataset.view) {
      cover.show(button.dataset.view);
    } else {
      cover.cut = !cover.cut;
      button.setAttribute("aria-pressed", cover.cut);
    }
    b.loadCover();
  });
}
