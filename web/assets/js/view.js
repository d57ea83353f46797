// View is the common window of both pages: mm to pixels.
export class View {
  constructor(box) {
    this.box = box;
    this.zoom = 1;
    this.dx = 0;
    this.dy = 0;
    this.pinched = false; // while two fingers zoom
  }
  fit() {
    this.zoom = 1;
    this.dx = 0;
    this.dy = 0;
  }
  scale(w, h) {
    const m = 26;
    return (
      Math.min(
        (w - 2 * m) / Math.max(this.box[2] - this.box[0], 1),
        (h - 2 * m - 14) / Math.max(this.box[3] - this.box[1], 1),
      ) * this.zoom
    );
  }
  // matrix maps mm to pixels of a canvas w × h (y goes up in mm, down in px).
  matrix(w, h) {
    const s = this.scale(w, h);
    const cx = (this.box[0] + this.box[2]) / 2 + this.dx,
      cy = (this.box[1] + this.box[3]) / 2 + this.dy;
    return [s, 0, 0, -s, w / 2 - cx * s, (h - 14) / 2 + cy * s];
  }
  // place maps a pixel to mm.
  place(w, h, x, y) {
    const m = this.matrix(w, h);
    return [(x - m[4]) / m[0], (m[5] - y) / m[0]];
  }
}

// pans lets a page be moved by dragging; a double click fits it again.
export function pans(canvas, view, redraw) {
  canvas.addEventListener("pointerdown", (e) => canvas.setPointerCapture(e.pointerId));
  canvas.addEventListener("pointermove", (e) => {
    if (!canvas.hasPointerCapture(e.pointerId) || view.pinched) return;
    const s = view.scale(canvas.clientWidth, canvas.clientHeight);
    view.dx -= e.movementX / s;
    view.dy += e.movementY / s;
    redraw();
  });
  canvas.addEventListener("dblclick", () => {
    view.fit();
    redraw();
  });
}

// zooms lets the wheel zoom at the pointer, and two fingers where they are; redraw draws
// both pages.
export function zooms(canvas, view, redraw) {
  const at = (x, y) => {
    const r = canvas.getBoundingClientRect();
    return view.place(r.width, r.height, x - r.left, y - r.top);
  };
  // zoom keeps what lies at one place of the screen there, or takes it to another.
  const zoom = (by, x, y, toX = x, toY = y) => {
    const [a, b] = at(x, y);
    view.zoom = Math.max(0.5, Math.min(60, view.zoom * by));
    const [c, d] = at(toX, toY);
    view.dx += a - c;
    view.dy += b - d;
    redraw();
  };
  pinches(canvas, view, zoom);
  canvas.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      zoom(Math.exp(-e.deltaY / 300), e.clientX, e.clientY);
    },
    { passive: false },
  );
}

// pinches zooms and moves with two fingers.
function pinches(canvas, view, zoom) {
  const fingers = new Map();
  const pair = () => {
    const [a, b] = [...fingers.values()];
    return [(a.x + b.x) / 2, (a.y + b.y) / 2, Math.hypot(a.x - b.x, a.y - b.y)];
  };
  const put = (e) => fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
  canvas.addEventListener("pointerdown", (e) => {
    if (e.pointerType !== "touch") return;
    put(e);
    view.pinched = fingers.size > 1;
  });
  canvas.addEventListener("pointermove", (e) => {
    if (!fingers.has(e.pointerId)) return;
    if (fingers.size !== 2) return put(e);
    const [x, y, far] = pair();
    put(e);
    const [toX, toY, now] = pair();
    if (far > 0) zoom(now / far, x, y, toX, toY);
  });
  for (const over of ["pointerup", "pointercancel"])
    canvas.addEventListener(over, (e) => {
      fingers.delete(e.pointerId);
      if (!fingers.size) view.pinched = false;
    });
}
