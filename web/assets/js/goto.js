// understand turns what is typed into the go-to box into a fold.
// It returns { fold, line, said } or { error }; line is set when a line was
// asked for, so that the fold may lie inside the layer.
export function understand(text, book) {
  const t = text.trim().toLowerCase().replace(",", ".");
  const N = book.z.length;
  const under = (n) => book.z[n - 1] - book.h[n - 1];
  const byTime = (s, said) => {
    let n = 1;
    while (n < N && book.begin[n] <= s) n++;
    return { fold: n, said: `${said} falls into layer ${n}` };
  };
  let m;
  if ((m = /^(?:layer\s*)?(\d+)$/.exec(t))) {
    const n = Number(m[1]);
    if (n < 1 || n > N) return { error: `There is no layer ${n}; this print has ${N}.` };
    return { fold: n, said: `Layer ${n}` };
  }
  if ((m = /^(?:file|number|no\.?|#)\s*(-?\d+)$/.exec(t))) {
    const k = Number(m[1]);
    if (book.number.every((v) => v === null))
      return { error: "This file does not number its layers." };
    const i = book.number.indexOf(k);
    if (i < 0) return { error: `The file has no layer that it calls ${k}.` };
    return { fold: i + 1, said: `The file's ${k} is layer ${i + 1}` };
  }
  if (
    (m = /^(\d+(?:\.\d+)?)\s*mm$/.exec(t)) ||
    (m = /^(\d+\.\d+)$/.exec(t)) ||
    (m = /^z\s*(\d+(?:\.\d+)?)$/.exec(t))
  ) {
    const z = Number(m[1]);
    if (z > book.height + 0.001)
      return { error: `The print is ${book.height.toFixed(2)} mm high.` };
    let best = 1;
    for (let n = 1; n <= N; n++) if (Math.abs(under(n) - z) < Math.abs(under(best) - z)) best = n;
    return { fold: best, said: `The fold nearest to ${z} mm` };
  }
  if ((m = /^(?:line|l)\s*(\d+)$/.exec(t))) {
    const l = Number(m[1]);
    if (l < 1 || l > book.lines)
      return { error: `There is no line ${l}; the file has ${book.lines}.` };
    let n = 1;
    while (n < N && book.fold[n] <= l) n++;
    return { fold: n, line: l, said: `Line ${l} belongs to layer ${n}` };
  }
  if ((m = /^(\d+(?:\.\d+)?)\s*%$/.exec(t))) {
    const p = Number(m[1]);
    if (p > 100) return { error: "More than 100 % is not in the file." };
    return byTime((book.seconds * p) / 100, `${p} % of the time`);
  }
  if (
    (m = /^(\d+)\s*h\s*(\d+)?\s*(?:m|min)?$/.exec(t)) ||
    (m = /^()(\d+)\s*(?:m|min)$/.exec(t)) ||
    (m = /^(\d+):(\d\d)$/.exec(t))
  ) {
    const s = Number(m[1] || 0) * 3600 + Number(m[2] || 0) * 60;
    if (s > book.seconds) return { error: "The print is done before that." };
    return byTime(s, `${text.trim()} into the print`);
  }
  return {
    error:
      "Type a layer (38), a height (7.4mm), the file's own number (file 37), a line (line 900), " +
      "50% or 1h20.",
  };
}
