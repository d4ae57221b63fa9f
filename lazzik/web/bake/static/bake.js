// The bake page: which channels are ticked, bakes worked out as jobs, and curves that can be looked at closely.

import { guard } from "lazzik/lib/guard.js";
import { post, text } from "lazzik/lib/api.js";
import { follow } from "lazzik/lib/jobs.js";

const form = document.getElementById("bake-form");
const review = document.getElementById("review");
const order = document.getElementById("order");
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

// what is placed is what was reviewed: while the form says something else, the review has to come first
let asked = null;
const says = () => {
  const fields = new FormData(form);
  fields.delete("review");
  return `${new URLSearchParams(fields)}`;
};
for (const kind of ["input", "change"]) form.addEventListener(kind, () => {
  const button = review.querySelector(".main-action");
  if (button) button.disabled = says() !== asked;
});
// leaving a field that was typed in says nothing new
form.addEventListener("htmx:beforeRequest", (event) => {
  if (says() === asked) event.preventDefault();
  else asked = says();
});

function sort() {
  const list = review.querySelector(".compared-list");
  if (!list) return;
  const rows = [...list.children];
  rows.forEach((row, place) => { row.dataset.place ??= -place; });
  rows.sort((a, b) => Number(b.dataset[order.value]) - Number(a.dataset[order.value]));
  list.replaceChildren(...rows);
}
order.addEventListener("change", sort);

function refuse(place, sentence) {
  const said = Object.assign(document.createElement("p"), { className: "field-error", textContent: sentence });
  said.setAttribute("role", "alert");
  place.replaceChildren(said);
}

// a bake that was asked for fills its place once it is worked out; one that is asked for anew ends the one before
const running = new Map();
async function fill(place, news) {
  const before = running.get(place);
  running.set(place, news.id);
  if (before) await post(`/jobs/${before}/stop`, {}).catch(() => {}); // it may be over and forgotten
  const over = await follow(news);
  if (running.get(place) !== news.id) return;
  running.delete(place);
  if (over?.state === "done") {
    // the fragment is the server's own page part, every value in it escaped there
    place.replaceChildren(...new DOMParser().parseFromString(await text(`/jobs/${news.id}/result`), "text/html").body.children);
    sort();
    htmx.process(place);
  } else if (over?.state === "failed") {
    refuse(place, `${over.said}. Nothing was changed.`);
  } else if (over) {
    refuse(place, over.said);
    if (place !== review) return;
    const anew = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-sm quiet", textContent: "Work it out" });
    anew.addEventListener("click", () => { asked = null; form.dispatchEvent(new Event("change")); });
    place.append(anew);
  }
}

document.addEventListener("htmx:afterRequest", async ({ detail }) => {
  const place = document.getElementById(detail.elt.dataset.fills);
  if (!place) return;
  if (!detail.xhr.response) return void (asked = null); // it never came there, so it may be asked again
  const answer = JSON.parse(detail.xhr.response);
  await guard(async () => {
    if (answer.error) refuse(place, `${answer.error}. Nothing was changed.`);
    else await fill(place, answer);
  }, (sentence) => refuse(place, sentence));
});

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
