// lamp switches between the day and the night theme.
export function lamp() {
  return {
    night: false,
    init() {
      const set = document.documentElement.dataset.theme;
      this.night = set ? set === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
    },
    get label() {
      return this.night ? "Day" : "Night";
    },
    turn() {
      this.night = !this.night;
      const theme = this.night ? "night" : "day";
      document.documentElement.dataset.theme = theme;
      try {
        localStorage.setItem("dogear-theme", theme);
      } catch {
        /* not kept */
      }
      window.dispatchEvent(new Event("dogear:theme"));
    },
  };
}
