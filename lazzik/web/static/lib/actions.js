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

const OWN = /^(Space|Arrow|Home|End|Delete)/; // keys that a control reached by keyboard keeps for itself
const COPY = /^Ctrl\+(Shift\+)?[CV]$/;
const FIELDS = "input:not([type=range]), select, textarea, [contenteditable]";
const CONTROLS = "button, a, summary, [role=slider], [role=separator], .bead, .corner, .edge";

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
  return (ctrl ? "Ctrl+" : "") + (shift ? "Shift+" : "")
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
  if (keys.startsWith("Ctrl+")) {
    // a field in which something was typed undoes its own typing first
    return keys !== "Ctrl+K" && typing instanceof HTMLInputElement && typing.value !== typing.defaultValue;
  }
  return Boolean(typing) || (OWN.test(keys) && target.matches(":focus-visible") && Boolean(target.closest(CONTROLS)));
}

/** Begin to do what buttons and shortcuts ask for. */
export function listen() {
  document.addEventListener("click", (event) => {
    const button = over(event, "[data-act]");
    if (button) run(button.dataset.act ?? "", button);
  });
  document.addEventListener("keydown", (event) => {
    if (event.defaultPrevented || document.querySelector("dialog[open]") || !(event.target instanceof Element)) return;
    const keys = keyOf(event);
    const found = actions.find((item) => item.keys?.includes(keys));
    if (!found || isOwn(keys, event.target)) return;
    event.preventDefault();
    found.run(null);
  });
}
