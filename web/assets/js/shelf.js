import { follow } from "./arrive.js";

// shelf follows the prints on it that are still being read.
export function shelf(root, signal) {
  const watch = (within) => {
    for (const el of within.querySelectorAll("[data-reading]:not([data-followed])")) {
      el.dataset.followed = "";
      follow(el, el.dataset.reading, () => location.reload());
    }
  };
  watch(root);
  // More prints have come.
  document.addEventListener("htmx:afterSettle", () => watch(root), { signal });
}
