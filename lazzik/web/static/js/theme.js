// Day or dusk, settled before anything is painted.
(() => {
  const wanted = localStorage.getItem("lazzik-theme");
  const dusk = wanted ? wanted === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.bsTheme = dusk ? "dark" : "light";
})();
