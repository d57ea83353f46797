// listener is shared by all tabs of a browser: it holds the one stream on which the server
// tells what has changed in the prints that any of them shows.
const shows = new Map(); // port → number of the print
const last = new Map(); // number of the print → what was told of it last
let source = null;
let asked = "";

const tell = (what) => {
  for (const port of shows.keys()) port.postMessage(what);
};

function renew() {
  const ids = [...new Set(shows.values())].sort();
  const wanted = ids.map((id) => `p=${encodeURIComponent(id)}`).join("&");
  if (wanted === asked && source?.readyState !== EventSource.CLOSED) return;
  asked = wanted;
  source?.close();
  source = null;
  for (const id of last.keys()) if (!ids.includes(id)) last.delete(id);
  if (!wanted) return;
  source = new EventSource(`/events?${wanted}`);
  source.addEventListener("message", (e) => {
    const at = e.data.indexOf(" ");
    const id = e.data.slice(0, at),
      told = e.data.slice(at + 1);
    last.set(id, told);
    for (const [port, shown] of shows) if (shown === id) port.postMessage(told);
  });
  source.addEventListener("open", () => tell({ gone: false }));
  // A broken connection is taken up by itself; one that was refused is tried again later.
  source.addEventListener("error", (e) => {
    tell({ gone: true });
    if (e.target.readyState === EventSource.CLOSED)
      setTimeout(() => e.target === source && renew(), 5000);
  });
}

self.addEventListener("connect", (e) => {
  const port = e.ports[0];
  port.addEventListener("message", (m) => {
    if (m.data.leave) shows.delete(port);
    else {
      shows.set(port, String(m.data.print));
      if (last.has(String(m.data.print))) port.postMessage(last.get(String(m.data.print)));
    }
    renew();
  });
  port.start();
});
