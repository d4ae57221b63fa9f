// The tree: a window on its rows, which follows scrolling, and finding objects by their names.

import { part } from "lazzik/lib/api.js";
import { all, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { tidy } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { asked, keep, refresh } from "./session.js";

const ROW = 26; // pixels of a row that is not open
const NEAR = 30; // rows from the window's end at which the next ones are asked for
const AROUND = 80; // rows before the first one in sight that are asked for with it

const list = () => one("#tree-rows");
const rows = () => all(":scope > li[id^=row-]", list());
const first = () => Number(list().dataset.first);
const total = () => Number(list().dataset.total);

// the rows that are not there keep their room
function sizeGaps() {
  one("[data-gap=before]", list()).style.height = `${first() * ROW}px`;
  one("[data-gap=after]", list()).style.height = `${(total() - first() - rows().length) * ROW}px`;
}

// the first row in sight stays where it is seen, whatever becomes of those above it
/** @param {() => void} change */
function steadily(change) {
  const seen = rows().find((row) => row.getBoundingClientRect().bottom > list().getBoundingClientRect().top);
  const before = seen?.getBoundingClientRect().top ?? 0;
  change();
  sizeGaps();
  if (seen?.isConnected) list().scrollTop += seen.getBoundingClientRect().top - before;
}

// the first row of the window that should be there, or null if it is
function missing() {
  const end = first() + rows().length;
  const box = list().getBoundingClientRect();
  const place = rows().findIndex((row) => row.getBoundingClientRect().bottom > box.top);
  // rows are a row high, save the open one: beyond the window the gaps tell how far it is
  const beyond = place < 0 || one("[data-gap=before]", list()).getBoundingClientRect().bottom > box.top;
  const top = beyond ? Math.floor(list().scrollTop / ROW) : first() + place;
  const bottom = top + Math.ceil(box.height / ROW);
  const short = (first() > 0 && top - NEAR < first()) || (end < total() && bottom + NEAR > end);
  return short ? Math.max(0, top - AROUND) : null;
}

// numbers that move, as they are at the playhead
function showValues() {
  for (const number of all("#tree-rows [data-values]")) {
    const { values = "", unit = "" } = number.dataset;
    const value = Number(values.split(" ")[store.frame - store.facts.first]);
    if (Number.isFinite(value)) number.textContent = `${tidy(value)}${unit === "m" ? " " : ""}${unit}`;
  }
}

let running = false;

async function followScrolling() {
  if (running) return;
  running = true;
  await guard(async () => {
    for (let next = missing(); next !== null && next !== first(); next = missing()) {
      const { facts } = store;
      const query = asked();
      query.set("first", String(next));
      const page = await part(`${store.url}/tree?${query}`);
      if (facts !== store.facts) continue; // another choice or document is shown by now
      steadily(() => Idiomorph.morph(list(), one("#tree-rows", page), { callbacks: keep }));
    }
  }, () => {}).finally(() => { running = false; }); // the next scroll asks again
}

/** @param {HTMLElement} tree */
export function listenToTree(tree) {
  tree.addEventListener("scroll", (event) => { if (event.target === list()) followScrolling(); }, true);
  tree.addEventListener("input", (event) => {
    const field = over(event, "#tree-find", HTMLInputElement);
    if (!field) return;
    list().scrollTop = 0;
    refresh({ find: field.value });
  });
  tree.addEventListener("keydown", (event) => {
    const field = over(event, "#tree-find", HTMLInputElement);
    if (!field || !["Escape", "Enter", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key !== "Escape") return maybe("a.object", list())?.focus();
    field.value = "";
    refresh({ find: "" });
  });
  sizeGaps();
  store.subscribe("facts", () => { sizeGaps(); showValues(); });
  store.subscribe("frame", showValues);
}
