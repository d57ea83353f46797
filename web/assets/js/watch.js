import { contrast } from "./colour.js";
import { csrf, say } from "./say.js";
import { count, hours } from "./words.js";

// watch is the page beside the printer. The server knows where the print is; between two
// answers the page counts down by itself, and calls when the time has come.
export function watch(page, signal) {
  const id = page.dataset.watch;
  const out = (name) => page.querySelector(`[data-out="${name}"]`);
  const put = (name, text) => {
    out(name).textContent = text;
  };
  let state = JSON.parse(page.dataset.state);
  let came = Date.now(); // when the state did
  let called = ""; // for which stop, so that it calls once
  let awake = null;
  let audio = null;

  const settings = {
    sound: "yes",
    buzz: "yes",
    from: "",
    to: "",
    ...JSON.parse(localStorage.getItem("dogear-watch") || "{}"),
  };

  // left is how long until the next stop, by now.
  const left = () => Math.max(0, state.left - ((Date.now() - came) / 1000) * state.fast);
  // often is how often something is done that is usually done every so many ms.
  const often = (ms) => Math.max(200, ms / state.fast);

  async function ask(path, body) {
    const r = await fetch(`/prints/${id}/watch/${path}`, {
      method: body ? "POST" : "GET",
      body: body && new URLSearchParams(body),
      headers: { "X-Csrf-Token": csrf(), Accept: "application/json" },
    }).catch(() => null);
    if (!r) return say("Dogear does not answer. Is it still running?");
    const answer = await r.json().catch(() => ({}));
    if (!r.ok) return say(answer.error || "That was not taken.");
    if (answer.to) {
      location.href = answer.to;
      return;
    }
    state = answer;
    came = Date.now();
    show();
  }

  const calls = () => state.state === "waits" || state.state === "due";

  function show() {
    const part = { waits: "call", due: "call" }[state.state] || state.state;
    for (const s of page.querySelectorAll("[data-show]")) s.hidden = s.dataset.show !== part;
    page.querySelector("[data-tell]").hidden = ["ready", "over"].includes(state.state);
    page.querySelector("[data-last]").hidden = !state.last;
    page.querySelector('[data-do="stopped"]').hidden = state.last;
    page.querySelector("[data-early]").hidden = state.state !== "due";
    const { next } = state;
    if (part === "runs") {
      put("until", next ? `until ${next.title}, layer ${next.layer}` : "until the end");
      page.querySelector("[data-ready]").hidden = !next?.ready.length;
      list("ready", next?.ready || []);
    }
    if (calls()) {
      put("call", next.colour ? `${next.title} now` : next.title);
      put(
        "change",
        [
          state.state === "due" ? "It should have stopped by now." : "",
          next.out ? `Out with ${next.out}` : "",
          next.purge ? `purge ${next.purge} mm` : "",
        ]
          .filter(Boolean)
          .join(" · "),
      );
      list("steps", next.steps);
      // What goes in is in place, a colour is clean: that is what is asked.
      put(
        "goes-on",
        { colour: "Clean, it goes on", insert: "In place, it goes on" }[next.kind] ||
          "Done, it goes on",
      );
      page.querySelector("[data-clean]").hidden = !next.learns;
      call(`${state.state} ${next.ear}`);
    } else called = "";
    paint(calls() && next.colour ? next : null);
    put(
      "about",
      state.layer
        ? `about layer ${count(state.layer)} of ${count(state.layers)}, ` +
            `${Math.round(state.percent)} %`
        : "",
    );
    page.querySelector("[data-past]").hidden = !state.stops.length;
    list(
      "past",
      state.stops.map((s) => `✓ ${s.title}, ${hours(s.took)}`),
    );
    page.querySelector("[data-list]").hidden = !state.coming.length;
    list(
      "coming",
      state.coming.map((c) => `${c.title}, in ${hours(c.left)}`),
    );
    if (state.over) {
      const { wrong, took, stood, rate, kept } = state.over;
      put("ended", wrong ? "It ended before its time" : `Printed in ${hours(took)}`);
      put(
        "learned",
        [
          stood ? `It waited for you for ${hours(stood)}.` : "",
          rate ? `This printer took ${rate.toFixed(2)} times what the file estimates.` : "",
          kept ? "The next watch on it begins with what was learned." : "",
        ]
          .filter(Boolean)
          .join(" "),
      );
    }
    tick();
    keepAwake();
  }

  function list(name, items) {
    out(name).replaceChildren(
      ...items.map((text) => Object.assign(document.createElement("li"), { textContent: text })),
    );
  }

  // paint fills the screen with the colour that goes in, the one that comes out in a corner.
  function paint(next) {
    const fill = page.querySelector("[data-fill]"),
      panel = page.querySelector("[data-panel]");
    fill.toggleAttribute("hidden", !next);
    page.querySelector("[data-where]").hidden = !!next; // it would stand on the other colour
    panel.style.color = "";
    if (!next) return;
    page.querySelector("[data-fill-new]").setAttribute("fill", next.colour);
    page.querySelector("[data-fill-old]").setAttribute("fill", next.was || next.colour);
    const ink = contrast(next.colour, "#20262b") >= contrast(next.colour, "#fdfaf3");
    panel.style.color = ink ? "#20262b" : "#fdfaf3";
  }

  function tick() {
    if (state.state !== "runs") return;
    const s = left();
    const h = Math.floor(s / 3600),
      m = Math.floor((s % 3600) / 60),
      two = (n) => String(n).padStart(2, "0");
    put("left", h ? `${h}:${two(m)}` : `${m}:${two(Math.floor(s % 60))}`);
    out("left").setAttribute("aria-label", `${hours(s)} until the next stop`);
    document.title = `${out("left").textContent} · Dogear`;
    if (s === 0) ask("now"); // it should stop just now
  }

  // quiet reports whether nobody wants to be called at this time of day.
  function quiet() {
    const { from, to } = settings;
    if (!from || !to) return false;
    const now = new Date().toTimeString().slice(0, 5);
    return from < to ? now >= from && now < to : now >= from || now < to;
  }

  function call(what) {
    if (called === what) return;
    called = what;
    document.title = `${out("call").textContent} · Dogear`;
    if (!quiet()) noise();
  }

  function noise() {
    // A browser lets nobody be called from a page that was never touched.
    if (navigator.userActivation && !navigator.userActivation.hasBeenActive)
      return say("Touch this page once, so that it may call you the next time.");
    if (settings.buzz === "yes") navigator.vibrate?.([300, 150, 300, 150, 600]);
    if (settings.sound !== "yes" || !window.AudioContext) return;
    audio ||= new AudioContext();
    audio.resume();
    for (let k = 0; k < 6; k++) {
      const tone = audio.createOscillator(),
        loud = audio.createGain(),
        at = audio.currentTime + 0.35 * k;
      tone.frequency.value = k % 2 ? 1175 : 880;
      loud.gain.setValueAtTime(0.25, at);
      loud.gain.exponentialRampToValueAtTime(0.001, at + 0.3);
      tone.connect(loud).connect(audio.destination);
      tone.start(at);
      tone.stop(at + 0.3);
    }
  }

  // keepAwake keeps the screen on while a print runs, where the browser can.
  async function keepAwake() {
    const wanted = ["runs", "waits", "due", "done"].includes(state.state);
    if (!("wakeLock" in navigator)) {
      put(
        "awake",
        window.isSecureContext
          ? "This browser lets the screen go dark; keep it on by hand."
          : "The screen goes dark by itself here: start Dogear with --tls to keep it on.",
      );
      return;
    }
    if (!wanted) {
      awake?.release();
      awake = null;
    } else if (!awake && document.visibilityState === "visible") {
      awake = await navigator.wakeLock.request("screen").catch(() => null);
      awake?.addEventListener("release", () => {
        awake = null;
      });
    }
    put("awake", awake ? "The screen stays on while the print runs." : "");
  }

  for (const b of page.querySelectorAll("[data-do]"))
    b.addEventListener("click", () => {
      if (window.AudioContext) audio ||= new AudioContext(); // sound wants a touch first
      if (b.dataset.do === "wrong" && !b.dataset.sure) {
        b.dataset.sure = "yes";
        b.textContent = "End the watch, and pick the print up";
        return;
      }
      ask(b.dataset.do, {});
    });
  // It has not stopped yet: it is a little before that stop, and slower than was thought.
  page
    .querySelector("[data-do-early]")
    .addEventListener("click", () =>
      ask("is", { kind: "percent", value: Math.max(0, state.percent - 0.5).toFixed(3) }),
    );
  page.querySelector("[data-is]").addEventListener("submit", (e) => {
    e.preventDefault();
    ask("is", new FormData(e.target));
  });
  page.querySelector("[data-clean]").addEventListener("click", async () => {
    const r = await fetch(`/prints/${id}/cue/clean`, {
      method: "POST",
      body: new URLSearchParams({ ear: state.next.learns, clean: "too little" }),
      headers: { "X-Csrf-Token": csrf(), "HX-Request": "true" },
    }).catch(() => null);
    say(
      r?.ok ? "More is pushed through the next time. Purge on until it is clean." : "Not learned.",
    );
  });
  for (const s of page.querySelectorAll("[data-set]")) {
    const { set } = s.dataset;
    if (s.type === "checkbox") s.checked = settings[set] === "yes";
    else s.value = settings[set];
    s.addEventListener("change", () => {
      settings[set] = s.type === "checkbox" ? (s.checked ? "yes" : "no") : s.value;
      localStorage.setItem("dogear-watch", JSON.stringify(settings));
    });
  }
  page.querySelector("[data-try]").addEventListener("click", noise);
  document.addEventListener(
    "visibilitychange",
    () => {
      if (document.visibilityState !== "visible") return;
      keepAwake();
      if (!["ready", "over"].includes(state.state)) ask("now");
    },
    { signal },
  );
  setInterval(tick, often(1000));
  setInterval(() => {
    if (!["ready", "over"].includes(state.state)) ask("now");
  }, often(15000));
  show();
  page.dataset.ready = "true";
}
