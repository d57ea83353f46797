import { csrf, say } from "./say.js";
import { SKIRT, TRAVEL } from "./classes.js";

// Photo is a picture of the part that lies under the left page of a pick-up. Two places of it
// are dragged onto what the layer has there; that turns, moves and scales it to the bed.

// A picture is made so small before it is sent, dots.
const LARGEST = 1600;

export class Photo {
  // redraw draws the pages anew; post sends a change; shown tells the layer that is compared;
  // fetched is called when a picture has arrived.
  constructor(root, id, { redraw, post, shown, fetched }) {
    Object.assign(this, { root, id, redraw, post, shown, fetched });
    this.plastic = 0.6;
    this.of = 0;
    this.img = null;
    this.pinning = false;
    // Whether the places are those of layer 1: where the foot of a part is seen from above,
    // nobody needs to know which layer is on top.
    this.foot = false;
    // A picture that is dropped on the page is no new print.
    root.addEventListener("dragover", (e) => {
      if (this.over(e)) e.preventDefault();
    });
    root.addEventListener("drop", (e) => {
      const file = this.over(e) && [...e.dataTransfer.files].find((f) => /^image\//.test(f.type));
      if (!file) return;
      e.preventDefault();
      e.stopPropagation();
      document.dispatchEvent(new CustomEvent("dogear:dropped"));
      this.send(file);
    });
  }

  over(e) {
    return e.target.closest("[data-photo-place]");
  }

  // fresh takes in what the page knows of the picture; wire listens on what was sent anew.
  fresh(state) {
    this.state = state;
    const p = state.photo;
    if (!p) {
      Object.assign(this, { of: 0, img: null, pinning: false });
    } else if (this.of !== p.id) {
      this.of = p.id;
      this.img = null;
      this.pinning = this.unpinned(p);
      const img = new Image();
      img.onload = () => {
        if (this.of !== p.id) return;
        this.img = img;
        this.show();
        this.redraw();
      };
      img.src = `/prints/${this.id}/photos/${p.id}`;
    }
    this.wire();
    this.show();
  }

  unpinned(p) {
    return p.at[0][0] === p.at[1][0] && p.at[0][1] === p.at[1][1];
  }

  q(sel) {
    return this.root.querySelector(sel);
  }

  wire() {
    this.q("[data-photo]")?.addEventListener("change", (e) => {
      if (e.target.files[0]) this.send(e.target.files[0]);
    });
    const fade = this.q("[data-fade]");
    if (fade) {
      fade.value = Math.round(100 * this.plastic);
      fade.addEventListener("input", () => {
        this.plastic = fade.value / 100;
        this.redraw();
      });
    }
    this.q("[data-pin]")?.addEventListener("click", () => {
      this.pinning = true;
      this.show();
      this.redraw();
    });
    const foot = this.q("[data-foot]");
    if (foot) {
      foot.checked = this.foot;
      foot.addEventListener("change", () => {
        this.foot = foot.checked;
        this.redraw();
      });
    }
    this.q("[data-pinned]")?.addEventListener("click", () => this.done());
    this.root.querySelectorAll("[data-handle]").forEach((h, i) => this.handle(h, i));
  }

  // handle lets one of the two places be dragged, or moved by the arrows.
  handle(h, i) {
    const to = (x, y) => {
      this.pins[i] = [Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, 0), 1)];
      this.put();
    };
    h.addEventListener("pointerdown", (e) => h.setPointerCapture(e.pointerId));
    h.addEventListener("pointermove", (e) => {
      if (!h.hasPointerCapture(e.pointerId)) return;
      const r = this.q("[data-picture]").getBoundingClientRect();
      to((e.clientX - r.left) / r.width, (e.clientY - r.top) / r.height);
    });
    h.addEventListener("keydown", (e) => {
      const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[
        e.key
      ];
      if (!by) return;
      e.preventDefault();
      const step = e.shiftKey ? 0.05 : 0.005;
      to(this.pins[i][0] + step * by[0], this.pins[i][1] + step * by[1]);
    });
  }

  put() {
    this.root.querySelectorAll("[data-handle]").forEach((h, i) => {
      h.style.left = `${100 * this.pins[i][0]}%`;
      h.style.top = `${100 * this.pins[i][1]}%`;
    });
  }

  // show sets the picture up for being pinned, or hides it.
  show() {
    const box = this.q("[data-pinning]");
    if (!box) return;
    const on = this.pinning && !!this.img;
    if (on && box.hidden) {
      this.pins = this.state.photo.pins.map((p) => [...p]);
      this.q("[data-picture] img").src = this.img.src;
      this.put();
    }
    box.hidden = !on;
  }

  // places are the two of the layer that are pinned: its lower left and its upper right end.
  places() {
    const s = this.shown();
    if (!s) return null;
    const { geo } = s;
    let a = -1,
      b = -1;
    const sum = (k) => geo.xy[k] + geo.xy[k + 1];
    for (let i = 0; i < geo.n; i++) {
      if (geo.kind[i] === TRAVEL || geo.kind[i] === SKIRT) continue;
      for (const k of [4 * i, 4 * i + 2]) {
        if (a < 0 || sum(k) < sum(a)) a = k;
        if (b < 0 || sum(k) > sum(b)) b = k;
      }
    }
    if (a < 0) return null;
    return [a, b].map((k) => [geo.xy[k], geo.xy[k + 1]]);
  }

  done() {
    const at = this.places();
    if (!at) return say("Say first what you know, so that there is a layer to compare with.");
    this.pinning = false;
    const values = {};
    for (const i of [0, 1]) {
      values[`px${i + 1}`] = this.pins[i][0];
      values[`py${i + 1}`] = this.pins[i][1];
      values[`x${i + 1}`] = at[i][0];
      values[`y${i + 1}`] = at[i][1];
    }
    this.post("photo/pin", values);
  }

  // under is how the picture lies under the page; null when it does not.
  under() {
    const p = this.state?.photo;
    if (!p || !this.img || this.pinning || this.unpinned(p)) return null;
    // Dots count downwards, mm upwards: mirrored, the rest is one turn and one scale.
    const { naturalWidth: w, naturalHeight: h } = this.img;
    const [q1, q2] = p.pins.map(([x, y]) => [x * w, -y * h]);
    const [m1, m2] = p.at;
    const dq = [q2[0] - q1[0], q2[1] - q1[1]],
      dm = [m2[0] - m1[0], m2[1] - m1[1]];
    const len = dq[0] ** 2 + dq[1] ** 2;
    if (!len) return null;
    const a = (dm[0] * dq[0] + dm[1] * dq[1]) / len,
      b = (dm[1] * dq[0] - dm[0] * dq[1]) / len;
    const e = m1[0] - a * q1[0] + b * q1[1],
      f = m1[1] - b * q1[0] - a * q1[1];
    return { img: this.img, matrix: [a, b, b, -a, e, f], plastic: this.plastic };
  }

  // send makes a picture small, and sends it: only its dots, nothing that a camera wrote along.
  async send(file) {
    let jpeg = null;
    try {
      const map = await createImageBitmap(file);
      const k = Math.min(1, LARGEST / Math.max(map.width, map.height));
      const c = document.createElement("canvas");
      c.width = Math.max(1, Math.round(map.width * k));
      c.height = Math.max(1, Math.round(map.height * k));
      c.getContext("2d").drawImage(map, 0, 0, c.width, c.height);
      jpeg = await new Promise((done) => c.toBlob(done, "image/jpeg", 0.85));
    } catch {
      // said below
    }
    if (!jpeg) return say("This is no picture that the browser can read.");
    const r = await fetch(`/prints/${this.id}/pickup/photo`, {
      method: "POST",
      body: jpeg,
      headers: { "X-Csrf-Token": csrf(), "Content-Type": "image/jpeg", Accept: "text/plain" },
    }).catch(() => null);
    if (!r) return say("Dogear does not answer. Is it still running?");
    if (!r.ok) return say(await r.text());
    this.fetched();
  }
}
