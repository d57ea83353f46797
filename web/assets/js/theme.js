// Runs before the first paint, so that the chosen lamp is lit at once.
try {
  const kept = localStorage.getItem("dogear-theme");
  if (kept) document.documentElement.dataset.theme = kept;
} catch {
  /* private windows keep nothing */
}
