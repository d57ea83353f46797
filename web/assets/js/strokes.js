import { contrast, mix, token } from "./colour.js";
import { CLASSES, INNER, OUTER, TRAVEL } from "./classes.js";
import { range } from "./geometry.js";

export function stroke(c, s, { geo, from, to, colour, ghost }, page, ink, faded, travel) {
  const groups = range(geo, from, to);
  if (ghost) {
    // muted: it will not be laid
    c.strokeStyle = faded;
    c.lineWidth = 1 / s;
    c.setLineDash([3 / s, 3 / s]);
    for (const g of groups) if (g.kind !== TRAVEL) c.stroke(g.path);
    c.setLineDash([]);
    return;
  }
  const pale = contrast(colour, page) < 1.7;
  const close = contrast(colour, page) < 1.25;
  if (pale) {
    // An edge, so that white can be seen on paper and black at night.
    c.strokeStyle = mix(colour, ink, close ? 0.5 : 0.38);
    for (const g of groups) {
      if (g.kind === TRAVEL) continue;
      c.lineWidth = Math.max(g.width * CLASSES[g.kind].thin, 0.7 / s) + 1.3 / s;
      c.globalAlpha = g.kind === OUTER || g.kind === INNER ? 1 : 0.55;
      c.stroke(g.path);
    }
    c.globalAlpha = 1;
  }
  for (const g of groups) {
    if (g.kind === TRAVEL) {
      if (!travel) continue;
      c.strokeStyle = faded;
      c.lineWidth = 0.8 / s;
      c.setLineDash([2 / s, 3 / s]);
      c.stroke(g.path);
      c.setLineDash([]);
      continue;
    }
    const t = CLASSES[g.kind].tone;
    c.strokeStyle =
      g.kind === OUTER
        ? mix(colour, ink, pale ? 0.06 : 0.08)
        : mix(colour, page, pale ? t * 0.7 : t);
    c.lineWidth = Math.max(g.width * CLASSES[g.kind].thin, 0.7 / s);
    c.stroke(g.path);
  }
}

// tube draws a path that is chosen: an edge on both sides of what it lays.
export function tube(c, s, { geo, from, to }, sea, page) {
  for (const g of range(geo, from, to)) {
    if (g.kind === TRAVEL) continue;
    c.strokeStyle = sea;
    c.lineWidth = Math.max(g.width, 1 / s) + 3.5 / s;
    c.stroke(g.path);
    c.strokeStyle = page;
    c.lineWidth = Math.max(g.width * 0.55, 1 / s);
    c.stroke(g.path);
  }
}

// A dense layer is painted once and kept as a picture for as long as window,
// colour and theme stay the same.
export const DENSE = 4000;

const pictures = new Map();

export const whole = (p) => p.from === 0 && p.to === p.geo.n && !p.ghost;

export function picture(p, m, w, h, dpr, page, ink, faded, travel) {
  const key = [p.geo.id, p.colour, travel, m, w, h, dpr, page, ink].join();
  let o = pictures.get(key);
  if (!o) {
    o = new OffscreenCanvas(Math.max(1, Math.round(w * dpr)), Math.max(1, Math.round(h * dpr)));
    const c = o.getContext("2d");
    c.setTransform(dpr, 0, 0, dpr, 0, 0);
    c.transform(...m);
    c.lineCap = "round";
    c.lineJoin = "round";
    stroke(c, m[0], p, page, ink, faded, travel);
    pictures.set(key, o);
    if (pictures.size > 10) pictures.delete(pictures.keys().next().value);
  }
  return o;
}

// ahead paints a dense layer before it is asked for.
export function ahead(canvas, view, p, travel) {
  const w = canvas.clientWidth,
    h = canvas.clientHeight;
  if (w && h && p.geo.n > DENSE && whole(p))
    picture(
      p,
      view.matrix(w, h),
      w,
      h,
      window.devicePixelRatio || 1,
      token("page"),
      token("ink"),
      token("faded"),
      travel,
    );
}
