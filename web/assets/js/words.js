// How the bench writes numbers.

export function mm(v) {
  const s = (Math.round(v * 1000) / 1000).toFixed(3).replace(/0$/, "");
  return s;
}

export function count(n) {
  return String(n).replace(/\B(?=(\d{3})+$)/g, "\u2009");
}

export function hours(s) {
  const m = Math.round(s / 60);
  if (s < 90) return `${Math.round(s)} s`;
  if (m < 60) return `${m} min`;
  return `${Math.floor(m / 60)} h ${String(m % 60).padStart(2, "0")}`;
}
