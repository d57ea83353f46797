import { count } from "./words.js";
import { say } from "./say.js";

// Goto is the box in which a place is typed. The server understands it, so that the same
// text means the same fold everywhere. A height lies between two folds: both are offered.
export class Goto {
  constructor(bench) {
    this.bench = bench;
    this.form = bench.q("[data-goto]");
    this.input = bench.q("#goto");
    this.list = bench.q("[data-folds]");
    this.form.addEventListener("submit", (e) => {
      e.preventDefault();
      this.ask();
    });
    this.input.addEventListener("input", () => this.offer([]));
    this.form.addEventListener("keydown", (e) => {
      if (e.key !== "Escape" || this.list.hidden) return;
      e.stopPropagation();
      this.offer([]);
      this.input.focus();
    });
    // Some browsers focus no button that is clicked: the list would go before the click.
    this.list.addEventListener("mousedown", (e) => e.preventDefault());
    this.form.addEventListener("focusout", (e) => {
      if (!this.form.contains(e.relatedTarget)) this.offer([]);
    });
  }

  focus() {
    this.input.focus();
    this.input.select();
  }

  async ask() {
    const { bench } = this;
    const at = encodeURIComponent(this.input.value);
    const r = await fetch(`/prints/${bench.id}/place?at=${at}`).catch(() => null);
    if (!r?.ok) return say("Nobody answers. Is Dogear still running?");
    const place = await r.json();
    if (!place.folds.length) return say(place.said);
    if (place.folds.length > 1) {
      this.offer(place.folds, place.said);
      return say(`${place.said}. Which fold do you mean?`);
    }
    const { layer } = place.folds[0];
    this.input.blur();
    await (place.line > bench.book.fold[layer - 1]
      ? bench.goLine(layer, place.line)
      : bench.go(layer));
    this.tell(place.said);
  }

  // offer shows folds to choose from; none hides the list.
  offer(folds, said = "") {
    this.list.hidden = !folds.length;
    this.list.replaceChildren();
    if (!folds.length) return;
    const head = document.createElement("p");
    head.textContent = said;
    this.list.append(head);
    for (const f of folds) {
      const b = document.createElement("button");
      b.type = "button";
      b.textContent = f.words;
      b.addEventListener("click", async () => {
        this.offer([]);
        await this.bench.go(f.layer);
        this.tell(said);
      });
      this.list.append(b);
    }
    this.list.querySelector("button").focus();
  }

  tell(said) {
    const { state } = this.bench;
    const where =
      state.path > 0
        ? `fold inside it, in front of line ${count(this.bench.lineNow())}`
        : `fold before layer ${state.fold}`;
    say(`${said}: ${where}.`);
  }
}
