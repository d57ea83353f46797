import { contrast, mix, token } from "./colour.js";

// Classes of path as the server numbers them (core/layer.Class).
const WAY = 0;
const tones = [0, 0, 0.28, 0.56, 0.4, 0.66, 0.62, 0.4]; // share of the page's colour
const thins = [1, 1, 0.9, 0.8, 0.85, 0.7, 0.7, 0.8]; // of the laid width

// parse reads what /prints/:id/layers/:n sends.
export function parse(buf) {
  const n = new DataView(buf).getUint32(0, true);
  const xy = new Float32Array(buf, 4, 4 * n);
  const line = new Uint32Array(buf, 4 + 16 * n, n);
  const kind = new Uint8Array(buf, 4 + 20 * n, n);
  const width = new Uint8Array(buf, 4 + 21 * n, n);
  let first = -1, last = -1;
  for (let i = 0; i < n; i++) if (kind[i] !== WAY) { if (first < 0) first = i; last = i; }
  return { n, xy, line, kind, width, first, last, drawn: null, outline: null };
}

// prepare groups the pieces into one Path2D for each kind and width, once.
function prepare(g) {
  if (g.drawn) return g.drawn;
  const groups = new Map();
  let px = NaN, py = NaN, last = -1;
  for (let i = 0; i < g.n; i++) {
    const key = g.kind[i] * 256 + (g.kind[i] === WAY ? 0 : Math.max(5, Math.round(g.width[i] / 4) * 4));
    let p = groups.get(key);
    if (!p) groups.set(key, (p = new Path2D()));
    const x = g.xy[4 * i], y = g.xy[4 * i + 1];
    if (key !== last || x !== px || y !== py) p.moveTo(x, y);
    px = g.xy[4 * i + 2];
    py = g.xy[4 * i + 3];
    p.lineTo(px, py);
    last = key;
  }
  const order = [WAY, 5, 3, 4, 6, 7, 2, 1];
  g.drawn = [...groups].map(([key, path]) => ({ kind: key >> 8, width: (key & 255) / 50, path }))
    .sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind));
  return g.drawn;
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
}

// draw paints one page. geo is what is laid, below the layer under it (or null).
export function draw(canvas, view, { geo, below, colour, travel, at, nothing }) {
  const dpr = window.devicePixelRatio || 1;
  const w = canvas.clientWidth, h = canvas.clientHeight;
  if (w === 0 || h === 0) return;
  if (canvas.width !== Math.round(w * dpr) || canvas.height !== Math.round(h * dpr)) {
    canvas.width = Math.round(w * dpr);
    canvas.height = Math.round(h * dpr);
  }
  const c = canvas.getContext("2d");
  const page = token("page"), ink = token("ink"), faded = token("faded"), rule = token("rule");
  c.setTransform(dpr, 0, 0, dpr, 0, 0);
  c.clearRect(0, 0, w, h);
  const m = view.matrix(w, h), s = m[0];
  dots(c, m, w, h, s, rule);
  if (nothing) {
    c.fillStyle = faded;
    c.font = '13.5px "Source Sans 3 Variable", sans-serif';
    c.textAlign = "center";
    c.fillText(nothing, w / 2, h / 2);
    c.textAlign = "left";
    return;
  }
  if (!geo) return;
  c.save();
  c.transform(...m);
  c.lineCap = "round";
  c.lineJoin = "round";
  if (below) {
    // The layer before, faint: only its walls.
    c.strokeStyle = mix(page, ink, 0.2);
    c.lineWidth = 1.2 / s;
    for (const g of prepare(below)) if (g.kind === 1) c.stroke(g.path);
  }
  const pale = contrast(colour, page) < 1.7;
  const dark = contrast(colour, page) < 1.25;
  const groups = prepare(geo);
  if (pale) {
    // An edge, so that white can be seen on paper and black at night.
    c.strokeStyle = mix(colour, ink, dark ? 0.5 : 0.38);
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
  c.restore();
  if (at && geo.first >= 0) {
    const i = at === "end" ? geo.last : geo.first;
    const k = 4 * i + (at === "end" ? 2 : 0);
    nozzle(c, m[0] * geo.xy[k] + m[4], m[3] * geo.xy[k + 1] + m[5], at === "end" ? "ends here" : "begins here", w, h, ink, page);
  }
  bar(c, s, h, ink, faded);
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
