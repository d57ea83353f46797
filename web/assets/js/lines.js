import { count } from "./words.js";
import { csrf, say } from "./say.js";

const ROW = 22; // px
const MAX = 8_000_000; // px: browsers cannot scroll further; then a pixel is more than a line

// lines shows the file as text: only the rows in sight exist.
export function lines(root, signal) {
  const id = root.dataset.lines,
    total = Number(root.dataset.count);
  const ears = new Set((root.dataset.ears || "").split(",").filter(Boolean).map(Number));
  const mutes = (root.dataset.mutes || "")
    .split(",")
    .filter(Boolean)
    .map((m) => m.split("-").map(Number));
  const mutedBy = (n) => mutes.find(([a, b]) => n >= a && n <= b);
  const form = root.querySelector("[data-mute]");
  const box = root.querySelector("[data-scroll]"),
    tall = root.querySelector("[data-tall]"),
    rows = root.querySelector("[data-rows]");
  const put = (name) => root.querySelector(`[data-out="${name}"]`);
  const height = Math.min(total * ROW, MAX);
  const dense = total * ROW > MAX; // then the bar points at a share of the file
  tall.style.height = `${height}px`;
  let chosen = 0,
    first = 1,
    drawing = 0;
  const kept = new Map(); // blocks of 200 lines
  const inSight = () => Math.max(1, Math.floor(box.clientHeight / ROW));

  async function block(k) {
    if (!kept.has(k)) {
      kept.set(
        k,
        fetch(`/prints/${id}/text?from=${k * 200 + 1}&count=200`)
          .then((r) => {
            if (!r.ok) throw new Error();
            return r.json();
          })
          .catch(() => {
            kept.delete(k);
            say("Some lines could not be loaded. Is Dogear still running?");
            return [];
          }),
      );
      if (kept.size > 40) kept.delete(kept.keys().next().value);
    }
    return kept.get(k);
  }

  async function draw() {
    const mine = ++drawing;
    const n = inSight() + 2;
    const blocks = [];
    for (let k = Math.floor((first - 1) / 200); k <= Math.floor((first + n - 2) / 200); k++)
      if (k * 200 < total) blocks.push(block(k));
    const list = (await Promise.all(blocks)).flat().filter((l) => l.n >= first && l.n < first + n);
    if (mine !== drawing) return;
    rows.style.top = `${box.scrollTop - (dense ? 0 : box.scrollTop % ROW)}px`;
    rows.replaceChildren(...list.map(row));
  }

  function row(l) {
    const d = document.createElement("div");
    d.className =
      "flex h-[22px] items-center gap-4 whitespace-nowrap px-3 text-note aria-selected:bg-shade";
    d.setAttribute("role", "option");
    d.setAttribute("aria-selected", l.n === chosen);
    d.dataset.line = l.n;
    const n = document.createElement("span");
    n.className = "w-20 shrink-0 text-right font-mono text-small text-faded";
    n.textContent = count(l.n);
    const t = document.createElement("span");
    t.className = "w-[46%] shrink-0 truncate font-mono text-[12.5px]";
    t.textContent = l.text;
    const w = document.createElement("span");
    w.className = "truncate";
    w.textContent = l.words;
    if (ears.has(l.n)) {
      d.classList.add("border-t-2", "border-brick");
      d.title = "An ear stands in front of this line";
    }
    if (mutedBy(l.n)) {
      t.classList.add("line-through", "text-faded");
      w.classList.add("text-faded");
      w.textContent = `muted: ${l.words}`;
    }
    d.append(n, t, w);
    return d;
  }

  // scroll puts line n at the top of what is in sight.
  function scroll(n) {
    first = Math.max(1, Math.min(total - inSight() + 1, n));
    const top = dense
      ? ((first - 1) / Math.max(total - inSight(), 1)) * (height - box.clientHeight)
      : (first - 1) * ROW;
    quiet = true;
    box.scrollTop = top;
    requestAnimationFrame(() => {
      quiet = false;
      draw();
    });
  }
  let quiet = false;
  box.addEventListener("scroll", () => {
    if (!quiet)
      first = dense
        ? 1 +
          Math.round((box.scrollTop / Math.max(height - box.clientHeight, 1)) * (total - inSight()))
        : 1 + Math.floor(box.scrollTop / ROW);
    draw();
  });
  box.addEventListener(
    "wheel",
    (e) => {
      // a notch is three lines, however long the file
      if (!dense) return;
      e.preventDefault();
      scroll(first + Math.sign(e.deltaY) * 3);
    },
    { passive: false },
  );

  async function choose(n, into = true) {
    chosen = Math.max(1, Math.min(total, n));
    if (into && (chosen < first || chosen >= first + inSight()))
      scroll(chosen - Math.floor(inSight() / 3));
    else draw();
    const span = mutedBy(chosen) || [chosen, chosen];
    form.from.value = span[0];
    form.to.value = span[1];
    put("mute").textContent = mutedBy(chosen) ? "Bring back" : "Mute";
    const u = new URL(location.href);
    u.searchParams.set("line", chosen);
    history.replaceState(null, "", u);
    const r = await fetch(`/prints/${id}/line/${chosen}`);
    if (!r.ok) return;
    const d = await r.json();
    if (d.line !== chosen) return;
    put("line").textContent = count(d.line);
    put("text").textContent = d.text;
    put("words").textContent = d.words;
    put("bench").href = `/prints/${id}?before=${Math.max(d.layer, 1)}&line=${d.line}`;
    put("bench").textContent = d.layer
      ? `Show on the bench: layer ${d.layer} of ${d.layers}`
      : "Show on the bench";
    put("state").replaceChildren(
      ...d.state.map((s) => {
        const li = document.createElement("li");
        li.textContent = s;
        return li;
      }),
    );
  }

  rows.addEventListener("click", (e) => {
    const d = e.target.closest("[data-line]");
    if (d) choose(Number(d.dataset.line));
  });
  box.addEventListener("keydown", (e) => {
    const to = {
      ArrowDown: chosen + 1,
      ArrowUp: chosen - 1,
      PageDown: chosen + inSight(),
      PageUp: chosen - inSight(),
      Home: 1,
      End: total,
    }[e.key];
    if (to === undefined) return;
    e.preventDefault();
    choose(to);
  });
  document.addEventListener(
    "keydown",
    (e) => {
      if (e.key === "/" && !e.target.closest("input")) {
        e.preventDefault();
        root.querySelector("#search").focus();
      }
    },
    { signal },
  );
  root.querySelector("[data-search]").addEventListener("submit", async (e) => {
    e.preventDefault();
    const q = root.querySelector("#search").value.trim();
    if (/^\d+$/.test(q)) return choose(Number(q));
    const turn = ++searches;
    const from = chosen;
    let at = from,
      around = from === 0;
    looking = true;
    const end = (text) => {
      looking = false;
      say(text);
    };
    for (;;) {
      // piece by piece, to the end and on from the beginning
      const r = await fetch(`/prints/${id}/search?q=${encodeURIComponent(q)}&from=${at}`, {
        headers: { Accept: "application/json" },
      }).catch(() => null);
      if (turn !== searches) return; // another search has begun, or this one was given up
      if (!r) return end("Dogear does not answer. Is it still running?");
      const d = await r.json();
      if (!r.ok) return end(d.error);
      if (d.line) {
        end("");
        return choose(d.line);
      }
      if (d.next) at = d.next;
      else if (!around) {
        around = true;
        at = 0;
      } else return end(`There is no line with “${q}”.`);
      if (around && at >= from) return end(`There is no line with “${q}”.`);
      const done = Math.floor(((around ? total - from + at : at - from) / total) * 100);
      say(`Looking for “${q}” … ${done} %. Escape gives up.`);
    }
  });
  let searches = 0,
    looking = false;
  document.addEventListener(
    "keydown",
    (e) => {
      if (e.key !== "Escape" || !looking) return;
      searches++;
      looking = false;
      say("");
    },
    { signal },
  );
  form.addEventListener("submit", async (e) => {
    e.preventDefault();
    const back = mutedBy(chosen);
    const r = await fetch(`/prints/${id}/mutes${back ? "/remove" : ""}`, {
      method: "POST",
      headers: { "X-Csrf-Token": csrf(), "HX-Request": "true" },
      body: new URLSearchParams({ from: form.from.value, to: form.to.value }),
    });
    if (!r.ok) return say(await r.text());
    if (back) mutes.splice(mutes.indexOf(back), 1);
    else mutes.push([Number(form.from.value), Number(form.to.value)]);
    say(back ? "Back again." : "Muted: these lines become comments when the file is written.");
    choose(chosen, false);
  });
  new ResizeObserver(() => draw()).observe(box);
  choose(Number(root.dataset.at) || 1).then(() => {
    root.dataset.ready = "true";
  });
}
