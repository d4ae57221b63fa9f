// Rows of the tree dragged: hung under another object, or put before one. With Alt the numbers stay instead of the place.

import { act } from "lazzik/lib/actions.js";
import { all, maybe, one, over } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { store } from "lazzik/lib/store.js";
import { commit } from "lazzik/studio/history.js";
import { chosenNode } from "lazzik/studio/session.js";
import { chosenNodes } from "lazzik/studio/choice.js";

/** @import { HangObjects } from "lazzik/lib/types.d.ts" */

const UPPER = 0.3; // of a row's height: what is let go there goes before it
const EDGE = 24; // pixels from the list's ends at which it scrolls
const STEP = 8; // pixels that it scrolls by

/** @typedef {{ under: string | null, before?: string }} Place */

const list = () => one("#tree-rows");

/** The row of an object. @param {string} node */
const rowOf = (node) => maybe(`#tree a.object[data-node="${CSS.escape(node)}"]`);

/** @param {HTMLElement} row @returns {string | null} */
const parentOf = (row) => row.dataset.parent || null;

/** Rows beside one, under the same object. @param {HTMLElement} row */
const beside = (row) => all("#tree a.object").filter((other) => parentOf(other) === parentOf(row));

/** @param {string[]} nodes @param {Place} place @param {boolean} stay */
function hang(nodes, place, stay = true) {
  /** @type {HangObjects} */
  const edit = { do: "hang", nodes, stay, frame: store.frame, ...place };
  return commit([edit]);
}

/**
 * Where what is let go at a point would go; null for nowhere.
 * @param {number} x
 * @param {number} y
 * @param {string[]} nodes
 */
function target(x, y, nodes) {
  const at = document.elementFromPoint(x, y);
  if (!at?.closest("#tree-rows")) return null;
  const row = at.closest("a.object");
  if (!(row instanceof HTMLElement)) return at.closest("li[id^=row-]") ? null : { row: null, place: { under: null } };
  const node = row.dataset.node ?? "";
  if (nodes.includes(node)) return null;
  const box = row.getBoundingClientRect();
  const upper = y - box.top < UPPER * box.height;
  return { row, place: upper ? { under: parentOf(row), before: node } : { under: node } };
}

/** @param {PointerEvent} event @param {HTMLElement} row @param {HTMLElement} tree */
function drag(event, row, tree) {
  const node = row.dataset.node ?? "";
  const chosen = chosenNodes();
  const nodes = chosen.includes(node) ? chosen : [node];
  /** @type {ReturnType<typeof target>} */
  let found = null;
  let stay = true;
  const clear = () => {
    for (const each of all("#tree .drop-above, #tree .drop-into, #tree .lifted")) each.classList.remove("drop-above", "drop-into", "lifted");
  };
  follow(event, {
    move: (_dx, _dy, now) => {
      clear();
      for (const each of nodes) rowOf(each)?.classList.add("lifted");
      stay = !now.altKey;
      found = target(now.clientX, now.clientY, nodes);
      found?.row?.classList.add("before" in found.place ? "drop-above" : "drop-into");
      const box = list().getBoundingClientRect();
      if (now.clientY < box.top + EDGE) list().scrollTop -= STEP;
      if (now.clientY > box.bottom - EDGE) list().scrollTop += STEP;
    },
    done: (moved) => {
      clear();
      if (!moved) return;
      // a drag that ends on its own row is no press of it
      const ended = new AbortController();
      tree.addEventListener("click", (click) => { click.preventDefault(); click.stopImmediatePropagation(); }, { capture: true, signal: ended.signal });
      setTimeout(() => ended.abort());
      if (found) hang(nodes, found.place, stay);
    },
    gaveUp: clear,
  });
}

/** One step by keyboard. @param {"up" | "down" | "in" | "out"} way */
function step(way) {
  const node = chosenNode();
  const row = rowOf(node);
  if (!row) return undefined;
  const rows = beside(row);
  const here = rows.indexOf(row);
  const under = parentOf(row);
  const idOf = (/** @type {HTMLElement | undefined} */ other) => other?.dataset.node;
  if (way === "up") return here > 0 ? hang([node], { under, before: idOf(rows[here - 1]) }) : undefined;
  if (way === "down") return here < rows.length - 1 ? hang([node], { under, before: idOf(rows[here + 2]) }) : undefined;
  if (way === "in") return here > 0 ? hang([node], { under: idOf(rows[here - 1]) ?? null }) : undefined;
  const above = under && rowOf(under);
  if (!above) return undefined;
  const uncles = beside(above);
  return hang([node], { under: parentOf(above), before: idOf(uncles[uncles.indexOf(above) + 1]) });
}

/** Begin to listen. @param {HTMLElement} tree */
export function listenToHanging(tree) {
  tree.addEventListener("dragstart", (event) => event.preventDefault());
  tree.addEventListener("pointerdown", (event) => {
    const row = over(event, "a.object");
    if (row && !event.button && !event.ctrlKey && !event.metaKey && !event.shiftKey && !over(event, "input")) drag(event, row, tree);
  });
  act(
    { name: "object-up", keys: ["Alt+ArrowUp"], run: () => step("up"), label: "Put the object before the one above it" },
    { name: "object-down", keys: ["Alt+ArrowDown"], run: () => step("down"), label: "Put the object behind the one below it" },
    { name: "object-in", keys: ["Alt+ArrowRight"], run: () => step("in"), label: "Hang the object under the one above it" },
    { name: "object-out", keys: ["Alt+ArrowLeft"], run: () => step("out"), label: "Hang the object beside what it hangs under" },
  );
}
