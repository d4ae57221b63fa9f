// Short messages at the corner, with what can be done about them.

import { element, one } from "./dom.js";

const SHOWN = 7000; // milliseconds

/** @typedef {[label: string, act: () => unknown]} Choice */

/**
 * @param {string} sentence
 * @param {...Choice} choices
 */
export function toast(sentence, ...choices) {
  const box = element("div", { className: "toast show" });
  const row = element("div", { className: "row-of mt-2" });
  /** @type {Choice} */
  const close = ["Close", () => {}];
  for (const [label, act] of [...choices, close]) {
    const button = element("button", { type: "button", className: "btn btn-sm", textContent: label });
    button.addEventListener("click", () => { box.remove(); act(); });
    row.append(button);
  }
  box.append(element("div", { className: "toast-body" }, sentence, row));
  one("#toasts").replaceChildren(box);
  if (!choices.length) setTimeout(() => box.remove(), SHOWN);
}
