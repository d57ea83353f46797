import { csrf, say } from "./say.js";
import { el } from "./svg.js";

// What a simulated printer does, as somebody beside it would say it.
const words = {
  message: "Something shows on its display.",
  tones: (n) => (n ? `${n} ${n === 1 ? "tone" : "tones"}.` : "One long tone."),
  strokes: (n) => `The head draws ${n} ${n === 1 ? "stroke" : "strokes"}.`,
  still: "It stands still.",
  parks: "It moves aside by itself.",
  wags: "It wags.",
  "lets go": "After two minutes the head can be pushed about: it gives way.",
  coin: "It comes down to the coin.",
  done: "The file has ended.",
};
// handshake is the page on which one answers what a printer does with a handshake: it draws
// the try that is next, and lets a simulated printer run the file.
export function handshake(page) {
  const out = (name) => page.querySelector(`[data-out="${name}"]`);
  const strokes = page.querySelector("[data-strokes]");
  const head = page.querySelector("[data-head]");
  const wait = page.querySelector("[data-wait]");
  const tries = [...page.querySelectorAll("[data-try]")];
  let run = 0; // the simulated run that is under way
  let go = null; // makes the simulated printer go on

  // draw shows the head behind so many strokes.
  function draw(n) {
    strokes.replaceChildren();
    const left = 48 - ((n - 1) * 8) / 2;
    for (let k = 0; k < n; k++)
      strokes.append(el("line", { x1: left + k * 8, x2: left + k * 8, y1: 8, y2: 52 }));
    const x = n ? left + (n - 1) * 8 : 48;
    const y = n % 2 ? 8 : 52;
    head.setAttribute("transform", `translate(${x - 48} ${n ? y - 30 : 0})`);
  }

  function at(n) {
    for (const t of tries) t.dataset.now = t.dataset.try === String(n);
    if (n) out("try").firstChild.textContent = n;
  }

  // next draws the first try that has no answer yet.
  function next() {
    const open = tries.find((t) => !t.querySelector("input:checked"));
    const n = open ? Number(open.dataset.try) : 0;
    at(n);
    draw(n);
    out("now").textContent = n
      ? `At try ${n} the head draws ${n} ${n === 1 ? "stroke" : "strokes"} in the air.`
      : "All tries are answered.";
  }

  page.addEventListener("change", (e) => {
    if (e.target.type === "radio" && !run) next();
  });

  page.addEventListener("click", async (e) => {
    const act = e.target.closest("[data-do]")?.dataset.do;
    if (act === "on" && go) go();
    if (act !== "run") return;
    const mine = ++run;
    const body = new URLSearchParams(new FormData(page.querySelector("form[hx-post]")));
    body.set("kind", page.querySelector("#hs-kind").value);
    const r = await fetch("/kit/printers/handshake/simulated", {
      method: "POST",
      body,
      headers: { "X-Csrf-Token": csrf(), Accept: "application/json" },
    }).catch(() => null);
    if (!r?.ok) {
      if (mine === run) run = 0;
      return say(r ? await r.text() : "Dogear does not answer. Is it still running?");
    }
    for (const l of await play(await r.json(), () => mine === run)) out("now").textContent = l;
    if (mine === run) run = 0;
  });

  // play shows one happening after the other; a printer that stands still waits for somebody.
  async function play(all, on) {
    const speed = Number(page.dataset.faster); // simulated seconds a second
    let time = 0;
    let said = [];
    let last = -1;
    let stood = false;
    for (const h of all) {
      await new Promise((done) => setTimeout(done, (Math.min(h.time - time, 30) * 1000) / speed));
      if (!on()) return [];
      time = h.time;
      if (h.try !== last) {
        said = [];
        last = h.try;
        if (h.try) at(h.try);
        draw(0);
      }
      if (h.what === "strokes") draw(h.try);
      if (h.what === "wags") head.setAttribute("transform", "translate(8 0)");
      if (h.what === "parks") head.setAttribute("transform", "translate(-40 -22)");
      const w = words[h.what];
      said.push(typeof w === "function" ? w(h.try) : w);
      out("now").textContent = said.join(" ");
      if (h.what === "still" && !all.some((o) => o.try === h.try && o.what === "lets go")) {
        if (!stood) said.push("Two minutes later you push the head: it holds.");
        out("now").textContent = said.join(" ");
        stood = true;
        await stand();
      } else if (h.what === "lets go" && h.try) {
        stood = true;
        await stand();
      }
    }
    return [`${said.join(" ")} It took ${Math.round(time / 60)} minutes.`];
  }

  function stand() {
    wait.hidden = false;
    return new Promise((done) => {
      go = () => {
        go = null;
        wait.hidden = true;
        done();
      };
    });
  }

  next();
}
