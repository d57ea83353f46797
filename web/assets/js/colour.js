// Tones of a filament: kinds of path differ by tone and width, never by hue.

export function rgb(hex) {
  const n = parseInt(hex.slice(1), 16);
  return [n >> 16, (n >> 8) & 255, n & 255];
}

export function mix(a, b, t) {
  const x = rgb(a),
    y = rgb(b);
  return (
    "#" +
    x
      .map((v, i) =>
        Math.round(v + (y[i] - v) * t)
          .toString(16)
          .padStart(2, "0"),
      )
      .join("")
  );
}

// luminance by WCAG 2.
export function luminance(hex) {
  const [r, g, b] = rgb(hex).map((v) => {
    v /= 255;
    return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

export function contrast(a, b) {
  const x = luminance(a),
    y = luminance(b);
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
}

// token returns a colour of the theme in force; asking the browser is slow, so
// what it said is kept until the theme changes.
let tokens = new Map();
window.addEventListener("dogear:theme", () => {
  tokens = new Map();
});
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
  tokens = new Map();
});

export function token(name) {
  let v = tokens.get(name);
  if (!v) {
    v = getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim();
    if (!/^#[0-9a-f]{6}$/i.test(v)) v = "#000000";
    tokens.set(name, v);
  }
  return v;
}

// readable picks the ink or the paper, whichever stands out from a colour.
export function readable(hex) {
  return contrast(hex, "#20262b") > contrast(hex, "#fdfaf3") ? "#20262b" : "#fdfaf3";
}
