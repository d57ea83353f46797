// mount starts each page that stands in the document. What a page listens to outside of
// itself it lets go by the signal, when it is left for good. Call the result to leave it.
export function mount(pages) {
  const gone = new AbortController();
  for (const [selector, start] of pages) {
    const root = document.querySelector(selector);
    if (root) start(root, gone.signal);
  }
  const leave = () => gone.abort();
  addEventListener("pagehide", (e) => e.persisted || leave()); // else it comes back as it was
  return leave;
}
