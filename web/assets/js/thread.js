import { el } from "./svg.js";
import { hours } from "./words.js";

// pathOf returns the path in front of which a stop at a line stands: the one that the line
// lies in, or the next one whose lines come behind it. What lies between two paths (a
// retraction, a wipe, the way) belongs to the later one.
export function pathOf(t, line) {
  const k = t.paths.findIndex((p) => p.last >= line);
  return k < 0 ? Math.max(t.paths.length - 1, 0) : k;
}

// Thread draws the order of one layer as a ribbon over time.
export class Thread {
  constructor(svg) {
    this.svg = svg;
    this.data = null;
  }

  // x maps seconds into the layer to pixels.
  x(t) {
    return 6 + (t / Math.max(this.data.seconds, 0.001)) * (this.svg.clientWidth - 12);
  }

  // at returns the path that begins nearest to a pixel; the number of paths is
  // the end of the layer.
  at(px) {
    const p = this.data.paths;
    const t = ((px - 6) / Math.max(this.svg.clientWidth - 12, 1)) * this.data.seconds;
    let best = 0;
    for (let k = 0; k < p.length; k++)
      if (Math.abs(p[k].begin - t) <= Math.abs(p[best].begin - t)) best = k;
    return best;
  }

  // segments joins neighbouring paths of one kind into what the eye can see.
  segments() {
    const out = [];
    for (const p of this.data.paths) {
      const last = out[out.length - 1];
      const gap = last ? this.x(p.begin) - this.x(last.end) : 0;
      if (last && last.class === p.class && (gap < 5 || last.paths > 8)) {
        last.end = p.end;
        last.paths++;
        continue;
      }
      if (last && this.x(p.end) - this.x(p.begin) < 1 && gap < 1 && out.length > 200) {
        last.end = p.end;
        continue;
      }
      out.push({ class: p.class, name: p.name, begin: p.begin, end: p.end, paths: 1 });
    }
    return out;
  }

  draw(data, k, t, ears, overs = []) {
    this.data = data;
    const { svg } = this;
    const w = svg.clientWidth;
    svg.setAttribute("viewBox", `0 0 ${w} 58`);
    const out = [el("path", { d: `M6 27H${w - 6}`, class: "thread-way" })];
    for (const s of this.segments()) {
      const x0 = this.x(s.begin),
        x1 = Math.max(this.x(s.end), x0 + 0.8);
      const r = el("rect", {
        x: x0,
        y: 14,
        width: x1 - x0,
        height: 26,
        class: `thread-${s.class}`,
      });
      r.append(el("title", {}, `${s.name}: ${hours(s.end - s.begin)}`));
      out.push(r);
      const room = x1 - x0 - 10,
        text = s.name.length * 6 < room ? s.name : s.name.split(" ")[0];
      if (text.length * 6.2 < room)
        out.push(
          el("text", { x: x0 + 6, y: 31, class: `thread-text thread-text-${s.class}` }, text),
        );
    }
    const step =
      [0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800].find((v) => this.x(v) - this.x(0) > 70) ||
      3600;
    for (let s = 0; s < data.seconds; s += step)
      out.push(
        el(
          "text",
          { x: this.x(s), y: 54, class: "spine-text" },
          s < 60 || step < 60 ? `${s} s` : `${Math.round(s / 60)} min`,
        ),
      );
    for (const b of data.borders) {
      const p = data.paths.find((q) => q.line >= b.line);
      if (!p) continue;
      const c = el("circle", {
        cx: this.x(p.begin),
        cy: 7,
        r: 4,
        class: "mark-dot",
        "data-path": data.paths.indexOf(p),
      });
      c.append(el("title", {}, b.reason));
      out.push(c);
    }
    if (overs.length) {
      // small leaps, where the head is lifted over what stands proud
      let d = "",
        last = -9;
      for (const o of overs) {
        const p = data.paths.find((q) => q.line >= o.line);
        const x = p ? this.x(p.begin) : this.x(data.seconds);
        if (x - last < 5) continue;
        last = x;
        d += `M${(x - 5).toFixed(1)} 13q5 -9 10 0`;
      }
      const leap = el("path", { d, class: "thread-leap" });
      leap.append(el("title", {}, `lifted ${overs.length} times over what stands proud`));
      out.push(leap);
    }
    for (const e of ears) {
      const p = data.paths.find((q) => q.line >= e.line);
      if (!p) continue;
      const f = el("path", { d: `M${this.x(p.begin)} 12h16v-10z`, class: "spine-ear" });
      if (e.colour) f.setAttribute("fill", e.colour);
      else f.classList.add("fill-page");
      out.push(f);
    }
    const x = Math.round(this.x(t)) + 0.5;
    out.push(
      el("path", { d: `M${x} 4V42`, class: "thread-line" }),
      el("path", { d: `M${x} 2h12l-12 9z`, class: "spine-tag" }),
    );
    svg.replaceChildren(...out);
    svg.setAttribute("aria-valuemax", data.paths.length);
    svg.setAttribute("aria-valuenow", k);
    svg.setAttribute(
      "aria-valuetext",
      k === 0 ? "before the layer" : `after ${k} of ${data.paths.length} paths`,
    );
  }
}
