import { say } from "./say.js";

// sideways reads the height of a part off a picture from the side: three levels are dragged,
// the bed, a height that is known, and the top. The picture stays in the browser.

// At most so wide on the page, and high, dots.
const WIDE = 560,
  HIGH = 420;

export function sideways(root) {
  const q = (sel) => root.querySelector(sel);
  const box = q("[data-side]");
  const at = { bed: 0.9, known: 0.6, top: 0.3 }; // shares of the height, from above
  const levels = [...box.querySelectorAll("[data-level]")];

  function show() {
    for (const b of levels) b.style.top = `${100 * at[b.dataset.level]}%`;
    const known = Number(q("#ev-known").value.replace(",", "."));
    const unit = at.bed - at.known;
    if (!(known > 0) || !(unit > 0) || box.hidden) return;
    const high = (known * (at.bed - at.top)) / unit;
    if (high > 0) q("#ev-value").value = high.toFixed(1);
  }

  for (const b of levels) {
    const name = b.dataset.level;
    const to = (share) => {
      at[name] = Math.min(Math.max(share, 0), 1);
      show();
    };
    b.addEventListener("pointerdown", (e) => b.setPointerCapture(e.pointerId));
    b.addEventListener("pointermove", (e) => {
      if (!b.hasPointerCapture(e.pointerId)) return;
      const r = box.getBoundingClientRect();
      to((e.clientY - r.top) / r.height);
    });
    b.addEventListener("keydown", (e) => {
      const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
      if (!by) return;
      e.preventDefault();
      to(at[name] + by * (e.shiftKey ? 0.05 : 0.002));
    });
  }
  q("#ev-known").addEventListener("input", show);
  q("[data-side-file]").addEventListener("change", async (e) => {
    let map;
    try {
      map = await createImageBitmap(e.target.files[0]);
    } catch {
      return say("This is no picture that the browser can read.");
    }
    const k = Math.min(1, WIDE / map.width, HIGH / map.height);
    const c = box.querySelector("canvas");
    c.width = Math.max(1, Math.round(map.width * k));
    c.height = Math.max(1, Math.round(map.height * k));
    c.getContext("2d").drawImage(map, 0, 0, c.width, c.height);
    box.hidden = false;
    show();
  });
}
