import { contrast, mix, token } from "./colour.js";

// Classes of path as the server numbers them (core/layer.Class).
export const WAY = 0;
const tones = [0, 0, 0.28, 0.56, 0.4, 0.66, 0.62, 0.4]; // share of the page's colour
const thins = [1, 1, 0.9, 0.8, 0.85, 0.7, 0.7, 0.8]; // of the laid width
const order = [WAY, 5, 3, 4, 6, 7, 2, 1];
const BLOCK = 2048;

let made = 0;

// parse reads what /prints/:id/layers/:n sends.
export function parse(buf) {
  const n = new DataView(buf).getUint32(0, true);
  const xy = new Float32Array(buf, 4, 4 * n);
  const line = new Uint32Array(buf, 4 + 16 * n, n);
  const kind = new Uint8Array(buf, 4 + 20 * n, n);
  const width = new Uint8Array(buf, 4 + 21 * n, n);
  return { id: ++made, n, xy, line, kind, width, blocks: null };
}

// parseOverlay reads what /prints/:id/layers/:n/overlay sends.
export function parseOverlay(buf) {
  const v = new DataView(buf);
  const a = v.getUint32(0, true), b = v.getUint32(4, true);
  const f = new Float32Array(buf, 16);
  const area = { fresh: v.getFloat32(8, true), covered: v.getFloat32(12, true) }; // mm²
  return { fresh: f.subarray(0, 3 * a), covered: f.subarray(3 * a, 3 * (a + b)), area };
}

// paths groups pieces from … to-1 into one Path2D for each kind and width.
function paths(g, from, to) {
  const groups = new Map();
  let px = NaN, py = NaN, last = -1;
  for (let i = from; i < to; i++) {
    const key = g.kind[i] * 256 + (g.kind[i] === WAY ? 0 : Math.max(4, Math.round(g.width[i] / 4) * 4));
    let p = groups.get(key);
    if (!p) groups.set(key, (p = new Path2D()));
    const x = g.xy[4 * i], y = g.xy[4 * i + 1];
    if (key !== last || x !== px || y !== py) p.moveTo(x, y);
    px = g.xy[4 * i + 2];
    py = g.xy[4 * i + 3];
    p.lineTo(px, py);
    last = key;
  }
  return [...groups].map(([key, path]) => ({ kind: key >> 8, width: (key & 255) / 50, path }));
}

// range returns what to stroke for pieces from … to-1. Whole blocks are built
// once and kept; only the ends are made anew while scrubbing.
function range(g, from, to) {
  g.blocks ??= [];
  const out = [];
  for (let b = Math.floor(from / BLOCK); b * BLOCK < to; b++) {
    const x = Math.max(from, b * BLOCK), y = Math.min(to, (b + 1) * BLOCK, g.n);
    if (x >= y) continue;
    if (x === b * BLOCK && y === Math.min((b + 1) * BLOCK, g.n)) out.push(...(g.blocks[b] ??= paths(g, x, y)));
    else out.push(...paths(g, x, y));
  }
  return out.sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind));
}

// View is the common window of both pages: mm to pixels.
export class View {
  constructor(box) { this.box = box; this.zoom = 1; this.dx = 0; this.dy = 0; }
  fit() { this.zoom = 1; this.dx = 0; this.dy = 0; }
  scale(w, h) {
    const m = 26;
    return Math.min((w - 2 * m) / Math.max(this.box[2] - this.box[0], 1), (h - 2 * m - 14) / Math.max(this.box[3] - this.box[1], 1)) * this.zoom;
  }
  // matrix maps mm to pixels of a canvas w × h (y goes up in mm, down in px).
  matrix(w, h) {
    const s = this.scale(w, h);
    const cx = (this.box[0] + this.box[2]) / 2 + this.dx, cy = (this.box[1] + this.box[3]) / 2 + this.dy;
    return [s, 0, 0, -s, w / 2 - cx * s, (h - 14) / 2 + cy * s];
  }
  // place maps a pixel to mm.
  place(w, h, x, y) {
    const m = this.matrix(w, h);
    return [(x - m[4]) / m[0], (m[5] - y) / m[0]];
  }
}

// draw paints one page.
//   parts    what is laid: { geo, from, to, colour }, in order
//   below    the layer underneath, of which the outline is shown
//   overlay  what lies over nothing and what is covered
//   at       { geo, piece, end, text }: where the nozzle stands
//   holes    [{ x, y, w, d, turn, shape, words }]: pockets that are open here
//   sits     [{ x, y, across, long, shape, turn }]: what lies in them
//   overs    [[x0, y0, x1, y1]]: ways that are lifted over it
//   chosen   [{ geo, from, to }]: paths that are chosen
export function draw(canvas, view, { parts = [], below, overlay, travel, at, nothing, pins, route, holes = [], sits = [], overs = [], chosen = [] }) {
  const dpr = window.devicePixelRatio || 1;
  const w = canvas.clientWidth, h = canvas.clientHeight;
  if (w === 0 || h === 0) return;
  if (canvas.width !== Math.round(w * dpr) || canvas.height !== Math.round(h * dpr)) {
    canvas.width = Math.round(w * dpr);
    canvas.height = Math.round(h * dpr);
  }
  const c = canvas.getContext("2d");
  const page = token("page"), ink = token("ink"), faded = token("faded"), sea = token("sea");
  c.setTransform(dpr, 0, 0, dpr, 0, 0);
  c.clearRect(0, 0, w, h);
  const m = view.matrix(w, h), s = m[0];
  dots(c, m, w, h, s, token("rule"));
  if (nothing) {
    c.fillStyle = faded;
    c.font = '13.5px "Source Sans 3 Variable", sans-serif';
    c.textAlign = "center";
    c.fillText(nothing, w / 2, h / 2);
    c.textAlign = "left";
    return;
  }
  c.save();
  c.transform(...m);
  c.lineCap = "round";
  c.lineJoin = "round";
  if (below) {
    c.strokeStyle = mix(page, ink, 0.2);
    c.lineWidth = 1.2 / s;
    for (const g of range(below, 0, below.n)) if (g.kind === 1) c.stroke(g.path);
  }
  for (const p of parts) {
    const pic = p.geo.n > DENSE && whole(p) && picture(p, m, w, h, dpr, page, ink, faded, travel);
    if (!pic) { lay(c, s, p, page, ink, faded, travel); continue; }
    c.save();
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.drawImage(pic, 0, 0);
    c.restore();
  }
  if (overlay) over(c, s, overlay, sea, ink);
  for (const p of chosen) tube(c, s, p, sea, page);
  c.restore();
  for (const s of sits) body(c, m, s, ink, page);
  for (const h of holes) hole(c, m, h, sea, page);
  if (overs.length) leaps(c, m, overs, token("brick"), page);
  if (route) way(c, m, route, token("brick"));
  for (const [i, p] of (pins || []).entries()) pin(c, m[0] * p[0] + m[4], m[3] * p[1] + m[5], i + 1, token("brick"), page);
  if (at && at.piece >= 0) {
    const k = 4 * at.piece + (at.end ? 2 : 0);
    nozzle(c, m[0] * at.geo.xy[k] + m[4], m[3] * at.geo.xy[k + 1] + m[5], at.text, w, h, ink, page);
  }
  bar(c, s, h, ink, faded);
}

// outline traces a circle, a hexagon or a box, in pixels.
function outline(c, m, { x, y, w, d, turn, shape }) {
  const s = m[0], cx = s * x + m[4], cy = m[3] * y + m[5];
  c.beginPath();
  if (shape === "hex") {
    for (let k = 0; k < 6; k++) {
      const a = ((turn + 60 * k) * Math.PI) / 180, r = (w / Math.sqrt(3)) * s;
      c[k ? "lineTo" : "moveTo"](cx + r * Math.cos(a), cy - r * Math.sin(a));
    }
    c.closePath();
  } else if (shape === "rect" || shape === "other" || shape === "block" || shape === "square") {
    const a = (turn * Math.PI) / 180, u = [Math.cos(a), -Math.sin(a)], v = [Math.sin(a), Math.cos(a)];
    [[-1, -1], [1, -1], [1, 1], [-1, 1]].forEach(([i, j], k) => c[k ? "lineTo" : "moveTo"](cx + (s / 2) * (i * w * u[0] + j * d * v[0]), cy + (s / 2) * (i * w * u[1] + j * d * v[1])));
    c.closePath();
  } else c.arc(cx, cy, (w / 2) * s, 0, 2 * Math.PI);
  return [cx, cy];
}

// hole draws an open pocket with its measure.
function hole(c, m, h, sea, page) {
  c.save();
  const [cx, cy] = outline(c, m, h);
  c.strokeStyle = sea;
  c.lineWidth = 1.6;
  c.setLineDash([5, 3]);
  c.stroke();
  c.setLineDash([]);
  c.font = '600 12px "Source Sans 3 Variable", sans-serif';
  c.textAlign = "center";
  c.strokeStyle = page;
  c.lineWidth = 4;
  if (h.words && Math.max(h.w, h.d) * m[0] > 18) {
    c.strokeText(h.words, cx, cy + 4);
    c.fillStyle = sea;
    c.fillText(h.words, cx, cy + 4);
  }
  c.restore();
}

// body draws what lies in a pocket: filled with fine lines.
function body(c, m, s, ink, page) {
  c.save();
  outline(c, m, { ...s, w: s.shape === "block" || s.shape === "square" ? s.long : s.across, d: s.across });
  c.fillStyle = page;
  c.fill();
  c.strokeStyle = ink;
  c.lineWidth = 1.2;
  c.stroke();
  c.clip();
  c.lineWidth = 0.7;
  c.beginPath();
  const r = (Math.max(s.across, s.long) * m[0]) / 2 + 2, cx = m[0] * s.x + m[4], cy = m[3] * s.y + m[5];
  for (let k = -2 * r; k < 2 * r; k += 4) { c.moveTo(cx + k - r, cy - r); c.lineTo(cx + k + r, cy + r); }
  c.stroke();
  c.restore();
}

// leaps draws the ways on which the head is lifted.
function leaps(c, m, overs, colour, page) {
  c.save();
  for (const [w, col] of [[4, page], [1.8, colour]]) {
    c.strokeStyle = col;
    c.lineWidth = w;
    c.beginPath();
    for (const [x0, y0, x1, y1] of overs) {
      const ax = m[0] * x0 + m[4], ay = m[3] * y0 + m[5], bx = m[0] * x1 + m[4], by = m[3] * y1 + m[5];
      c.moveTo(ax, ay);
      c.quadraticCurveTo((ax + bx) / 2, (ay + by) / 2 - Math.min(30, Math.hypot(bx - ax, by - ay) / 4), bx, by);
    }
    c.stroke();
  }
  c.restore();
}

// way draws where the head goes, as a dashed line.
function way(c, m, pts, colour) {
  c.save();
  c.strokeStyle = colour;
  c.lineWidth = 1.5;
  c.setLineDash([4, 3]);
  c.beginPath();
  pts.forEach((p, i) => c[i ? "lineTo" : "moveTo"](m[0] * p[0] + m[4], m[3] * p[1] + m[5]));
  c.stroke();
  c.restore();
}

// pin marks a numbered place.
function pin(c, x, y, text, colour, page) {
  c.beginPath();
  c.arc(x, y, 9, 0, 2 * Math.PI);
  c.fillStyle = page;
  c.fill();
  c.strokeStyle = colour;
  c.lineWidth = 1.5;
  c.stroke();
  c.fillStyle = colour;
  c.font = '600 12px "Source Sans 3 Variable", sans-serif';
  c.textAlign = "center";
  c.fillText(text, x, y + 4);
  c.textAlign = "left";
}

// A dense layer is painted once and kept as a picture for as long as window,
// colour and theme stay the same.
const DENSE = 4000;
const pictures = new Map();
const whole = (p) => p.from === 0 && p.to === p.geo.n && !p.ghost;

function picture(p, m, w, h, dpr, page, ink, faded, travel) {
  const key = [p.geo.id, p.colour, travel, m, w, h, dpr, page, ink].join();
  let o = pictures.get(key);
  if (!o) {
    o = new OffscreenCanvas(Math.max(1, Math.round(w * dpr)), Math.max(1, Math.round(h * dpr)));
    const c = o.getContext("2d");
    c.setTransform(dpr, 0, 0, dpr, 0, 0);
    c.transform(...m);
    c.lineCap = "round";
    c.lineJoin = "round";
    lay(c, m[0], p, page, ink, faded, travel);
    pictures.set(key, o);
    if (pictures.size > 10) pictures.delete(pictures.keys().next().value);
  }
  return o;
}

// ahead paints a dense layer before it is asked for.
export function ahead(canvas, view, p, travel) {
  const w = canvas.clientWidth, h = canvas.clientHeight;
  if (w && h && p.geo.n > DENSE && whole(p)) picture(p, view.matrix(w, h), w, h, window.devicePixelRatio || 1, token("page"), token("ink"), token("faded"), travel);
}

function lay(c, s, { geo, from, to, colour, ghost }, page, ink, faded, travel) {
  const groups = range(geo, from, to);
  if (ghost) { // muted: it will not be laid
    c.strokeStyle = faded;
    c.lineWidth = 1 / s;
    c.setLineDash([3 / s, 3 / s]);
    for (const g of groups) if (g.kind !== WAY) c.stroke(g.path);
    c.setLineDash([]);
    return;
  }
  const pale = contrast(colour, page) < 1.7;
  const close = contrast(colour, page) < 1.25;
  if (pale) {
    // An edge, so that white can be seen on paper and black at night.
    c.strokeStyle = mix(colour, ink, close ? 0.5 : 0.38);
    for (const g of groups) {
      if (g.kind === WAY) continue;
      c.lineWidth = Math.max(g.width * thins[g.kind], 0.7 / s) + 1.3 / s;
      c.globalAlpha = g.kind === 1 || g.kind === 2 ? 1 : 0.55;
      c.stroke(g.path);
    }
    c.globalAlpha = 1;
  }
  for (const g of groups) {
    if (g.kind === WAY) {
      if (!travel) continue;
      c.strokeStyle = faded;
      c.lineWidth = 0.8 / s;
      c.setLineDash([2 / s, 3 / s]);
      c.stroke(g.path);
      c.setLineDash([]);
      continue;
    }
    const t = tones[g.kind];
    c.strokeStyle = g.kind === 1 ? mix(colour, ink, pale ? 0.06 : 0.08) : mix(colour, page, pale ? t * 0.7 : t);
    c.lineWidth = Math.max(g.width * thins[g.kind], 0.7 / s);
    c.stroke(g.path);
  }
}

// tube draws a path that is chosen: an edge on both sides of what it lays.
function tube(c, s, { geo, from, to }, sea, page) {
  for (const g of range(geo, from, to)) {
    if (g.kind === WAY) continue;
    c.strokeStyle = sea;
    c.lineWidth = Math.max(g.width, 1 / s) + 3.5 / s;
    c.stroke(g.path);
    c.strokeStyle = page;
    c.lineWidth = Math.max(g.width * 0.55, 1 / s);
    c.stroke(g.path);
  }
}

// over hatches what lies over nothing and dots what is covered.
function over(c, s, o, sea, ink) {
  const area = (runs) => {
    const p = new Path2D();
    const h = runs.length > 3 ? Math.max(cell(runs), 0.05) : 0.2;
    for (let i = 0; i + 2 < runs.length; i += 3) p.rect(runs[i + 1], runs[i] - h / 2, runs[i + 2] - runs[i + 1], h);
    return p;
  };
  for (const [runs, draw] of [[o.fresh, hatch], [o.covered, speckle]]) {
    if (!runs.length) continue;
    const p = area(runs);
    let x0 = Infinity, y0 = Infinity, x1 = -Infinity, y1 = -Infinity;
    for (let i = 0; i + 2 < runs.length; i += 3) { y0 = Math.min(y0, runs[i]); y1 = Math.max(y1, runs[i]); x0 = Math.min(x0, runs[i + 1]); x1 = Math.max(x1, runs[i + 2]); }
    c.save();
    c.clip(p);
    draw(c, s, x0, y0, x1, y1, sea, ink);
    c.restore();
  }
}

// cell is the height of a row of runs.
function cell(runs) {
  for (let i = 3; i + 2 < runs.length; i += 3) { const d = runs[i] - runs[i - 3]; if (d > 1e-4) return d * 1.02; }
  return 0.2;
}

function hatch(c, s, x0, y0, x1, y1, sea) {
  c.strokeStyle = sea;
  c.lineWidth = 1.4 / s;
  c.beginPath();
  const step = 5 / s;
  for (let x = x0 - (y1 - y0) - step; x < x1 + step; x += step) { c.moveTo(x, y0 - step); c.lineTo(x + (y1 - y0) + 2 * step, y1 + step); }
  c.stroke();
}

function speckle(c, s, x0, y0, x1, y1, sea) {
  c.fillStyle = sea;
  const step = 5 / s;
  for (let y = y0; y <= y1; y += step) for (let x = x0; x <= x1; x += step) { c.beginPath(); c.arc(x, y, 1.1 / s, 0, 7); c.fill(); }
}

function dots(c, m, w, h, s, rule) {
  let step = 5;
  while (step * s < 14) step *= 2;
  while (step * s > 60) step /= 2;
  c.fillStyle = rule;
  const x0 = Math.ceil(-m[4] / s / step), x1 = (w - m[4]) / s / step;
  const y0 = Math.ceil((m[5] - h) / s / step), y1 = m[5] / s / step;
  if ((x1 - x0) * (y1 - y0) > 20000) return;
  for (let i = x0; i <= x1; i++) for (let j = y0; j <= y1; j++) c.fillRect(m[4] + i * step * s - 0.6, m[5] - j * step * s - 0.6, 1.2, 1.2);
}

function nozzle(c, x, y, text, w, h, ink, page) {
  c.lineWidth = 1.8;
  c.strokeStyle = ink;
  c.fillStyle = page;
  c.beginPath();
  c.arc(x, y, 6.5, 0, 2 * Math.PI);
  c.fill();
  c.stroke();
  c.fillStyle = ink;
  c.beginPath();
  c.arc(x, y, 2.2, 0, 2 * Math.PI);
  c.fill();
  c.font = '12px "Source Sans 3 Variable", sans-serif';
  const tw = c.measureText(text).width;
  // Away from the middle, where the part is.
  let tx = x - tw / 2, ty = y > h / 2 ? y + 22 : y - 13;
  tx = Math.max(4, Math.min(w - tw - 4, tx));
  ty = Math.max(12, Math.min(h - 24, ty));
  c.strokeStyle = page;
  c.lineWidth = 4;
  c.strokeText(text, tx, ty);
  c.fillText(text, tx, ty);
}

function bar(c, s, h, ink, faded) {
  const nice = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find((v) => v * s > 44) || 200;
  const y = h - 12, x = 16;
  c.strokeStyle = faded;
  c.lineWidth = 1;
  c.beginPath();
  c.moveTo(x, y - 3); c.lineTo(x, y + 3);
  c.moveTo(x, y); c.lineTo(x + nice * s, y);
  c.moveTo(x + nice * s, y - 3); c.lineTo(x + nice * s, y + 3);
  c.stroke();
  c.fillStyle = ink;
  c.font = '12px "Source Sans 3 Variable", sans-serif';
  c.fillText(`${nice} mm`, x + nice * s + 7, y + 4);
}

// nearest returns the piece from … to-1 within reach (mm) of a place, or -1.
export function nearest(g, from, to, x, y, reach, travel) {
  let best = -1, d = reach * reach;
  for (let i = from; i < to; i++) {
    if (g.kind[i] === WAY && !travel) continue;
    const x0 = g.xy[4 * i], y0 = g.xy[4 * i + 1], dx = g.xy[4 * i + 2] - x0, dy = g.xy[4 * i + 3] - y0;
    const q = dx * dx + dy * dy;
    const t = q > 0 ? Math.max(0, Math.min(1, ((x - x0) * dx + (y - y0) * dy) / q)) : 0;
    const ex = x - x0 - t * dx, ey = y - y0 - t * dy, e = ex * ex + ey * ey;
    if (e < d) { d = e; best = i; }
  }
  return best;
}

// pans lets a page be moved by dragging; a double click fits it again.
export function pans(canvas, view, redraw) {
  canvas.addEventListener("pointerdown", (e) => canvas.setPointerCapture(e.pointerId));
  canvas.addEventListener("pointermove", (e) => {
    if (!canvas.hasPointerCapture(e.pointerId)) return;
    const s = view.scale(canvas.clientWidth, canvas.clientHeight);
    view.dx -= e.movementX / s;
    view.dy += e.movementY / s;
    redraw();
  });
  canvas.addEventListener("dblclick", () => { view.fit(); redraw(); });
}

// zooms lets the wheel zoom at the pointer; redraw draws both pages.
export function zooms(canvas, view, redraw) {
  canvas.addEventListener("wheel", (e) => {
    e.preventDefault();
    const r = canvas.getBoundingClientRect();
    const [x, y] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
    view.zoom = Math.max(0.5, Math.min(60, view.zoom * Math.exp(-e.deltaY / 300)));
    const [x1, y1] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
    view.dx += x - x1;
    view.dy += y - y1;
    redraw();
  }, { passive: false });
}
