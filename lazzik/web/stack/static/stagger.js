// A number of a layer spread over the choice: seen while the sheet is filled in, one step when it is done.

import { act } from "lazzik/lib/actions.js";
import { all, field, one, over } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { Change } from "lazzik/studio/change.js";
import { members } from "lazzik/studio/choice.js";
import { onClosed, sheet, sheetForm } from "lazzik/studio/sheets.js";

/** @import { Stagger } from "lazzik/lib/types.d.ts" */

/** @type {Change | null} */
let change = null;

/** @param {HTMLFormElement} form @returns {Stagger} */
function edit(form) {
  const value = (/** @type {string} */ name) => field(form, name).value;
  const by = /** @type {Stagger["by"]} */ (value("by"));
  /** @type {string[]} */
  const numbers = JSON.parse(form.dataset.members ?? "[]");
  return {
    do: "stagger", by, addresses: numbers.map((member) => `${member}#${form.dataset.layerId}.${value("number")}`),
    start: value("start"), amount: value("amount"), axis: /** @type {Stagger["axis"]} */ (value("axis")),
    ...(by === "random" && { seed: value("seed") }),
    ...(by === "distance" && value("origin") && { origin: value("origin") }),
  };
}

/** @param {HTMLFormElement} form */
function preview(form) {
  const said = one(".field-error", form);
  const by = field(form, "by").value;
  for (const label of all("[data-for]", form)) label.hidden = label.dataset.for !== by;
  one("[data-amount]", form).textContent = by === "step" ? "each later by" : "over";
  change ??= new Change((sentence) => { said.textContent = sentence; });
  change.to([edit(form)]);
}

/** How a number is usually spread: a phase over a turn, a whole number by steps of one. @param {HTMLFormElement} form */
function suit(form) {
  const { value, dataset } = field(form, "number");
  field(form, "by").value = JSON.parse(dataset.spreads ?? "{}")[value] ?? "order";
  field(form, "amount").value = "1";
}

const taken = () => { const given = change; change = null; return given; };

function open() {
  const { lanes, also } = store.facts;
  const lane = lanes.find((item) => item.chosen);
  if (!lane) return toast("Choose a layer first: its numbers are what is spread.");
  if (members().length < 2) return toast("Choose more numbers first: hold Ctrl and press other objects at the left.");
  return sheet("stagger", { at: lane.address, also });
}

/** What the page can do with it. */
export function offerStagger() {
  act({ name: "stagger", keys: ["G"], run: open, label: "Stagger a number over the choice" });
  sheetForm("stagger-form", {
    prepare: (form) => {
      form.addEventListener("input", (event) => {
        if (over(event, "[name=number]")) suit(form);
        preview(form);
      });
      onClosed(() => taken()?.giveUp());
      suit(form);
      preview(form);
    },
    land: async (form) => {
      await taken()?.land();
      return !one(".field-error", form).textContent;
    },
  });
}
