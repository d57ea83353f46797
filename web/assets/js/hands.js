import htmx from "htmx.org";
import { nearest, zooms } from "./page.js";
import { count, hours } from "./words.js";

// hands listens to the pointer on the bench: on the spine, on the thread and on
// the pages. b is what the bench lends for it.
export function hands(b) {
  const { id, N, svg, ribbon, canvas, view, spine, thread, mend, shown, state, order, go, goEar, pages, put, signOf, fit } = b;
  // ---- the pointer on the spine: drag the fold, or an ear
  let wheel = 0, ear = null;
  svg.addEventListener("wheel", (e) => {
    e.preventDefault();
    wheel += e.deltaMode ? e.deltaY * 40 : e.deltaY;
    const steps = Math.trunc(wheel / 40);
    if (steps) { wheel -= steps * 40; go(state.fold - steps); }
  }, { passive: false });
  const drag = (e) => go(spine.at(e.clientY - svg.getBoundingClientRect().top));
  svg.addEventListener("pointerdown", (e) => {
    const dot = e.target.closest(".mark-dot");
    if (dot) return goEar({ before: Number(dot.dataset.before), line: Number(dot.dataset.line) });
    ear = e.target.closest("[data-ear-id]")?.dataset.earId || null;
    svg.setPointerCapture(e.pointerId);
    svg.focus({ preventScroll: true });
    if (ear) goEar(state.ears.find((x) => x.id === ear)); else drag(e);
  });
  svg.addEventListener("pointermove", (e) => { if (svg.hasPointerCapture(e.pointerId)) drag(e); });
  svg.addEventListener("pointerup", (e) => {
    const moved = ear && state.ears.find((x) => x.id === ear);
    const to = spine.at(e.clientY - svg.getBoundingClientRect().top);
    ear = null;
    if (moved && to !== moved.before && to <= N) htmx.ajax("POST", `/prints/${id}/ears/${moved.id}`, { source: document.querySelector("#margin"), values: { before: to }, headers: { "X-Ear": signOf(moved.id) } });
  });

  // ---- the pointer on the thread
  const scrub = async (e) => {
    const t = await order(state.fold);
    if (t && t.paths.length && thread.data) go(state.fold, thread.at(e.clientX - ribbon.getBoundingClientRect().left));
  };
  ribbon.addEventListener("pointerdown", (e) => {
    const dot = e.target.closest(".mark-dot");
    if (dot) return go(state.fold, Number(dot.dataset.path));
    ribbon.setPointerCapture(e.pointerId);
    ribbon.focus({ preventScroll: true });
    scrub(e);
  });
  ribbon.addEventListener("pointermove", (e) => { if (ribbon.hasPointerCapture(e.pointerId)) scrub(e); });

  // ---- the pointer on the pages: both move together; hovering tells
  for (const [side, c] of Object.entries(canvas)) {
    zooms(c, view, pages);
    c.addEventListener("pointerdown", (e) => { c.setPointerCapture(e.pointerId); mend.down(side, c, e); });
    c.addEventListener("pointerup", (e) => mend.up(c, e));
    c.addEventListener("pointermove", (e) => {
      if (mend.move(c, e)) return;
      if (c.hasPointerCapture(e.pointerId)) {
        const s = view.scale(c.clientWidth, c.clientHeight);
        view.dx -= e.movementX / s;
        view.dy += e.movementY / s;
        return pages();
      }
      tell(side, c, e);
    });
    c.addEventListener("pointerleave", () => put(`${side}-hover`, ""));
    c.addEventListener("dblclick", () => { if (!mend.on) fit(); });
  }

  async function tell(side, c, e) {
    const s = shown[side];
    const r = c.getBoundingClientRect();
    const [x, y] = view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
    let text = `X ${x.toFixed(2)}  Y ${y.toFixed(2)} mm`;
    if (s) {
      const i = nearest(s.geo, s.from, s.to, x, y, 5 / view.scale(r.width, r.height), state.travel);
      if (i >= 0) {
        const t = await order(s.n);
        const p = t?.paths.find((v) => i >= v.from && i < v.to);
        text = p ? `${p.name} · ${p.length.toFixed(1)} mm · ${p.feed.toFixed(0)} mm/s · ${hours(p.begin)} in · line ${count(s.geo.line[i])}  —  ${text}` : `travel · line ${count(s.geo.line[i])}  —  ${text}`;
      }
    }
    put(`${side}-hover`, text);
  }
}
