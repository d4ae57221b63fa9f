// The bake page: which channels are ticked, and bakes worked out as jobs.

import { act } from "lazzik/lib/actions.js";
import { post, text } from "lazzik/lib/api.js";
import { all, element, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { followJob } from "lazzik/lib/jobs.js";
import { listenToCurves } from "./curves.js";

/** @import { News } from "lazzik/lib/jobs.js" */

const form = one("#bake-form", document, HTMLFormElement);
const review = one("#review");
const order = one("#order", document, HTMLSelectElement);
const boxesIn = (/** @type {ParentNode} */ root) => all("[name=channel]", root, HTMLInputElement);

/** The channels that a tick of an object stands for. @param {HTMLInputElement} group */
const boxesOf = (group) => boxesIn(group.closest("li") ?? form);

// a tick of an object stands for all its channels, and follows them
function paintGroups() {
  for (const group of all("[data-group]", form, HTMLInputElement)) {
    const own = boxesOf(group);
    const on = own.filter((box) => box.checked).length;
    group.checked = on === own.length;
    group.indeterminate = on > 0 && on < own.length;
  }
}

/** @param {HTMLElement | null} button that says which */
function tick(button) {
  const { check, unit } = button?.dataset ?? {};
  for (const box of boxesIn(form)) {
    box.checked = check === "all" || (check === "chosen" && "chosen" in box.dataset) || (check === "unit" && box.dataset.unit === unit);
  }
  paintGroups();
  form.dispatchEvent(new Event("change"));
}

act({ name: "tick", run: tick });
form.addEventListener("change", (event) => {
  const group = over(event, "[data-group]", HTMLInputElement);
  if (group) for (const box of boxesOf(group)) box.checked = group.checked;
  paintGroups();
});
paintGroups();

// what is placed is what was reviewed: while the form says something else, the review has to come first
/** @type {string | null} */
let asked = null;
const says = () => {
  const fields = new FormData(form);
  fields.delete("review");
  return `${new URLSearchParams(/** @type {[string, string][]} */ ([...fields]))}`;
};
for (const kind of ["input", "change"]) {
  form.addEventListener(kind, () => {
    const button = maybe(".main-action", review, HTMLButtonElement);
    if (button) button.disabled = says() !== asked;
  });
}
// leaving a field that was typed in says nothing new
form.addEventListener("htmx:beforeRequest", (event) => {
  if (says() === asked) event.preventDefault();
  else asked = says();
});

function sort() {
  const list = maybe(".compared-list", review);
  if (!list) return;
  const rows = all(":scope > *", list);
  rows.forEach((row, place) => { row.dataset.place ??= String(-place); });
  rows.sort((a, b) => Number(b.dataset[order.value]) - Number(a.dataset[order.value]));
  list.replaceChildren(...rows);
}
order.addEventListener("change", sort);

/** @param {HTMLElement} place @param {string} sentence */
function refuse(place, sentence) {
  const said = element("p", { className: "field-error", textContent: sentence });
  said.setAttribute("role", "alert");
  place.replaceChildren(said);
}

/** @type {Map<HTMLElement, string>} the job that fills a place */
const running = new Map();

/**
 * A bake that was asked for fills its place once it is worked out; one that is asked for anew ends the one before.
 * @param {HTMLElement} place
 * @param {News} news
 */
async function fill(place, news) {
  const before = running.get(place);
  running.set(place, news.id);
  if (before) await guard(() => post(`/jobs/${before}/stop`, {}), () => {}); // it may be over and forgotten
  const last = await followJob(news);
  if (running.get(place) !== news.id) return;
  running.delete(place);
  if (last?.state === "done") {
    // the fragment is the server's own page part, every value in it escaped there
    place.replaceChildren(...new DOMParser().parseFromString(await text(`/jobs/${news.id}/result`), "text/html").body.children);
    sort();
    htmx.process(place);
  } else if (last?.state === "failed") {
    refuse(place, `${last.said}. Nothing was changed.`);
  } else if (last) {
    refuse(place, last.said);
    if (place === review) place.append(again());
  }
}

// what was stopped can be asked for again
function again() {
  const button = element("button", { type: "button", className: "btn btn-sm quiet", textContent: "Work it out" });
  button.addEventListener("click", () => { asked = null; form.dispatchEvent(new Event("change")); });
  return button;
}

document.addEventListener("htmx:afterRequest", async ({ detail }) => {
  const { fills } = detail.elt.dataset;
  const place = fills && maybe(`#${fills}`);
  if (!place) return;
  if (!detail.xhr.response) return void (asked = null); // it never came there, so it may be asked again
  const answer = JSON.parse(detail.xhr.response);
  await guard(async () => {
    if (answer.error) refuse(place, `${answer.error}. Nothing was changed.`);
    else await fill(place, answer);
  }, (sentence) => refuse(place, sentence));
});
listenToCurves();
