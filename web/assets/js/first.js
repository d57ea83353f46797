// First is the first run: three small steps beside the bench of a demo print, each ticked
// off by doing it. One click puts them away for good.
const KEY = "dogear-first-run";

export class First {
  constructor(bench) {
    this.bench = bench;
    this.box = bench.q("[data-first]");
    this.done = new Set();
    if (!this.box) return;
    if (localStorage.getItem(KEY)) {
      this.box = null;
      return;
    }
    this.box.hidden = false;
    this.box.querySelector("[data-first-close]").addEventListener("click", () => this.close());
    document.addEventListener("dogear:written", () => this.tick("write"), { signal: bench.gone });
  }

  // begins is where the book opens so that there is a fold to look for; null for anywhere.
  begins() {
    return this.box && !this.bench.state.ears.length ? { before: 3 } : null;
  }

  // look ticks off what has been done by now.
  look() {
    if (!this.box) return;
    const { state } = this.bench;
    const goal = this.bench.surest();
    if (!goal) return; // still being looked for
    if (state.fold === goal.before && !state.path) this.tick("fold");
    if (state.ears.some((e) => e.before === goal.before)) this.tick("mark");
  }

  tick(step) {
    const li = this.box?.querySelector(`[data-first-step="${step}"]`);
    if (!li || this.done.has(step)) return;
    this.done.add(step);
    const box = li.querySelector("span");
    box.textContent = "✓";
    box.className = "font-semibold text-moss";
    const said = document.createElement("span");
    said.className = "sr-only";
    said.textContent = "Done: ";
    box.after(said);
    if (this.done.size < 3) return;
    const title = this.box.querySelector("h2");
    title.textContent = "That is all there is to it";
    this.box.querySelector("[data-first-close]").textContent = "Close";
    localStorage.setItem(KEY, "done");
  }

  close() {
    localStorage.setItem(KEY, "closed");
    this.box.remove();
    this.box = null;
    this.bench.svg.focus();
  }
}
