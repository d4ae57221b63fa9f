// Day or dusk, settled before anything is painted.
(() => {
  document.documentElement.dataset.bsTheme = localStorage.getItem("lazzik-theme") ?? "light";
})();
