import htmx from "htmx.org";
import { say } from "./say.js";

// kit: the drawers, and the routine editor.
export function kit(root) {
  root.querySelector("[data-kit-file]").addEventListener("change", async (e) => {
    const f = e.target.files[0];
    e.target.value = "";
    if (!f) return;
    if (f.size > 900000) return say("This is too large to be a Kit.");
    htmx.ajax("POST", "/kit/file", { source: root, values: { kit: await f.text() } });
  });
}

// routine moves steps by key, keeps the focus with the step that moves, and
// tells what was done.
export function routine(root, signal) {
  let follow = null;
  root.addEventListener("keydown", (e) => {
    const step = e.target.closest("[data-step]");
    const dir = e.altKey && { ArrowUp: "up", ArrowDown: "down" }[e.key];
    if (!step || !dir) return;
    e.preventDefault();
    const b = step.querySelector(`[data-move="${dir}"]`);
    if (b && !b.disabled) b.click();
  });
  root.addEventListener("click", (e) => {
    const b = e.target.closest("[data-move]");
    if (!b) return;
    const n = Number(b.closest("[data-step]").dataset.step),
      to = n + (b.dataset.move === "up" ? -1 : 1);
    const id = document.activeElement?.id || b.id;
    follow = id.replace(/^(f|up-|down-)\d+/, `$1${to}`);
  });
  document.addEventListener(
    "htmx:afterSettle",
    () => {
      const form = root.querySelector("#routine");
      if (!form?.dataset.said) return;
      say(form.dataset.said);
      delete form.dataset.said;
      root.querySelector("[data-undo]")?.removeAttribute("disabled");
      const el = follow && document.getElementById(follow);
      follow = null;
      if (el)
        (el.disabled
          ? el
              .closest("[data-step]")
              .querySelector("[data-move]:not(:disabled), input:not([type=hidden])")
          : el
        )?.focus();
    },
    { signal },
  );
}
