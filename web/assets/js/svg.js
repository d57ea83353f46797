const NS = "http://www.w3.org/2000/svg";

// el makes an SVG element with its attributes and text.
export function el(name, attrs, text) {
  const e = document.createElementNS(NS, name);
  for (const k in attrs) e.setAttribute(k, attrs[k]);
  if (text !== undefined) e.textContent = text;
  return e;
}
