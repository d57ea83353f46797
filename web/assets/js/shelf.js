import { follow, send } from "./arrive.js";

// shelf takes dropped files, shows how far they are, and opens a print when it
// has been read.
export function shelf(root) {
  const drop = root.querySelector("[data-drop]");
  const list = root.querySelector("[data-arrivals]");
  const input = root.querySelector("[data-file]");
  const limit = Number(root.dataset.limit);

  const watch = (within) => {
    for (const el of within.querySelectorAll("[data-reading]:not([data-followed])")) {
      el.dataset.followed = "";
      follow(el, el.dataset.reading, () => location.reload());
    }
  };
  watch(root);
  document.addEventListener("htmx:afterSettle", () => watch(root)); // more prints have come

  let depth = 0;
  const over = (on) => {
    drop.dataset.over = on;
  };
  root.ownerDocument.addEventListener("dragenter", (e) => {
    e.preventDefault();
    depth++;
    over(true);
  });
  root.ownerDocument.addEventListener("dragleave", () => {
    if (--depth <= 0) {
      depth = 0;
      over(false);
    }
  });
  root.ownerDocument.addEventListener("dragover", (e) => e.preventDefault());
  root.ownerDocument.addEventListener("drop", (e) => {
    e.preventDefault();
    depth = 0;
    over(false);
    take(e.dataTransfer.files);
  });
  input.addEventListener("change", () => {
    take(input.files);
    input.value = "";
  });

  function take(files) {
    const openIt = files.length === 1;
    for (const f of files)
      send(f, {
        url: "/prints",
        list,
        limit,
        done: (id) => {
          if (openIt) location.href = `/prints/${id}`;
          else location.reload();
        },
      });
  }
}
