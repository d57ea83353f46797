import { stream } from "./stream.js";
import htmx from "htmx.org";
import { Book } from "./book.js";
import { Spine } from "./spine.js";
import { View } from "./view.js";
import { draw } from "./page.js";
import { lastLaid } from "./geometry.js";
import { count, mm } from "./words.js";
import { say } from "./say.js";

const WORDS = {
  printing: "Printing",
  heating: "Heating",
  waiting: "It waits for you",
  stopped: "It has stopped",
  dead: "No power",
  done: "Done",
};

// rehearse is the book printing itself on the simulated printer.
export async function rehearse(root, signal) {
  const id = root.dataset.rehearse;
  const q = (sel) => root.querySelector(sel);
  const put = (name, text) => {
    const e = q(`[data-out="${name}"]`);
    if (e.textContent !== text) e.textContent = text;
  };
  const book = await Book.open(id);
  if (!book) return say("This print could not be opened. Load the page again.");
  const { N, bands } = book;
  const view = new View(book.frame());
  const layer = (n) => book.layer(n),
    colour = (n, line) => book.colour(n, line);
  let speed = 1000,
    now = null,
    drawing = false,
    drawn = "";

  const send = (values) => htmx.ajax("POST", `/prints/${id}/rehearse`, { source: root, values });

  async function paint() {
    if (!now || drawing) return;
    drawing = true;
    const n = Math.max(book.layerOf(now.original), 1),
      line = now.original;
    const key = `${n}/${line}/${now.state}`;
    if (key !== drawn) {
      drawn = key;
      const [g, below] = await Promise.all([layer(n), layer(n - 1)]);
      if (g) {
        let cut = 0;
        while (cut < g.n && g.line[cut] <= line) cut++;
        const parts = (a, b) => {
          const out = [];
          for (let i = a; i < b;) {
            // a band may begin inside the layer
            const c = colour(n, g.line[i]);
            let k = i;
            while (k < b && colour(n, g.line[k]) === c) k++;
            out.push({ geo: g, from: i, to: k, colour: c });
            i = k;
          }
          return out;
        };
        const last = lastLaid(g, 0, cut);
        if (last < 0 && below) {
          // nothing of it yet: what lies there is the layer before
          draw(q('[data-page="left"]'), view, {
            parts: [{ geo: below, from: 0, to: below.n, colour: colour(n - 1, Infinity) }],
          });
        } else
          draw(q('[data-page="left"]'), view, {
            parts: parts(0, cut),
            below,
            at: last >= 0 ? { geo: g, piece: last, end: true, text: "" } : null,
          });
        draw(q('[data-page="right"]'), view, { parts: parts(cut, g.n), below });
        put("left-name", `Layer ${last < 0 && below ? n - 1 : n}`);
        put("right-name", `Layer ${n}`);
      }
      side(now.state === "done" ? N + 1 : n);
    }
    drawing = false;
    layer(n + 1);
  }

  function side(fold) {
    const svg = q("[data-spine]");
    const spine = new Spine(svg, book);
    const left = fold <= N ? fold : 0;
    spine.draw({ fold: left, bands, tone: "line", unprinted: left });
  }

  const clock = (s) => {
    const n = Math.floor(s);
    const two = (v) => String(v % 60).padStart(2, "0");
    return `${Math.floor(n / 3600)}:${two(Math.floor(n / 60))}:${two(n)}`;
  };

  let audio = null;
  function tone(hz) {
    if (!audio || !q("[data-sound]").checked) return;
    const o = audio.createOscillator(),
      g = audio.createGain();
    o.frequency.value = hz || 880;
    g.gain.value = 0.06;
    o.connect(g).connect(audio.destination);
    o.start();
    o.stop(audio.currentTime + 0.18);
  }

  function tell(events) {
    const log = q("[data-log]");
    const atEnd = log.scrollTop + log.clientHeight >= log.scrollHeight - 8;
    let tones = 0;
    for (const e of events.slice(-200)) {
      if (e.kind === "tone") {
        if (tones++ < 3) setTimeout(tone, 220 * tones, parseFloat(e.text));
        continue;
      }
      const li = document.createElement("li");
      li.className =
        "grid grid-cols-[58px_minmax(0,1fr)] gap-x-2 border-b border-rule py-0.5" +
        (e.kind === "fault" || e.kind === "harm"
          ? " text-brick font-semibold"
          : e.kind === "stop"
            ? " font-semibold"
            : "");
      const t = document.createElement("span"),
        w = document.createElement("span");
      t.className = "text-faded";
      t.textContent = clock(e.time);
      w.textContent = e.kind === "message" ? `“${e.text}”` : e.text;
      li.append(t, w);
      log.append(li);
      while (log.childElementCount > 400) log.firstChild.remove();
    }
    if (atEnd) log.scrollTop = log.scrollHeight;
  }

  function show(m) {
    now = m;
    const running = m.speed > 0 && (m.state === "printing" || m.state === "heating");
    put(
      "state",
      m.time === 0
        ? "Ready"
        : m.state === "printing" && !m.layer
          ? "Warming up"
          : WORDS[m.state] + (running || m.state !== "printing" ? "" : ", paused"),
    );
    put(
      "facts",
      `${clock(m.time)} · layer ${m.layer || "–"} of ${N} · line ${count(m.line)} · ` +
        `${mm(m.top)} mm on the bed · ${m.percent.toFixed(1)} % of the file`,
    );
    put(
      "head",
      m.state === "dead"
        ? "dark"
        : `X ${m.at[0].toFixed(2)}  Y ${m.at[1].toFixed(2)}  Z ${m.at[2].toFixed(2)}`,
    );
    put("nozzle", `${m.nozzle.toFixed(0)} °C`);
    put("bed", `${m.bed.toFixed(0)} °C`);
    put("fan", m.fan ? `${m.fan} %` : "off");
    put("says", m.message || "nothing");
    q('[data-do="run"]').textContent = running ? "Pause" : m.time > 0 ? "Go on" : "Start";
    q('[data-do="run"]').disabled = ["done", "dead", "stopped", "waiting"].includes(m.state);
    const wait = q("[data-wait]");
    // At speed the printer waits at the next stop before anybody has seen it go on.
    const at = m.state === "waiting" ? String(m.line) : "";
    if (wait.dataset.at !== at) {
      wait.dataset.at = at;
      wait.hidden = !at;
      if (at) {
        put("message", m.message || "The printer waits for you.");
        q("[data-steps]").replaceChildren(
          ...(m.steps || []).map((t) => {
            const li = document.createElement("li");
            li.textContent = t;
            return li;
          }),
        );
        q('[data-do="resume"]').focus();
      }
    }
    const jam = m.events.find((e) => e.kind === "fault");
    if (jam) put("failure", `${jam.text[0].toUpperCase()}${jam.text.slice(1)}.`);
    if (jam || ["dead", "stopped"].includes(m.state)) q("[data-failed]").hidden = false;
    tell(m.events);
    root.dataset.state = m.state;
    paint();
  }

  root.addEventListener("click", (e) => {
    const s = e.target.closest("[data-speed]");
    if (s) {
      speed = Number(s.dataset.speed);
      for (const b of root.querySelectorAll("[data-speed]"))
        b.setAttribute("aria-pressed", b === s);
      if (now?.speed > 0) send({ do: "speed", speed });
      return;
    }
    const b = e.target.closest("[data-do]");
    if (!b) return;
    audio ||= window.AudioContext ? new AudioContext() : null;
    switch (b.dataset.do) {
      case "run":
        return send({ do: "speed", speed: now?.speed > 0 ? 0 : speed });
      case "fault":
        return send({ do: "fault", fault: q("#fault").value });
      case "again":
        q("[data-log]").replaceChildren();
        q("[data-failed]").hidden = true;
        return send({ do: "again" }).then(() => listen());
      default:
        return send({ do: b.dataset.do });
    }
  });

  let stop = null;
  signal.addEventListener("abort", () => stop?.());
  function listen() {
    stop?.();
    q("[data-log]").replaceChildren();
    stop = stream(`/prints/${id}/rehearse/events`, {
      message: (data) => show(JSON.parse(data)),
      error: () => say("The printer does not answer. Is Dogear still running?"),
    });
  }
  new ResizeObserver(() => {
    drawn = "";
    paint();
  }).observe(root);
  window.addEventListener(
    "dogear:theme",
    () => {
      drawn = "";
      paint();
    },
    { signal },
  );
  side(1);
  listen();
  root.dataset.ready = "true";
}
