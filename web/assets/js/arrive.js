import { csrf } from "./say.js";

// send brings a file in and says how far it is in a row of list; done gets the id
// of the print when it has been read, and the row. over is called at the end, whatever came
// of it.
export function send(file, how) {
  const { list } = how;
  const row = document.createElement("div");
  row.className = "mt-3 border-t border-rule pt-2";
  list.append(row);
  bring(file, row, how);
}

// bring does so in a row that stands there; plate is the one that is meant of an archive.
function bring(file, row, how, plate) {
  const { url, list, limit, done, over = () => {} } = how;
  list.scrollIntoView({ block: "nearest" });
  const no = (why) => {
    refuse(row, file.name, why);
    over();
  };
  if (limit && file.size > limit * 1024 * 1024)
    return no(`This file is larger than the limit of ${limit} MB.`);
  if (file.size === 0) return no("There is nothing in this file.");
  const x = new XMLHttpRequest();
  const show = bar(row, file.name, () => x.abort());
  x.open("POST", url);
  x.setRequestHeader("X-Csrf-Token", csrf());
  x.setRequestHeader("X-File-Name", encodeURIComponent(file.name));
  x.setRequestHeader("Content-Type", "application/octet-stream");
  x.setRequestHeader("Accept", "application/json");
  if (plate) x.setRequestHeader("X-Plate", encodeURIComponent(plate));
  x.upload.addEventListener("progress", (e) => {
    if (e.lengthComputable) show("Bringing it in", e.loaded / e.total);
  });
  x.addEventListener("abort", () => no("Stopped; nothing was kept."));
  x.addEventListener("error", () => no("Dogear does not answer. Is it still running?"));
  x.addEventListener("load", () => {
    let answer = {};
    try {
      answer = JSON.parse(x.responseText);
    } catch {
      /* said below */
    }
    if (x.status === 300 && answer.plates)
      return choose(row, file.name, answer.plates, (name) => bring(file, row, how, name), over);
    if (x.status !== 201) return no(answer.error || "The file was not taken.");
    const ready = () => {
      if (answer.same) twice(row, answer, file.name);
      else done(answer.id, row);
      over();
    };
    follow(row, answer.id, ready, file.name, over);
  });
  x.send(file);
}

// choose asks which plate of an archive is meant.
function choose(row, name, plates, take, over) {
  row.textContent = "";
  const p = document.createElement("p");
  p.setAttribute("role", "group");
  p.setAttribute("aria-label", `Plates of ${name}`);
  p.className = "flex flex-wrap items-center gap-2";
  p.append(`${name} has ${plates.length} plates. Which one?`);
  const button = (text, act) => {
    const b = document.createElement("button");
    b.type = "button";
    b.textContent = text;
    b.className = "border border-ink bg-page px-2 py-0.5";
    b.addEventListener("click", act);
    p.append(b);
    return b;
  };
  const first = plates.map((n) => button(n.replace(/^.*\//, ""), () => take(n)))[0];
  button("None", () => {
    row.remove();
    over();
  });
  row.append(p);
  row.scrollIntoView({ block: "nearest" });
  first.focus();
}

// twice says that the same file stands on the shelf already, and lets one choose.
function twice(row, { id, same }, name) {
  row.textContent = "";
  const p = document.createElement("p");
  p.setAttribute("role", "status");
  const off = document.createElement("button");
  off.type = "button";
  off.textContent = "Take the new one off again";
  off.className = "text-sea underline underline-offset-4";
  off.addEventListener("click", async () => {
    const r = await fetch(`/prints/${id}/remove`, {
      method: "POST",
      headers: { "X-Csrf-Token": csrf(), Accept: "application/json" },
    }).catch(() => null);
    if (r?.ok) location.href = "/";
    else p.append(" It could not be taken off.");
  });
  p.append(
    `${name} stands on the shelf already, as “${same.title}”, byte for byte. `,
    link(`/prints/${same.id}`, "Open that one"),
    " · ",
    link(`/prints/${id}`, "Open the new one"),
    " · ",
    off,
  );
  row.append(p);
  row.scrollIntoView({ block: "nearest" });
}

// arrived says that a print stands on the shelf now.
export function arrived(row, id, name) {
  row.textContent = "";
  const p = document.createElement("p");
  p.setAttribute("role", "status");
  p.append(`${name} stands on the shelf. `, link(`/prints/${id}`, "Open it"));
  row.append(p);
}

function link(to, text) {
  const a = document.createElement("a");
  a.href = to;
  a.textContent = text;
  a.className = "text-sea underline underline-offset-4";
  return a;
}

// follow asks how far a reading is until it ends: done, or refused.
export function follow(row, id, done, name = "", refused = () => {}) {
  const show = bar(row, name, async () => {
    await fetch(`/prints/${id}/cancel`, {
      method: "POST",
      headers: { "X-Csrf-Token": csrf(), Accept: "application/json" },
    });
  });
  show("Reading", 0);
  const ask = async () => {
    let r;
    try {
      r = await (
        await fetch(`/prints/${id}/reading`, { headers: { Accept: "application/json" } })
      ).json();
    } catch {
      return setTimeout(ask, 1500);
    }
    if (r.state === "reading") {
      show(r.what || "Reading", r.done);
      return setTimeout(ask, 250);
    }
    if (r.state === "ready") return done();
    refuse(row, name, r.error || "The file was not taken.");
    refused();
  };
  ask();
}

function bar(row, name, stop) {
  row.textContent = "";
  const line = document.createElement("p");
  line.className = "flex flex-wrap items-center gap-3";
  const text = document.createElement("span");
  const p = document.createElement("progress");
  p.max = 1;
  p.value = 0;
  p.className = "w-40";
  p.setAttribute("aria-label", `Reading ${name}`);
  const b = document.createElement("button");
  b.type = "button";
  b.textContent = "Stop";
  b.className = "text-sea underline underline-offset-4";
  b.addEventListener("click", stop);
  line.append(text, p, b);
  row.append(line);
  return (what, done) => {
    text.textContent = `${name ? name + ": " : ""}${what} … ${Math.floor(done * 100)} %`;
    p.value = done;
  };
}

function refuse(row, name, why) {
  row.textContent = "";
  const p = document.createElement("p");
  p.setAttribute("role", "alert");
  const b = document.createElement("b");
  b.className = "text-brick";
  b.textContent = name ? `${name} was not taken. ` : "Not taken. ";
  p.append(b, why);
  row.append(p);
  row.scrollIntoView({ block: "nearest" });
}
