import { csrf } from "./say.js";

// byHand proves a file that somebody edited by hand beside its original: dropped on its
// place, or chosen.
export function byHand(box) {
  const out = box.querySelector("[data-byhand-out]");
  const over = (on) => box.setAttribute("data-over", on);
  box.addEventListener("dragover", (e) => {
    e.preventDefault();
    over(true);
  });
  box.addEventListener("dragleave", () => over(false));
  box.addEventListener("drop", (e) => {
    // Here it is no new print.
    e.preventDefault();
    over(false);
    if (e.dataTransfer.files[0]) prove(e.dataTransfer.files[0]);
    e.stopPropagation();
    document.dispatchEvent(new CustomEvent("dogear:dropped"));
  });
  box.addEventListener("change", (e) => {
    const file = e.target.files?.[0];
    if (!file) return;
    prove(file);
    e.target.value = "";
  });

  async function prove(file) {
    out.textContent = `Examining ${file.name} …`;
    const r = await fetch(box.dataset.byhand, {
      method: "POST",
      body: file,
      headers: {
        "X-Csrf-Token": csrf(),
        "X-File-Name": encodeURIComponent(file.name),
        "Content-Type": "application/octet-stream",
        Accept: "text/html",
        "HX-Request": "true",
      },
    }).catch(() => null);
    if (!r) out.textContent = "Dogear does not answer. Is it still running?";
    else if (r.ok) {
      // The server's own part of a page, in which everything from the file is escaped.
      out.replaceChildren(document.createRange().createContextualFragment(await r.text()));
    } else out.textContent = await r.text();
  }
}
