// View is the common window of both pages: mm to pixels.
export class View {
  constructor(box) {
    this.box = box;
    this.zoom = 1;
    this.dx = 0;
    this.dy = 0;
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
    if (!canvas.hasPointerCapture(e.pointerId)) return;
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

// zooms lets the wheel zoom at the pointer; redraw draws both pages.
export function zooms(canvas, view, redraw) {
  canvas.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      const r = canvas.getBoundingClientRect();
      const [x, y] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
      view.zoom = Math.max(0.5, Math.min(60, view.zoom * Math.exp(-e.deltaY / 300)));
      const [x1, y1] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
      view.dx += x - x1;
      view.dy += y - y1;
      redraw();
    },
    { passive: false },
  );
}
