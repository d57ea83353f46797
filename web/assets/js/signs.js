// What is written and drawn on a page besides paths.

// outline traces a circle, a hexagon or a box, in pixels.
function outline(c, m, { x, y, w, d, turn, shape }) {
  const s = m[0],
    cx = s * x + m[4],
    cy = m[3] * y + m[5];
  c.beginPath();
  if (shape === "hex") {
    for (let k = 0; k < 6; k++) {
      const a = ((turn + 60 * k) * Math.PI) / 180,
        r = (w / Math.sqrt(3)) * s;
      c[k ? "lineTo" : "moveTo"](cx + r * Math.cos(a), cy - r * Math.sin(a));
    }
    c.closePath();
  } else if (shape === "rect" || shape === "other" || shape === "block" || shape === "square") {
    const a = (turn * Math.PI) / 180,
      u = [Math.cos(a), -Math.sin(a)],
      v = [Math.sin(a), Math.cos(a)];
    [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ].forEach(([i, j], k) =>
      c[k ? "lineTo" : "moveTo"](
        cx + (s / 2) * (i * w * u[0] + j * d * v[0]),
        cy + (s / 2) * (i * w * u[1] + j * d * v[1]),
      ),
    );
    c.closePath();
  } else c.arc(cx, cy, (w / 2) * s, 0, 2 * Math.PI);
  return [cx, cy];
}

// hole draws an open pocket with its measure.
export function hole(c, m, h, sea, page) {
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
export function body(c, m, s, ink, page) {
  c.save();
  outline(c, m, {
    ...s,
    w: s.shape === "block" || s.shape === "square" ? s.long : s.across,
    d: s.across,
  });
  c.fillStyle = page;
  c.fill();
  c.strokeStyle = ink;
  c.lineWidth = 1.2;
  c.stroke();
  c.clip();
  c.lineWidth = 0.7;
  c.beginPath();
  const r = (Math.max(s.across, s.long) * m[0]) / 2 + 2,
    cx = m[0] * s.x + m[4],
    cy = m[3] * s.y + m[5];
  for (let k = -2 * r; k < 2 * r; k += 4) {
    c.moveTo(cx + k - r, cy - r);
    c.lineTo(cx + k + r, cy + r);
  }
  c.stroke();
  c.restore();
}

// leaps draws the ways on which the head is lifted.
export function leaps(c, m, overs, colour, page) {
  c.save();
  for (const [w, col] of [
    [4, page],
    [1.8, colour],
  ]) {
    c.strokeStyle = col;
    c.lineWidth = w;
    c.beginPath();
    for (const [x0, y0, x1, y1] of overs) {
      const ax = m[0] * x0 + m[4],
        ay = m[3] * y0 + m[5],
        bx = m[0] * x1 + m[4],
        by = m[3] * y1 + m[5];
      c.moveTo(ax, ay);
      c.quadraticCurveTo(
        (ax + bx) / 2,
        (ay + by) / 2 - Math.min(30, Math.hypot(bx - ax, by - ay) / 4),
        bx,
        by,
      );
    }
    c.stroke();
  }
  c.restore();
}

// way draws where the head goes, as a dashed line.
export function way(c, m, pts, colour) {
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
export function pin(c, x, y, text, colour, page) {
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

export function dots(c, m, w, h, s, rule) {
  let step = 5;
  while (step * s < 14) step *= 2;
  while (step * s > 60) step /= 2;
  c.fillStyle = rule;
  const x0 = Math.ceil(-m[4] / s / step),
    x1 = (w - m[4]) / s / step;
  const y0 = Math.ceil((m[5] - h) / s / step),
    y1 = m[5] / s / step;
  if ((x1 - x0) * (y1 - y0) > 20000) return;
  for (let i = x0; i <= x1; i++)
    for (let j = y0; j <= y1; j++)
      c.fillRect(m[4] + i * step * s - 0.6, m[5] - j * step * s - 0.6, 1.2, 1.2);
}

export function nozzle(c, x, y, text, w, h, ink, page, clear = []) {
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
  // Away from the middle, where the part is, unless it would cover one of some places there.
  const tx = Math.max(4, Math.min(w - tw - 4, x - tw / 2));
  const sides = y > h / 2 ? [y + 22, y - 13] : [y - 13, y + 22];
  const covers = (ty) =>
    clear.some(([px, py]) => px > tx - 9 && px < tx + tw + 9 && Math.abs(py - ty + 4) < 16);
  const ty = Math.max(12, Math.min(h - 24, sides.find((v) => !covers(v)) ?? sides[0]));
  c.strokeStyle = page;
  c.lineWidth = 4;
  c.strokeText(text, tx, ty);
  c.fillText(text, tx, ty);
}

export function bar(c, s, h, ink, faded) {
  const nice = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find((v) => v * s > 44) || 200;
  const y = h - 12,
    x = 16;
  c.strokeStyle = faded;
  c.lineWidth = 1;
  c.beginPath();
  c.moveTo(x, y - 3);
  c.lineTo(x, y + 3);
  c.moveTo(x, y);
  c.lineTo(x + nice * s, y);
  c.moveTo(x + nice * s, y - 3);
  c.lineTo(x + nice * s, y + 3);
  c.stroke();
  c.fillStyle = ink;
  c.font = '12px "Source Sans 3 Variable", sans-serif';
  c.fillText(`${nice} mm`, x + nice * s + 7, y + 4);
}
