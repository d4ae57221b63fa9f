// Names that are seen and cut off.
() => [...document.querySelectorAll("label, legend, .channel .name, .object .name, .lane-name strong, .card-link h2, .btn, summary, th")]
  .filter((each) => each.checkVisibility({ visibilityProperty: true }) && !each.closest(".visually-hidden"))
  .filter((each) => each.clientWidth && getComputedStyle(each).overflow !== "visible"
    && (each.scrollWidth > each.clientWidth + 1 || each.scrollHeight > each.clientHeight + 3))
  .map((each) => each.textContent.trim().replace(/\s+/g, " ").slice(0, 60))
