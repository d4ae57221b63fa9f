// What the studio shows now: the chosen address, and the panels that follow the document.

import { part } from "lazzik/lib/api.js";
import { maybe, one } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { readHead } from "./history.js";

/** @import { Facts } from "lazzik/lib/types.d.ts" */

const PANELS = ["#sheaves", "#strata", "#facts"];

/**
 * @typedef {object} View what is shown
 * @property {string} at
 * @property {string[]} also
 * @property {boolean} moving
 * @property {string} [find]
 */

/** The object that is shown. */
export const chosenNode = () => store.facts.at.split("/")[0];

/** The facts that a page carries. @param {ParentNode} page @returns {Facts} */
export const factsIn = (page) => JSON.parse(one("#facts", page).textContent ?? "");

// a curve drawn by script, a menu that is open and a name that is being typed stay while the panel around them is morphed
/** @type {MorphOptions["callbacks"]} */
export const keep = {
  beforeNodeMorphed: (old) => !(old instanceof Element)
    || !("dataset" in old && /** @type {HTMLElement} */ (old).dataset.drawn) && !old.matches(".dropdown-menu.show, [data-bs-toggle].show, a:has(.rename)"),
  // a gap is sized by script; a fold stays as the person left it
  beforeAttributeUpdated: (name, element) => !(name === "style" && element instanceof HTMLElement && element.dataset.gap)
    && !(name === "open" && element.matches("details") && !element.matches(".triple-fold.stirs:not([open])")),
};

/** How panels are morphed: what is typed in a field stays; a link that has the focus shows what it is by now. */
const morphing = () => ({ ignoreActiveValue: Boolean(document.activeElement?.matches("input, select, textarea")), callbacks: keep });

/** @param {View} view */
function query({ at, also, moving }) {
  const out = new URLSearchParams({ at });
  for (const other of also) out.append("also", other);
  if (moving) out.set("moving", "true");
  return out;
}

/** @returns {View & { find: string }} */
const shown = () => {
  const { at, also, moving, find } = store.facts;
  return { at, also, moving, find };
};

/**
 * What is asked for, with the listing of the tree.
 * @param {View} choice
 */
export function asked(choice = shown()) {
  const out = query(choice);
  if (choice.find) out.set("find", choice.find);
  return out;
}

/**
 * And with what the page has: then only what changed is sent of the tree.
 * @param {View} choice
 */
function askedAnew(choice) {
  const out = asked(choice);
  const { facts } = store;
  if (choice.find !== facts.find || choice.moving !== facts.moving) return out;
  out.set("first", one("#tree-rows").dataset.first ?? "0");
  out.set("was", String(facts.revision));
  out.set("was_at", facts.at);
  for (const other of facts.also) out.append("was_also", other);
  return out;
}

// the tree is morphed as a whole, or row by row where only some are sent
/** @param {Document} page */
function morphTree(page) {
  const options = morphing();
  const next = one("#tree", page);
  if (one("#tree-rows", page).dataset.whole === "true") return Idiomorph.morph(one("#tree"), next, options);
  for (const row of next.querySelectorAll("#tree-rows > li[id^=row-]")) Idiomorph.morph(one(`#${CSS.escape(row.id)}`), row, options);
  for (const place of [".tree-head", ".dials"]) {
    const [old, anew] = [maybe(`#tree ${place}`), maybe(place, next)];
    if (old && anew) Idiomorph.morph(old, anew, options);
  }
}

/** @type {(view: View) => void} */
let alongside = () => {};

/** What is told of each view while its panels are on their way. @param {(view: View) => void} act */
export const whileAsked = (act) => { alongside = act; };

// what was asked for last; an answer that comes late must not bring back what was left since
/** @type {View | null} */
let wanted = null;
let newest = 0;
/** @type {Promise<unknown>} */
let latest = Promise.resolve();

// while a button of the mouse is down nothing is replaced: a press does what was seen when it began
let down = false;
/** @type {(() => void)[]} */
const waiting = [];

/** Begin to mind where the pointer is. */
export function minding() {
  const letGo = () => setTimeout(() => { // after the click that the press becomes
    down = false;
    for (const go of waiting.splice(0)) go();
  });
  document.addEventListener("pointerdown", () => { down = true; }, true);
  for (const kind of ["pointerup", "pointercancel"]) document.addEventListener(kind, letGo, true);
  document.addEventListener("pointermove", (event) => { if (down && !event.buttons) letGo(); }, true); // let go elsewhere
  window.addEventListener("blur", letGo);
}

/** @returns {Promise<void> | null} */
const released = () => (down ? new Promise((go) => waiting.push(go)) : null);

/**
 * Show another address, or the same one anew.
 * @param {Partial<View>} view
 */
export function refresh(view = {}) {
  wanted = { ...(wanted ?? shown()), ...view };
  latest = refreshed(wanted, ++newest);
  return latest;
}

/** Resolves once what was asked for last is shown, or could not be. */
export const arrived = () => latest.catch(() => {});

/**
 * @param {View} view
 * @param {number} mine
 * @returns {Promise<unknown>}
 */
async function refreshed(view, mine) {
  let page;
  try {
    const answer = part(`${store.url}/panels?${askedAnew(view)}`);
    alongside(view);
    page = await answer;
  } catch (error) {
    if (mine === newest) wanted = null;
    throw error;
  }
  await released();
  if (mine !== newest) return latest;
  morphTree(page);
  for (const panel of PANELS) Idiomorph.morph(one(panel), one(panel, page), morphing());
  one("#scene-name").textContent = one("#scene-name", page).textContent;
  wanted = null;
  await store.set({ facts: factsIn(document) });
  if (mine !== newest) return latest;
  // last, so that a step is not called saved before it is seen
  Idiomorph.morph(one("#history"), one("#history", page));
  return readHead();
}

/**
 * Show an address. Other numbers stay chosen beside the shown one as long as it is the same.
 * @param {string} at
 * @param {Partial<Omit<View, "at">>} [view]
 */
export async function choose(at, view = {}) {
  const { facts } = store;
  const isLayer = at.startsWith(`${facts.channel}#`) && !at.split("#").at(-1)?.includes(".");
  const { moving = facts.moving, also = at === facts.channel || isLayer ? facts.also : [] } = view;
  const next = { at, also, moving };
  if (`${query(next)}` !== `${query(wanted ?? shown())}`) history.pushState(null, "", `?${query(next)}`);
  await refresh(next);
}
