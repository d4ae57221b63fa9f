// The bake page: which channels are ticked, and curves that can be looked at closely.

const form = document.getElementById("bake-form");
const boxes = () => [...form.querySelectorAll("[name=channel]")];

// a tick of an object stands for all its channels, and follows them
function paintGroups() {
  for (const group of form.querySelectorAll("[data-group]")) {
    const own = [...group.closest("li").querySelectorAll("[name=channel]")];
    const on = own.filter((box) => box.checked).length;
    group.checked = on === own.length;
    group.indeterminate = on > 0 && on < own.length;
  }
}

form.addEventListener("click", (event) => {
  const button = event.target.closest("[data-check]");
  if (!button) return;
  const wanted = { all: () => true, none: () => false, chosen: (box) => "chosen" in box.dataset, unit: (box) => box.dataset.unit === button.dataset.unit }[button.dataset.check];
  for (const box of boxes()) box.checked = wanted(box);
  paintGroups();
  form.dispatchEvent(new Event("change"));
});
form.addEventListener("change", (event) => {
  if (event.target.matches("[data-group]")) for (const box of event.target.closest("li").querySelectorAll("[name=channel]")) box.checked = event.target.checked;
  paintGroups();
});
paintGroups();

// with Ctrl the wheel zooms a compared curve in time about the pointer, a drag moves along it, a double click shows all of it
const whole = (svg) => (svg.dataset.whole ??= svg.getAttribute("viewBox")).split(" ").map(Number);
function look(svg, from, width) {
  const [, top, all, height] = whole(svg);
  const shown = Math.min(Math.max(width, all / 400), all);
  svg.setAttribute("viewBox", `${Math.min(Math.max(from, 0), all - shown)} ${top} ${shown} ${height}`);
}
const view = (svg) => svg.getAttribute("viewBox").split(" ").map(Number);

document.addEventListener("wheel", (event) => {
  const svg = event.target.closest(".compared svg");
  if (!svg || !event.ctrlKey) return;
  event.preventDefault();
  const [from, , width] = view(svg);
  const box = svg.getBoundingClientRect();
  const share = (event.clientX - box.left) / box.width;
  const next = width * 1.0015 ** event.deltaY;
  look(svg, from + share * (width - next), next);
}, { passive: false });
document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest(".compared svg");
  if (!svg || event.button) return;
  const [from, , width] = view(svg);
  const stop = new AbortController();
  window.addEventListener("pointermove", (next) => look(svg, from - ((next.clientX - event.clientX) / svg.clientWidth) * width, width), { signal: stop.signal });
  window.addEventListener("pointerup", () => stop.abort(), { signal: stop.signal });
});
document.addEventListener("dblclick", (event) => {
  const svg = event.target.closest(".compared svg");
  if (svg) look(svg, 0, whole(svg)[2]);
});
document.addEventListener("keydown", (event) => {
  const svg = event.target.closest?.(".compared svg");
  const by = { "+": [0.7, 0], "=": [0.7, 0], "-": [1 / 0.7, 0], ArrowLeft: [1, -0.2], ArrowRight: [1, 0.2] }[event.key];
  if (!svg || !by) return;
  event.preventDefault();
  const [from, , width] = view(svg);
  look(svg, from + (width * (1 - by[0])) / 2 + width * by[1], width * by[0]);
});
