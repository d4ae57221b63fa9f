// What differs, ticked, and taken over into now.

import { post } from "lazzik/lib/api.js";
import { all, element, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { send } from "lazzik/studio/history.js";

const MOST_TOLD = 12; // of what comes along

/** @param {HTMLInputElement} box */
const keysOf = (box) => /** @type {string[]} */ (JSON.parse(box.dataset.keys ?? "[]"));

/** @param {ParentNode} part */
const boxesIn = (part) => all("input[data-keys]", part, HTMLInputElement);

/** The ticks that one tick stands for. @param {HTMLInputElement} box */
function standsFor(box) {
  if (box.dataset.many !== undefined) return boxesIn(/** @type {HTMLElement} */ (box.closest("tbody")));
  const rows = all(`.differs[data-holder="${CSS.escape(box.dataset.whole ?? "")}"]`);
  return rows.flatMap((row) => boxesIn(row));
}

/**
 * Begin to listen.
 * @param {string} of the state that is taken from
 */
export function listenToTaking(of) {
  const table = maybe("#differs");
  const form = one("#take-over", document, HTMLFormElement);
  const button = maybe("button", form, HTMLButtonElement);
  if (!table || !button) return;
  const whole = one("[name=whole]", form, HTMLInputElement);
  const said = one(".field-error", form);
  let newest = 0;
  const chosen = () => [...new Set(boxesIn(table).filter((box) => box.checked).flatMap(keysOf))];

  const paint = () => {
    const count = chosen().length;
    button.disabled = count === 0;
    button.textContent = count ? `Take ${count} over` : "Tick what is to come";
    for (const box of all("input[data-many], input[data-whole]", table, HTMLInputElement)) {
      const own = standsFor(box);
      const on = own.filter((each) => each.checked).length;
      box.checked = on > 0 && on === own.length;
      box.indeterminate = on > 0 && on < own.length;
    }
  };

  // what would come with it is told before it is taken
  const tell = async () => {
    const mine = ++newest;
    const keys = chosen();
    const asked = { revision: store.revision, of, keys, whole: whole.checked };
    said.textContent = "";
    /** @type {string[]} */
    let along = [];
    await guard(async () => {
      if (keys.length) ({ along } = await post(`${store.url}/versions/along`, asked));
    }, (sentence) => { if (mine === newest) said.textContent = sentence; });
    if (mine !== newest) return;
    const rows = along.slice(0, MOST_TOLD).map((line) => element("li", {}, line));
    if (along.length > MOST_TOLD) rows.push(element("li", {}, `and ${along.length - MOST_TOLD} more`));
    one("#along").replaceChildren(...(rows.length ? [element("li", { className: "along-head" }, "With it comes"), ...rows] : []));
  };

  table.addEventListener("change", (event) => {
    const box = over(event, "input[type=checkbox]", HTMLInputElement);
    if (!box) return;
    if (box.dataset.keys === undefined) for (const own of standsFor(box)) own.checked = box.checked;
    paint();
    tell();
  });
  whole.addEventListener("change", tell);
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    said.textContent = "";
    button.disabled = true;
    await guard(() => send("versions/take", { of, keys: chosen(), whole: whole.checked }), (sentence) => { said.textContent = sentence; });
    button.disabled = false;
  });
  paint();
}
