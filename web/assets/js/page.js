import { mix, token } from "./colour.js";
import { OUTER } from "./classes.js";
import { range } from "./geometry.js";
import { DENSE, picture, stroke, tube, whole } from "./strokes.js";
import { over } from "./areas.js";
import { bar, body, dots, hole, leaps, nozzle, pin, way } from "./signs.js";

// draw paints one page.
//   parts    what is laid: { geo, from, to, colour }, in order
//   below    the layer underneath, of which the outline is shown
//   overlay  what lies over nothing and what is covered
//   at       { geo, piece, end, text }: where the nozzle stands
//   holes    [{ x, y, w, d, turn, shape, words }]: pockets that are open here
//   sits     [{ x, y, across, long, shape, turn }]: what lies in them
//   overs    [[x0, y0, x1, y1]]: ways that are lifted over it
//   chosen   [{ geo, from, to }]: paths that are chosen
//   loops    [{ d, wide }]: closed lines laid round the part, mm
//   photo    { img, matrix, plastic }: a picture of the part underneath; matrix maps its
//            dots to mm, plastic is how much of what is laid is seen over it, 0 to 1
export function draw(
  canvas,
  view,
  {
    parts = [],
    below,
    overlay,
    travel,
    at,
    nothing,
    pins,
    route,
    holes = [],
    sits = [],
    overs = [],
    chosen = [],
    loops = [],
    photo,
  },
) {
  const dpr = window.devicePixelRatio || 1;
  const w = canvas.clientWidth,
    h = canvas.clientHeight;
  if (w === 0 || h === 0) return;
  if (canvas.width !== Math.round(w * dpr) || canvas.height !== Math.round(h * dpr)) {
    canvas.width = Math.round(w * dpr);
    canvas.height = Math.round(h * dpr);
  }
  const c = canvas.getContext("2d");
  const page = token("page"),
    ink = token("ink"),
    faded = token("faded"),
    sea = token("sea");
  c.setTransform(dpr, 0, 0, dpr, 0, 0);
  c.clearRect(0, 0, w, h);
  const m = view.matrix(w, h),
    s = m[0];
  dots(c, m, w, h, s, token("rule"));
  if (nothing) {
    c.fillStyle = faded;
    c.font = '13.5px "Source Sans 3 Variable", sans-serif';
    c.textAlign = "center";
    c.fillText(nothing, w / 2, h / 2);
    c.textAlign = "left";
    return;
  }
  c.save();
  c.transform(...m);
  c.lineCap = "round";
  c.lineJoin = "round";
  if (photo) {
    c.save();
    c.transform(...photo.matrix);
    c.drawImage(photo.img, 0, 0);
    c.restore();
    c.globalAlpha = photo.plastic;
  }
  if (below) {
    c.strokeStyle = mix(page, ink, 0.2);
    c.lineWidth = 1.2 / s;
    for (const g of range(below, 0, below.n)) if (g.kind === OUTER) c.stroke(g.path);
  }
  for (const l of loops) {
    c.strokeStyle = mix(page, ink, 0.32);
    c.lineWidth = Math.max(l.wide * 0.7, 0.8 / s);
    c.stroke(new Path2D(l.d));
  }
  for (const p of parts) {
    const pic = p.geo.n > DENSE && whole(p) && picture(p, m, w, h, dpr, page, ink, faded, travel);
    if (!pic) {
      stroke(c, s, p, page, ink, faded, travel);
      continue;
    }
    c.save();
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.drawImage(pic, 0, 0);
    c.restore();
  }
  c.globalAlpha = 1;
  if (overlay) over(c, s, overlay, sea, ink);
  for (const p of chosen) tube(c, s, p, sea, page);
  c.restore();
  for (const x of sits) body(c, m, x, ink, page);
  for (const x of holes) hole(c, m, x, sea, page);
  if (overs.length) leaps(c, m, overs, token("brick"), page);
  if (route) way(c, m, route, token("brick"));
  const places = (pins || []).map((p) => [m[0] * p[0] + m[4], m[3] * p[1] + m[5]]);
  for (const [i, [x, y]] of places.entries()) pin(c, x, y, i + 1, token("brick"), page);
  if (at && at.piece >= 0) {
    const k = 4 * at.piece + (at.end ? 2 : 0);
    const [x, y] = [m[0] * at.geo.xy[k] + m[4], m[3] * at.geo.xy[k + 1] + m[5]];
    nozzle(c, x, y, at.text, w, h, ink, page, places);
  }
  bar(c, s, h, ink, faded);
}
