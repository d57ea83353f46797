// stream listens to events while the page is seen: a browser holds only six connections to
// one server, and every hidden tab would keep one.
export function stream(url, { message, error, opened }) {
  let source = null;
  const open = () => {
    if (source || document.hidden) return;
    source = new EventSource(url);
    source.addEventListener("message", (e) => message(e.data));
    source.addEventListener("error", () => error?.());
    source.addEventListener("open", () => opened?.());
  };
  const close = () => {
    source?.close();
    source = null;
  };
  const turn = () => (document.hidden ? close() : open());
  document.addEventListener("visibilitychange", turn);
  window.addEventListener("pagehide", close);
  window.addEventListener("pageshow", open); // back from the browser's memory
  open();
  return () => {
    document.removeEventListener("visibilitychange", turn);
    window.removeEventListener("pagehide", close);
    window.removeEventListener("pageshow", open);
    close();
  };
}

// changes listens to what changes in a print. All tabs of a browser share one stream, where
// the browser can do that.
export function changes(id, message) {
  const code = document.querySelector('meta[name="listener"]')?.content;
  let worker = null;
  try {
    if (code && window.SharedWorker) worker = new SharedWorker(code, "dogear");
  } catch {
    /* each tab for itself then */
  }
  const error = () => gone(true),
    opened = () => gone(false);
  if (!worker) return stream(`/prints/${id}/events`, { message, error, opened });
  worker.port.addEventListener("message", (e) =>
    typeof e.data === "object" ? gone(e.data.gone) : message(e.data),
  );
  worker.port.start();
  const join = () => worker.port.postMessage({ print: id });
  const leave = () => worker.port.postMessage({ leave: true });
  window.addEventListener("pagehide", leave);
  window.addEventListener("pageshow", join);
  join();
  return leave;
}

// gone says that the server does not answer, unless it does again soon: the stream breaks
// for a moment when a server starts anew.
let waits = 0;
function gone(is) {
  const banner = document.getElementById("gone");
  clearTimeout(waits);
  if (!is) banner.hidden = true;
  else waits = setTimeout(() => (banner.hidden = document.hidden), 3000);
}
