// Tones of a filament: kinds of path differ by tone and width, never by hue.

export function rgb(hex) {
  const n = parseInt(hex.slice(1), 16);
  return [n >> 16, (n >> 8) & 255, n & 255];
}

export function mix(a, b, t) {
  const x = rgb(a), y = rgb(b);
  return "#" + x.map((v, i) => Math.round(v + (y[i] - v) * t).toString(16).padStart(2, "0")).join("");
}

// luminance by WCAG 2.
export function luminance(hex) {
  const [r, g, b] = rgb(hex).map((v) => { v /= 255; return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

export function contrast(a, b) {
  const x = luminance(a), y = luminance(b);
  return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
}

export function token(name) {
  const v = getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim();
  return /^#[0-9a-f]{6}$/i.test(v) ? v : "#000000";
}

// readable picks the ink or the paper, whichever stands out from a colour.
export function readable(hex) {
  return contrast(hex, "#20262b") > contrast(hex, "#fdfaf3") ? "#20262b" : "#fdfaf3";
}
