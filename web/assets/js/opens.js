import { arrived, send } from "./arrive.js";

// A page that is dragged over by something that is no file stays as it is.
const files = (e) => [...(e.dataTransfer?.types ?? [])].includes("Files");

// dropZone takes files that are dropped anywhere on a page or chosen with "Open a file"; its
// frame is seen while one is held over the page.
export function dropZone() {
  let depth = 0; // elements that the file is held over, one inside of the other
  return {
    idle: true,
    enter(e) {
      if (!files(e)) return;
      e.preventDefault();
      depth++;
      this.idle = false;
    },
    leave() {
      if (--depth <= 0) this.clear();
    },
    over(e) {
      if (files(e)) e.preventDefault();
    },
    // Also when somebody else has taken it: a place of the page that is for files of its own.
    clear() {
      depth = 0;
      this.idle = true;
    },
    drop(e) {
      if (!files(e)) return;
      e.preventDefault();
      this.clear();
      take(e.dataTransfer.files);
    },
    choose(e) {
      const input = e.target.closest("[data-file]");
      if (!input) return;
      take(input.files);
      input.value = "";
    },
  };
}

// take brings files in, shows how far they are, and opens a print when it is the only one and
// has been read.
function take(chosen) {
  const list = document.querySelector("[data-arrivals]");
  const limit = Number(document.body.dataset.limit);
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
    if (--left === 0 && came === chosen.length && !openIt && document.querySelector("[data-shelf]"))
      location.reload();
  };
  for (const f of [...chosen])
    send(f, { url: "/prints", list, limit, done: done(f.name), over: ended });
}
