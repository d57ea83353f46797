// over hatches what lies over nothing and dots what is covered.
export function over(c, s, o, sea, ink) {
  const area = (runs) => {
    const p = new Path2D();
    const h = runs.length > 3 ? Math.max(cell(runs), 0.05) : 0.2;
    for (let i = 0; i + 2 < runs.length; i += 3)
      p.rect(runs[i + 1], runs[i] - h / 2, runs[i + 2] - runs[i + 1], h);
    return p;
  };
  for (const [runs, draw] of [
    [o.fresh, hatch],
    [o.covered, speckle],
  ]) {
    if (!runs.length) continue;
    const p = area(runs);
    let x0 = Infinity,
      y0 = Infinity,
      x1 = -Infinity,
      y1 = -Infinity;
    for (let i = 0; i + 2 < runs.length; i += 3) {
      y0 = Math.min(y0, runs[i]);
      y1 = Math.max(y1, runs[i]);
      x0 = Math.min(x0, runs[i + 1]);
      x1 = Math.max(x1, runs[i + 2]);
    }
    c.save();
    c.clip(p);
    draw(c, s, x0, y0, x1, y1, sea, ink);
    c.restore();
  }
}

// cell is the height of a row of runs.
function cell(runs) {
  for (let i = 3; i + 2 < runs.length; i += 3) {
    const d = runs[i] - runs[i - 3];
    if (d > 1e-4) return d * 1.02;
  }
  return 0.2;
}

function hatch(c, s, x0, y0, x1, y1, sea) {
  c.strokeStyle = sea;
  c.lineWidth = 1.4 / s;
  c.beginPath();
  const step = 5 / s;
  for (let x = x0 - (y1 - y0) - step; x < x1 + step; x += step) {
    c.moveTo(x, y0 - step);
    c.lineTo(x + (y1 - y0) + 2 * step, y1 + step);
  }
  c.stroke();
}

function speckle(c, s, x0, y0, x1, y1, sea) {
  c.fillStyle = sea;
  const step = 5 / s;
  for (let y = y0; y <= y1; y += step)
    for (let x = x0; x <= x1; x += step) {
      c.beginPath();
      c.arc(x, y, 1.1 / s, 0, 7);
      c.fill();
    }
}
