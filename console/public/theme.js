// Before the first paint, so that a dark console never flashes white.
(function () {
  let chosen = null;
  try {
    chosen = localStorage.getItem("openlatch-theme");
  } catch {
    // A browser that keeps nothing follows the system.
  }
  const dark = chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.theme = dark ? "dark" : "light";
})();
