// Which colour lies where: bands are what the ears make of the layers, each with the layer
// and the line it begins with.

// bandAt is the band that line n of a layer lies in; without a line, where the layer begins.
export function bandAt(bands, n, line = 0) {
  let b = bands[0];
  for (const x of bands) if (x.from < n || (x.from === n && x.line <= line)) b = x;
  return b;
}

// endOf is the band in which a layer ends.
export const endOf = (bands, n) => bandAt(bands, n, Infinity);

// nextOf is the filament that a colour change before layer n, or in front of a line inside of it,
// most likely goes on with, as core/apply.NextFilament has it: the one before the last comes
// back, else the first other one that is offered; "" when there is none.
export function nextOf(bands, n, line, offered) {
  const earlier = bands.filter((b) => b.from < n || (b.from === n && b.line < line)).reverse();
  const here = (earlier[0] ?? bands[0])?.filament;
  return [...earlier.map((b) => b.filament), ...offered].find((f) => f !== here) ?? "";
}

// parts splits pieces from … to-1 of layer n where a band begins inside it, and where lines
// are muted; those are drawn as ghosts. override is a colour for all of it.
export function parts({ bands, mutes }, n, geo, from, to, override) {
  const out = [];
  let band = bandAt(bands, n),
    start = from;
  for (const x of bands.filter((b) => b.from === n && b.line > 0)) {
    let i = start;
    while (i < to && geo.line[i] < x.line) i++;
    if (i > start) out.push({ geo, from: start, to: i, colour: override || band.colour });
    start = i;
    band = x;
  }
  if (start < to) out.push({ geo, from: start, to, colour: override || band.colour });
  return out.flatMap((p) => unmuted(mutes, p));
}

function unmuted(mutes, p) {
  const first = p.geo.line[p.from],
    last = p.geo.line[p.to - 1];
  const hit = mutes.filter((m) => m.to >= first && m.from <= last).sort((a, b) => a.from - b.from);
  const out = [];
  let start = p.from;
  for (const m of hit) {
    let a = start;
    while (a < p.to && p.geo.line[a] < m.from) a++;
    let b = a;
    while (b < p.to && p.geo.line[b] <= m.to) b++;
    if (a > start) out.push({ ...p, from: start, to: a });
    if (b > a) out.push({ ...p, from: a, to: b, ghost: true });
    start = b;
  }
  if (start < p.to) out.push({ ...p, from: start, to: p.to });
  return out;
}
