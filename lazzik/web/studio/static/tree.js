// The tree: a window on its rows, which follows scrolling, and finding objects by their names.

import { Refused, text } from "lazzik/lib/api.js";
import { sceneUrl } from "./history.js";
import { asked, facts, keep, refresh } from "./session.js";

const ROW = 26; // pixels of a row that is not open
const NEAR = 30; // rows from the window's end at which the next ones are asked for
const AROUND = 80; // rows before the first one in sight that are asked for with it

const list = () => document.getElementById("tree-rows");
const rows = () => [...list().querySelectorAll(":scope > li[id^=row-]")];

// the rows that are not there keep their room
function sizeGaps() {
  const { first, total } = list().dataset;
  const gaps = { before: Number(first), after: Number(total) - Number(first) - rows().length };
  for (const [name, count] of Object.entries(gaps)) list().querySelector(`[data-gap=${name}]`).style.height = `${count * ROW}px`;
}

// the first row in sight stays where it is seen, whatever becomes of those above it
function steadily(change) {
  const seen = rows().find((row) => row.getBoundingClientRect().bottom > list().getBoundingClientRect().top);
  const before = seen?.getBoundingClientRect().top;
  change();
  sizeGaps();
  if (seen?.isConnected) list().scrollTop += seen.getBoundingClientRect().top - before;
}

// the first row of the window that should be there, or null if it is
function missing() {
  const first = Number(list().dataset.first);
  const end = first + rows().length;
  const box = list().getBoundingClientRect();
  const inSight = (row) => row.getBoundingClientRect().bottom > box.top;
  const place = rows().findIndex(inSight);
  // rows are a row high, save the open one: beyond the window the gaps tell how far it is
  const top = place < 0 ? Math.floor(list().scrollTop / ROW) : list().querySelector("[data-gap=before]").getBoundingClientRect().bottom > box.top
    ? Math.floor(list().scrollTop / ROW) : first + place;
  const bottom = top + Math.ceil(box.height / ROW);
  const short = (first > 0 && top - NEAR < first) || (end < Number(list().dataset.total) && bottom + NEAR > end);
  return short ? Math.max(0, top - AROUND) : null;
}

let running = false;
async function follow() {
  if (running) return;
  running = true;
  try {
    for (let first = missing(); first !== null && first !== Number(list().dataset.first); first = missing()) {
      const now = facts;
      const query = asked();
      query.set("first", first);
      const page = new DOMParser().parseFromString(await text(`${sceneUrl()}/tree?${query}`), "text/html");
      if (now !== facts) continue; // another choice or document is shown by now
      steadily(() => Idiomorph.morph(list(), page.getElementById("tree-rows"), { callbacks: keep }));
    }
  } catch (error) {
    if (!(error instanceof Refused)) throw error; // the next scroll asks again
  } finally {
    running = false;
  }
}

export function listenToTree(tree) {
  tree.addEventListener("scroll", (event) => { if (event.target === list()) follow(); }, true);
  tree.addEventListener("input", (event) => {
    if (event.target.id !== "tree-find") return;
    list().scrollTop = 0;
    refresh({ find: event.target.value });
  });
  tree.addEventListener("keydown", (event) => {
    if (event.target.id !== "tree-find" || !["Escape", "Enter", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key !== "Escape") return void list().querySelector("a.object")?.focus();
    event.target.value = "";
    refresh({ find: "" });
  });
  sizeGaps();
  return { changed: sizeGaps };
}
