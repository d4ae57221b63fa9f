// The formula field: checked while it is typed, the error at its column.

import { guard } from "lazzik/lib/guard.js";
import { post } from "lazzik/lib/api.js";
import { sceneUrl } from "lazzik/studio/history.js";

const PAUSE = 120;

export function listenToFormulas(root) {
  let waiting = null;
  let newest = 0;
  root.addEventListener("input", (event) => {
    const knob = event.target.closest("[data-formula]");
    if (!knob) return;
    clearTimeout(waiting);
    waiting = setTimeout(() => check(knob, event.target), PAUSE);
  });
  root.addEventListener("focusin", (event) => {
    const knob = event.target.closest?.("[data-formula]");
    if (knob && event.target.matches("input")) check(knob, event.target);
  });

  async function check(knob, field) {
    const mine = (newest += 1);
    const said = knob.querySelector(".formula-said");
    await guard(async () => {
      const told = await post(`${sceneUrl()}/formula`, { text: field.value, at: knob.dataset.formula });
      if (mine !== newest) return;
      knob.classList.toggle("wrong", !told.ok);
      field.setAttribute("aria-invalid", !told.ok);
      said.replaceChildren();
      if (told.ok) return said.append(`${told.low} to ${told.high}`);
      if (told.column) {
        // a mark under the very character
        const mark = document.createElement("span");
        mark.className = "caret";
        mark.style.left = `calc(${told.column - 1}ch - ${field.scrollLeft}px)`;
        mark.append("↑");
        said.append(mark);
      }
      const words = document.createElement("span");
      words.className = "field-error";
      words.append(told.error);
      said.append(words);
    }, () => {});
  }
}
