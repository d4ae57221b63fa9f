// Everything that can be done on a page, by name: one table, which buttons, shortcuts and the finder read alike.

import { all, over } from "./dom.js";

/**
 * @typedef {object} Action
 * @property {string} name what buttons call it, as data-act
 * @property {(button: HTMLElement | null) => unknown} run the button that was pressed, if it was one
 * @property {string} [label] its words in the finder; without them it is not listed there
 * @property {string[]} [keys] as "Ctrl+Z" or "Space"
 */

/** @type {Action[]} */
export const actions = [];

const COPY = /^Ctrl\+(Shift\+)?[CV]$/;
const FIELDS = "input:not([type=range], [type=checkbox], [type=radio], [type=file]), textarea, [contenteditable]";

const TIME = /^(Space|Arrow(Left|Right)|Home|End)$/; // keys that play and step
const OPEN = ".feel, .dropdown-menu.show"; // what has these keys for itself while it is there

/** @type {[controls: string, keys: RegExp][]} what a control does by itself, once it was reached by Tab */
const OWN = [
  ["button, summary, [type=checkbox], [type=radio], [type=file], [role=button], [role=slider]", /^Space$/],
  ["[type=range], [type=radio], [role=slider], [role=separator], .bead", /^(Arrow|Home|End|Page)/],
  ["select", /^(Space|Arrow|Home|End|Page|[^+]$)/],
  [".bead", /^Delete$/],
];

// a control that was pressed keeps no keys: they are the page's again. One that was reached by Tab keeps its own.
let reached = false;

/** @param {...Action} more */
export function act(...more) {
  actions.push(...more);
}

/** @param {string} name @param {HTMLElement | null} button */
export const run = (name, button = null) => actions.find((item) => item.name === name)?.run(button);

/**
 * Show at its buttons whether something is on.
 * @param {string} name
 * @param {boolean | undefined} on
 */
export function pressed(name, on) {
  for (const button of all(`[data-act=${name}]`)) button.setAttribute("aria-pressed", String(Boolean(on)));
}

/** @param {HTMLElement | null} button */
export const isPressed = (button) => button?.getAttribute("aria-pressed") === "true";

/** @param {KeyboardEvent} event */
export const keyOf = (event) => {
  const single = event.key.length === 1;
  const ctrl = event.ctrlKey || event.metaKey;
  const shift = event.shiftKey && (!single || ctrl);
  return (ctrl ? "Ctrl+" : "") + (event.altKey && !single ? "Alt+" : "") + (shift ? "Shift+" : "")
    + (event.key === " " ? "Space" : single ? event.key.toUpperCase() : event.key);
};

/**
 * Whether a key that something is done by is meant for the field or control that has the focus.
 * @param {string} keys
 * @param {Element} target
 */
function isOwn(keys, target) {
  const typing = target.closest(FIELDS);
  // text that is chosen or being typed is copied and pasted as everywhere
  if (COPY.test(keys) && (typing || String(getSelection()))) return true;
  if (/^F\d+$/.test(keys)) return false; // nobody types those
  if (keys.startsWith("Ctrl+")) {
    // a field in which something was typed undoes its own typing first
    return keys !== "Ctrl+K" && typing instanceof HTMLInputElement && typing.value !== typing.defaultValue;
  }
  return Boolean(typing) || (reached && OWN.some(([controls, own]) => target.closest(controls) && own.test(keys)));
}

/** The action of a key, unless the key is somebody else's. @param {KeyboardEvent} event */
function actionOf(event) {
  if (event.defaultPrevented || document.querySelector("dialog[open]") || !(event.target instanceof Element)) return undefined;
  const keys = keyOf(event);
  const found = actions.find((item) => item.keys?.includes(keys));
  return found && !isOwn(keys, event.target) ? found : undefined;
}

/** @param {KeyboardEvent} event @param {Action | undefined} action */
function does(event, action) {
  if (!action) return;
  event.preventDefault();
  event.stopPropagation();
  action.run(null);
}

/** Begin to do what buttons and shortcuts ask for. */
export function listen() {
  document.addEventListener("pointerdown", () => { reached = false; }, true);
  document.addEventListener("click", (event) => {
    const button = over(event, "[data-act]");
    if (button) run(button.dataset.act ?? "", button);
  });
  // the keys of time come before what was pressed, wherever the focus is left by it
  document.addEventListener("keydown", (event) => {
    if (event.key === "Tab") reached = true;
    else if (!reached && TIME.test(keyOf(event)) && !document.querySelector(OPEN)) does(event, actionOf(event));
  }, true);
  document.addEventListener("keydown", (event) => does(event, actionOf(event)));
}
