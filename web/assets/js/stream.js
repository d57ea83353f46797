// stream listens to events while the page is seen: a browser holds only six connections to
// one server, and every hidden tab would keep one.
export function stream(url, { message, error }) {
  let source = null;
  const open = () => {
    if (source || document.hidden) return;
    source = new EventSource(url);
    source.addEventListener("message", (e) => message(e.data));
    source.addEventListener("error", () => error?.());
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
