import htmx from "htmx.org";

// take downloads a file.
export function take(from) {
  const a = document.createElement("a");
  a.href = from;
  a.download = "";
  a.hidden = true;
  document.body.append(a);
  a.click();
  a.remove();
}

// writes shows how far the file is that a button writes, and takes it when it is ready.
// Without scripts the button is a link to the file.
export function writes() {
  const panel = () => document.getElementById("writing");
  const close = () => {
    const empty = document.createElement("div");
    empty.id = "writing";
    empty.hidden = true;
    panel()?.replaceWith(empty);
  };
  document.addEventListener("click", async (e) => {
    const a = e.target.closest("a[data-write]");
    if (a && !e.ctrlKey && !e.metaKey && !e.shiftKey) {
      e.preventDefault();
      const where = { source: panel(), target: "#writing", swap: "outerHTML" };
      await htmx.ajax("GET", a.href.replace(/write$/, "writing"), where);
      document.getElementById("writing-title")?.focus();
    } else if (e.target.closest("[data-writing-close]")) close();
  });
  // A page that comes right behind the writing brings its file along, once.
  const page = document.querySelector("[data-take]");
  if (page) {
    history.replaceState(null, "", location.pathname);
    take(page.dataset.take);
  }
  document.addEventListener("keydown", (e) => {
    if (e.key === "Escape" && panel()?.matches("section")) close();
  });
  document.addEventListener("dogear:take", (e) => {
    take(e.detail.from);
    // What was written last is told in its place, and nothing else is touched there. Nobody
    // hears when a download has begun.
    const tell = () => {
      const line = document.getElementById("written");
      const where = { source: line, target: line, swap: "outerHTML" };
      if (line) htmx.ajax("GET", e.detail.from.replace(/e$/, "ten"), where);
    };
    for (const ms of [400, 1500, 5000]) setTimeout(tell, ms);
    document.dispatchEvent(new CustomEvent("dogear:written"));
  });
}
