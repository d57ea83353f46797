// What a layer lays, as the server sends it: pieces of paths, and areas as runs of cells.

import { CLASSES, TRAVEL } from "./classes.js";

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
  const a = v.getUint32(0, true),
    b = v.getUint32(4, true);
  const f = new Float32Array(buf, 16);
  const area = { fresh: v.getFloat32(8, true), covered: v.getFloat32(12, true) }; // mm²
  return { fresh: f.subarray(0, 3 * a), covered: f.subarray(3 * a, 3 * (a + b)), area };
}

// paths groups pieces from … to-1 into one Path2D for each kind and width.
function paths(g, from, to) {
  const groups = new Map();
  let px = NaN,
    py = NaN,
    last = -1;
  for (let i = from; i < to; i++) {
    const key =
      g.kind[i] * 256 + (g.kind[i] === TRAVEL ? 0 : Math.max(4, Math.round(g.width[i] / 4) * 4));
    let p = groups.get(key);
    if (!p) groups.set(key, (p = new Path2D()));
    const x = g.xy[4 * i],
      y = g.xy[4 * i + 1];
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
export function range(g, from, to) {
  g.blocks ??= [];
  const out = [];
  for (let b = Math.floor(from / BLOCK); b * BLOCK < to; b++) {
    const x = Math.max(from, b * BLOCK),
      y = Math.min(to, (b + 1) * BLOCK, g.n);
    if (x >= y) continue;
    if (x === b * BLOCK && y === Math.min((b + 1) * BLOCK, g.n))
      out.push(...(g.blocks[b] ??= paths(g, x, y)));
    else out.push(...paths(g, x, y));
  }
  return out.sort((a, b) => CLASSES[a.kind].above - CLASSES[b.kind].above);
}

// along returns how far along piece i, 0 to 1, what lies nearest to a place is.
export function along(g, i, x, y) {
  const x0 = g.xy[4 * i],
    y0 = g.xy[4 * i + 1],
    dx = g.xy[4 * i + 2] - x0,
    dy = g.xy[4 * i + 3] - y0;
  const q = dx * dx + dy * dy;
  return q > 0 ? Math.max(0, Math.min(1, ((x - x0) * dx + (y - y0) * dy) / q)) : 0;
}

// placeOn returns the place so far along piece i.
function placeOn(g, i, t) {
  const x0 = g.xy[4 * i],
    y0 = g.xy[4 * i + 1];
  return [x0 + t * (g.xy[4 * i + 2] - x0), y0 + t * (g.xy[4 * i + 3] - y0)];
}

// lengthOf returns how long piece i is, mm.
export function lengthOf(g, i) {
  return Math.hypot(g.xy[4 * i + 2] - g.xy[4 * i], g.xy[4 * i + 3] - g.xy[4 * i + 1]);
}

// stretch returns the stretch of piece i from a to b, 0 to 1, as a geometry of its own.
export function stretch(g, i, a, b) {
  return {
    id: ++made,
    n: 1,
    xy: Float32Array.of(...placeOn(g, i, a), ...placeOn(g, i, b)),
    line: g.line.slice(i, i + 1),
    kind: g.kind.slice(i, i + 1),
    width: g.width.slice(i, i + 1),
    blocks: null,
  };
}

// nearest returns the piece from … to-1 within reach (mm) of a place, or -1.
export function nearest(g, from, to, x, y, reach, travel) {
  let best = -1,
    d = reach * reach;
  for (let i = from; i < to; i++) {
    if (g.kind[i] === TRAVEL && !travel) continue;
    const [px, py] = placeOn(g, i, along(g, i, x, y));
    const ex = x - px,
      ey = y - py,
      e = ex * ex + ey * ey;
    if (e < d) {
      d = e;
      best = i;
    }
  }
  return best;
}

// firstLaid returns the first of pieces from … to-1 that lays plastic, or -1; lastLaid the last.
export function firstLaid(g, from = 0, to = g.n) {
  for (let i = from; i < to; i++) if (g.kind[i] !== TRAVEL) return i;
  return -1;
}

export function lastLaid(g, from = 0, to = g.n) {
  for (let i = to - 1; i >= from; i--) if (g.kind[i] !== TRAVEL) return i;
  return -1;
}
