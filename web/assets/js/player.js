// Player plays the thread of a layer, in about eight seconds.
export class Player {
  constructor(bench) {
    this.bench = bench;
    this.frame = 0;
  }

  stop() {
    cancelAnimationFrame(this.frame);
    this.frame = 0;
    this.bench.state.time = -1;
    this.bench.press("play", false);
  }

  // toggle begins to play, or leaves the fold where the playing has come to.
  async toggle() {
    const { bench } = this;
    const { state } = bench;
    const t = await bench.book.order(state.fold);
    if (this.frame) {
      const k = t.paths.findIndex((p) => p.begin > state.time);
      this.stop();
      state.path = k < 0 ? t.paths.length : k;
      await bench.show();
      return bench.remember();
    }
    if (!t || !t.paths.length) return;
    if (matchMedia("(prefers-reduced-motion: reduce)").matches) return bench.along(1);
    const from = state.path < t.paths.length ? t.paths[state.path].begin : 0;
    const rate = Math.max(t.seconds / 8, 1),
      start = performance.now();
    state.path = Math.max(state.path, 1);
    bench.press("play", true);
    const tick = (now) => {
      state.time = from + ((now - start) / 1000) * rate;
      if (state.time >= t.seconds) {
        this.stop();
        return bench.go(state.fold + 1);
      }
      this.frame = requestAnimationFrame(tick);
      bench.pages.draw();
    };
    await bench.show();
    this.frame = requestAnimationFrame(tick);
  }
}
