import { arrived, send } from "./arrive.js";

// opens takes files that are dropped anywhere on a page or chosen with "Open a file", shows
// how far they are, and opens a print when it has been read.
export function opens() {
  const list = document.querySelector("[data-arrivals]");
  if (!list) return; // nobody has signed in yet
  const frame = document.querySelector("[data-over]");
  const limit = Number(document.body.dataset.limit);

  // A page that is dragged over by something that is no file stays as it is.
  const files = (e) => [...(e.dataTransfer?.types ?? [])].includes("Files");
  let depth = 0;
  const over = (on) => {
    frame.hidden = !on;
  };
  document.addEventListener("dragenter", (e) => {
    if (!files(e)) return;
    e.preventDefault();
    depth++;
    over(true);
  });
  document.addEventListener("dragleave", () => {
    if (--depth <= 0) {
      depth = 0;
      over(false);
    }
  });
  document.addEventListener("dragover", (e) => {
    if (files(e)) e.preventDefault();
  });
  // Somebody else has taken it: a place of the page that is for files of its own.
  document.addEventListener("dogear:dropped", () => {
    depth = 0;
    over(false);
  });
  document.addEventListener("drop", (e) => {
    if (!files(e)) return;
    e.preventDefault();
    depth = 0;
    over(false);
    take(e.dataTransfer.files);
  });
  document.addEventListener("change", (e) => {
    const input = e.target.closest("[data-file]");
    if (!input) return;
    take(input.files);
    input.value = "";
  });

  function take(chosen) {
    const openIt = chosen.length === 1;
    let left = chosen.length,
      came = 0;
    const done = (name) => (id, row) => {
      came++;
      if (openIt) location.href = `/prints/${id}`;
      else arrived(row, id, name);
    };
    const ended = () => {
      // Of several, the shelf shows those that came once nothing is left to read.
      if (
        --left === 0 &&
        came === chosen.length &&
        !openIt &&
        document.querySelector("[data-shelf]")
      )
        location.reload();
    };
    for (const f of [...chosen])
      send(f, { url: "/prints", list, limit, done: done(f.name), over: ended });
  }
}
