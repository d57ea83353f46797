// understand turns what is typed into the go-to box into a fold.
// It returns { fold, said } or { error }.
export function understand(text, book) {
  const t = text.trim().toLowerCase().replace(",", ".");
  const N = book.z.length;
  let m;
  if ((m = /^(?:layer\s*)?(\d+)$/.exec(t))) {
    const n = Number(m[1]);
    if (n < 1 || n > N) return { error: `There is no layer ${n}; this print has ${N}.` };
    return { fold: n, said: `Layer ${n}` };
  }
  if ((m = /^(?:file|number|no\.?|#)\s*(-?\d+)$/.exec(t))) {
    const k = Number(m[1]);
    const i = book.number.indexOf(k);
    if (book.number.every((v) => v === null)) return { error: "This file does not number its layers." };
    if (i < 0) return { error: `The file has no layer that it calls ${k}.` };
    return { fold: i + 1, said: `The file's ${k} is layer ${i + 1}` };
  }
  if ((m = /^(\d+(?:\.\d+)?)\s*mm$/.exec(t)) || (m = /^(\d+\.\d+)$/.exec(t)) || (m = /^z\s*(\d+(?:\.\d+)?)$/.exec(t))) {
    const z = Number(m[1]);
    let best = 1;
    for (let n = 1; n <= N; n++) if (Math.abs(book.z[n - 1] - book.h[n - 1] - z) < Math.abs(book.z[best - 1] - book.h[best - 1] - z)) best = n;
    if (z > book.height + 0.001) return { error: `The print is ${book.height.toFixed(2)} mm high.` };
    return { fold: best, said: `The fold nearest to ${z} mm` };
  }
  if ((m = /^(?:line|l)\s*(\d+)$/.exec(t))) {
    const l = Number(m[1]);
    if (l < 1 || l > book.lines) return { error: `There is no line ${l}; the file has ${book.lines}.` };
    let n = 1;
    while (n < N && book.fold[n] <= l) n++;
    return { fold: n, said: `Line ${l} belongs to layer ${n}` };
  }
  return { error: "Type a layer (38), a height (7.4mm), the file's own number (file 37) or a line (line 900)." };
}
