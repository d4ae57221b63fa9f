// What comes round is shown as a period in seconds or as a frequency in hertz, whichever this browser was asked for. The
// document keeps what it has; only what is shown and typed is turned over.

import { act } from "lazzik/lib/actions.js";
import { maybe, one } from "lazzik/lib/dom.js";

const KEPT = "lazzik-cycles";
/** @type {Record<Unit, string>} what a number in it is called, where it has no name of its own */
const WORDS = { s: "period", Hz: "frequency" };
const NAMED = /[a-z°%]/i; // in what is typed: it says its unit itself

/** @typedef {"s" | "Hz"} Unit */

/** The unit that a knob's number comes round in, as the document has it; undefined if it does not come round. @param {HTMLElement} knob */
const ownUnit = (knob) => /** @type {Unit | undefined} */ (knob.dataset.cycle);

/** Whether a knob shows one part by its number. @param {HTMLElement} knob */
const isTurned = (knob) => {
  const own = ownUnit(knob);
  const wanted = localStorage.getItem(KEPT);
  return own !== undefined && wanted !== null && wanted !== own;
};

/** @param {Unit} unit @returns {Unit} */
const other = (unit) => (unit === "s" ? "Hz" : "s");

/** A knob's number as the document has it. @param {HTMLElement} knob */
export const ownValue = (knob) => Number(one("input[type=range]", knob, HTMLInputElement).getAttribute("value"));

/** A number of the document as a knob shows it. @param {HTMLElement} knob @param {number} value */
export const shownValue = (knob, value) => (isTurned(knob) ? String(Number((1 / value).toPrecision(4))) : String(value));

/** What was typed at a knob, so that it is understood wherever it is read. @param {HTMLElement} knob @param {string} text */
export function asTyped(knob, text) {
  if (!isTurned(knob) || text.trim() === "" || NAMED.test(text)) return text;
  return `${text} ${other(ownUnit(knob) ?? "s")}`;
}

/** Show a knob's number in the wanted unit. @param {HTMLElement} knob */
export function paintCycle(knob) {
  const own = ownUnit(knob);
  if (!own) return;
  one(".unit", knob).textContent = isTurned(knob) ? other(own) : own;
  const label = one("label", knob);
  const word = WORDS[isTurned(knob) ? other(own) : own];
  if (Object.values(WORDS).includes(label.textContent ?? "")) label.textContent = word;
  const field = one("input.num", knob, HTMLInputElement);
  if (document.activeElement !== field) field.value = field.defaultValue = shownValue(knob, ownValue(knob));
}

/** What the page can do with them. @param {() => void} paint shows all knobs anew */
export function offerCycles(paint) {
  act({
    name: "cycle-unit", label: "Show what comes round as a frequency, or as a period",
    run: (button) => {
      const knob = button?.closest(".knob") ?? maybe(".knob[data-cycle]");
      const own = knob instanceof HTMLElement && ownUnit(knob);
      if (!own) return;
      localStorage.setItem(KEPT, isTurned(knob) ? own : other(own));
      paint();
    },
  });
}
