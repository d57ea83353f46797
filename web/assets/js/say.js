// say shows a sentence for a while; screen readers hear it too.
let timer = 0;

export function say(text) {
  const el = document.getElementById("said");
  if (!el) return;
  el.textContent = text;
  clearTimeout(timer);
  timer = setTimeout(() => {
    el.textContent = "";
  }, 6000);
}

export const csrf = () => document.querySelector('meta[name="csrf"]').content;
