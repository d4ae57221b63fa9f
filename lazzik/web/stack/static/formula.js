// The formula field: checked while it is typed, the error at its column.

import { post } from "lazzik/lib/api.js";
import { element, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";

const PAUSE = 120; // milliseconds of rest before what was typed is checked

/** @typedef {{ ok: boolean, low?: string, high?: string, error?: string, column?: number }} Checked */

/**
 * @param {HTMLInputElement} field
 * @param {Checked} told
 */
function words(field, { ok, low, high, error = "", column }) {
  if (ok) return [`${low} to ${high}`];
  const sentence = element("span", { className: "field-error" }, error);
  if (!column) return [sentence];
  // a mark under the very character
  const mark = element("span", { className: "caret" }, "↑");
  mark.style.left = `calc(${column - 1}ch - ${field.scrollLeft}px)`;
  return [mark, sentence];
}

/** @param {HTMLElement} root */
export function listenToFormulas(root) {
  let waiting = 0;
  let newest = 0;

  /** @param {HTMLElement} knob @param {HTMLInputElement} field */
  async function check(knob, field) {
    const mine = (newest += 1);
    await guard(async () => {
      /** @type {Checked} */
      const told = await post(`${store.url}/formula`, { text: field.value, at: knob.dataset.formula });
      if (mine !== newest) return;
      knob.classList.toggle("wrong", !told.ok);
      field.setAttribute("aria-invalid", String(!told.ok));
      one(".formula-said", knob).replaceChildren(...words(field, told));
    }, () => {});
  }

  /** @param {Event} event @param {number} pause */
  const checkSoon = (event, pause) => {
    const [knob, field] = [over(event, "[data-formula]"), over(event, "input", HTMLInputElement)];
    if (!knob || !field) return;
    clearTimeout(waiting);
    waiting = window.setTimeout(() => check(knob, field), pause);
  };
  root.addEventListener("input", (event) => checkSoon(event, PAUSE));
  root.addEventListener("focusin", (event) => checkSoon(event, 0));
}
