import htmx from "htmx.org";
import { nearest } from "./geometry.js";
import { zooms } from "./view.js";
import { count, hours } from "./words.js";

// hands listens to the pointer on the bench: on the spine, on the thread and on
// the pages.
export function hands(b) {
  const { root, id, N, svg, ribbon, canvas, view, spine, thread, mend, state, put } = b;
  const signOf = (ear) => root.querySelector(`[data-ear="${ear}"]`)?.dataset.sign || "";
  // ---- the pointer on the spine: drag the fold, or an ear
  let wheel = 0,
    ear = null,
    began = null; // where a drag began, px: in the lens or on the spine
  svg.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      wheel += e.deltaMode ? e.deltaY * 40 : e.deltaY;
      const steps = Math.trunc(wheel / 40);
      if (steps) {
        wheel -= steps * 40;
        b.go(state.fold - steps);
      }
    },
    { passive: false },
  );
  const under = (e) => {
    const r = svg.getBoundingClientRect();
    return spine.at(e.clientY - r.top, began ?? e.clientX - r.left);
  };
  const drag = (e) => b.go(under(e));
  svg.addEventListener("pointerdown", (e) => {
    const dot = e.target.closest(".mark-dot");
    if (dot) return b.goEar({ before: Number(dot.dataset.before), line: Number(dot.dataset.line) });
    ear = e.target.closest("[data-ear-id]")?.dataset.earId || null;
    svg.setPointerCapture(e.pointerId);
    svg.focus({ preventScroll: true });
    began = e.clientX - svg.getBoundingClientRect().left;
    spine.lens.held = true;
    if (ear) b.pick(ear);
    else drag(e);
  });
  svg.addEventListener("pointermove", (e) => {
    if (svg.hasPointerCapture(e.pointerId)) drag(e);
  });
  svg.addEventListener("pointerup", (e) => {
    const moved = ear && state.ears.find((x) => x.id === ear);
    const to = under(e);
    ear = began = null;
    spine.lens.held = false;
    b.show();
    if (moved && to !== moved.before && to <= N)
      htmx.ajax("POST", `/prints/${id}/ears/${moved.id}`, {
        source: document.querySelector("#margin"),
        values: { before: to },
        headers: { "X-Ear": signOf(moved.id) },
      });
  });

  // ---- the pointer on the thread
  const scrub = async (e) => {
    const t = await b.book.order(state.fold);
    if (t && t.paths.length && thread.data)
      b.go(state.fold, thread.at(e.clientX - ribbon.getBoundingClientRect().left));
  };
  ribbon.addEventListener("pointerdown", (e) => {
    const dot = e.target.closest(".mark-dot");
    if (dot) return b.go(state.fold, Number(dot.dataset.path));
    ribbon.setPointerCapture(e.pointerId);
    ribbon.focus({ preventScroll: true });
    scrub(e);
  });
  ribbon.addEventListener("pointermove", (e) => {
    if (ribbon.hasPointerCapture(e.pointerId)) scrub(e);
  });

  // ---- the pointer on the pages: both move together; hovering tells
  for (const [side, c] of Object.entries(canvas)) {
    zooms(c, view, () => b.pages.draw());
    c.addEventListener("pointerdown", (e) => {
      c.setPointerCapture(e.pointerId);
      mend.down(side, c, e);
    });
    c.addEventListener("pointerup", () => mend.up(c));
    c.addEventListener("pointermove", (e) => {
      if (view.pinched) return;
      if (mend.move(c, e)) return;
      if (c.hasPointerCapture(e.pointerId)) {
        const s = view.scale(c.clientWidth, c.clientHeight);
        view.dx -= e.movementX / s;
        view.dy += e.movementY / s;
        return b.pages.draw();
      }
      tell(side, c, e);
    });
    c.addEventListener("pointerleave", () => put(`${side}-hover`, ""));
    c.addEventListener("dblclick", () => {
      if (!mend.on) b.acts.fit();
    });
  }

  async function tell(side, c, e) {
    const s = b.pages.shown[side];
    const r = c.getBoundingClientRect();
    const [x, y] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
    let text = `X ${x.toFixed(2)}  Y ${y.toFixed(2)} mm`;
    if (s) {
      const i = nearest(s.geo, s.from, s.to, x, y, 5 / view.scale(r.width, r.height), state.travel);
      if (i >= 0) {
        const t = await b.book.order(s.n);
        const p = t?.paths.find((v) => i >= v.from && i < v.to);
        const speed = p && `${p.length.toFixed(1)} mm · ${p.feed.toFixed(0)} mm/s`;
        const what = p ? `${p.name} · ${speed} · ${hours(p.begin)} in` : "travel";
        text = `${what} · line ${count(s.geo.line[i])}  —  ${text}`;
      }
    }
    put(`${side}-hover`, text);
  }
}
