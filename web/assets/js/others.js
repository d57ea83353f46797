import htmx from "htmx.org";
import { say } from "./say.js";
import { changes } from "./stream.js";

// others keeps the margin as it is on the server, when what is marked changes in
// another browser. What somebody is just writing here is not taken from under
// the pen: it waits until the field is left. found is called when the landmarks are known.
export function others(root, { id, gone: signal, found }) {
  let version = "",
    fetched = "",
    asking = 0,
    told = false;
  const margin = () => root.querySelector("#margin");
  const writing = () => {
    const e = document.activeElement;
    return (
      e?.closest("#margin") &&
      e.matches("input:not([type=checkbox], [type=radio], [type=file]), textarea, select")
    );
  };

  function look() {
    if (!version || asking || version === fetched || version === margin()?.dataset.version) {
      told = false;
      return;
    }
    if (writing()) {
      if (!told)
        say("The marks have changed in another browser; they are shown when you leave this field.");
      told = true;
      return;
    }
    told = false;
    fetched = version;
    // News may be older than what stands here: then nothing comes, and nothing is lost.
    const stood = margin().dataset.version;
    htmx
      .ajax("GET", `/prints/${id}/margin`, {
        source: margin(),
        target: "#margin",
        swap: "outerHTML",
        headers: { "X-Version": stood },
      })
      .then(() => {
        if (margin().dataset.version !== stood) say("The marks have changed in another browser.");
      });
  }

  // What is sent from here comes back with its own margin: wait for that.
  document.addEventListener("htmx:beforeRequest", () => asking++, { signal });
  document.addEventListener(
    "htmx:afterRequest",
    () => {
      asking = Math.max(0, asking - 1);
      setTimeout(look, 60);
    },
    { signal },
  );
  document.addEventListener("focusout", () => setTimeout(look, 150), { signal });
  const close = changes(id, (data) => {
    const [marks, reading, looked] = data.split(" ");
    if (reading && reading !== root.dataset.reading) {
      say("This print has been read again for its printer.");
      location.reload(); // layers, heights and stops may be others now
      return;
    }
    if (looked && root.querySelector("#finds")?.dataset.looked === "false") found?.();
    version = marks;
    setTimeout(look, 150);
  });
  signal.addEventListener("abort", close);
}
