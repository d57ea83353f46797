import { count, hours, mm } from "./words.js";
import { bandAt, endOf } from "./bands.js";

// headline says in words where the fold lies: above the pages, on them, beside the spine and
// for those who listen.
export function headline(b) {
  const { book, spine, svg, N, put, q } = b;
  const n = b.state.fold,
    inside = b.state.path > 0;
  put("what", inside ? "Inside at" : "Fold at");
  put("height", mm(inside ? book.z[n - 1] : spine.under(n)));
  sentence(b);
  titles(b);
  put("left-hover", "");
  put("right-hover", "");
  svg.setAttribute("aria-valuemax", N + 1);
  svg.setAttribute("aria-valuenow", n);
  svg.setAttribute("aria-valuetext", `${mm(spine.under(n))} mm, before layer ${n}`);
  const ear = b.earsHere().find((e) => e.colour) || b.earHere();
  const corner = q("[data-corner]");
  corner.toggleAttribute("hidden", !ear);
  if (ear) {
    const p = corner.querySelector("path");
    p.setAttribute("class", ear.colour ? "stroke-ink" : "fill-shade stroke-ink");
    if (ear.colour) p.setAttribute("fill", ear.colour);
  }
}

// titles are those of the pages.
function titles({ book, canvas, N, put, state }) {
  const n = state.fold;
  const name = (side, title, note, label) => {
    put(`${side}-name`, title);
    put(`${side}-note`, note);
    canvas[side].setAttribute("aria-label", label);
  };
  if (state.path > 0) {
    name("left", `Layer ${n}`, "the part already laid", `The part of layer ${n} already laid`);
    name("right", `Layer ${n}`, "the part still to come", `The part of layer ${n} still to come`);
    return;
  }
  if (n === 1) name("left", "The bed", "", "The bare bed");
  else
    name(
      "left",
      `Layer ${n - 1}`,
      `already laid · ${mm(book.z[n - 2])} mm`,
      `Layer ${n - 1} from above, the last one laid`,
    );
  if (n > N) name("right", "Done", "", "Nothing more");
  else
    name(
      "right",
      `Layer ${n}`,
      `laid next · ${mm(book.z[n - 1])} mm · ${hours(book.took[n - 1])}`,
      `Layer ${n} from above, laid next`,
    );
}

// sentence says which colour ends at the fold and which begins.
function sentence(b) {
  const { book, N, q, state } = b;
  const n = state.fold,
    p = q('[data-out="sentence"]');
  const colour = (band) => {
    const e = document.createElement("b");
    e.textContent = band.name;
    e.className = "border-b-[3px]";
    e.style.borderColor = band.colour;
    return e;
  };
  const name = (k) => {
    const own = book.number[k - 1];
    return own !== null && own !== undefined && own !== k ? ` (${own} in the file)` : "";
  };
  p.replaceChildren();
  if (n > N) {
    p.append(colour(endOf(state.bands, N)), ` ends with layer ${N}${name(N)} · the print is done`);
    return;
  }
  if (state.path > 0) {
    const line = b.lineNow();
    const x = bandAt(state.bands, n, line - 1),
      y = bandAt(state.bands, n, line);
    const here = `layer ${n}${name(n)}`,
      there = `in front of line ${count(line)}`;
    if (x === y) p.append(`Inside ${here}, ${there} · all `, colour(x));
    else p.append(colour(x), ` ends inside ${here} · `, colour(y), ` begins ${there}`);
    return;
  }
  const y = bandAt(state.bands, n);
  if (n === 1) {
    p.append("Nothing is laid yet · ", colour(y), ` begins with layer 1${name(1)}`);
    return;
  }
  const x = endOf(state.bands, n - 1);
  if (x === y)
    p.append(`Layer ${n - 1} is laid · layer ${n} comes next${name(n)} · both `, colour(x));
  else
    p.append(
      colour(x),
      ` ends with layer ${n - 1} · `,
      colour(y),
      ` begins with layer ${n}${name(n)}`,
    );
}
