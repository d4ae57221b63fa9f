// Objects saved as recipes, and recipes put on objects.

import { act } from "lazzik/lib/actions.js";
import { all, maybe } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { commit } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet, sheet, sheetForm } from "lazzik/studio/sheets.js";

/** The numbers that are ticked. @param {HTMLFormElement} form */
const exposed = (form) => all("[name=expose]:checked", form, HTMLInputElement)
  .map((tick) => ({ address: tick.value, label: tick.dataset.label ?? tick.value }));

/** Put the recipe that a button stands for on the chosen objects. @param {HTMLElement | null} button */
async function putHere(button) {
  const nodes = /** @type {string[]} */ (JSON.parse(button?.dataset.nodes ?? "[]"));
  const seeds = maybe("#own-seeds", document, HTMLInputElement)?.checked === false ? "same" : "own";
  await guard(async () => {
    await commit([{ do: "put-object-recipe", recipe: button?.dataset.recipe ?? "", nodes, seeds }], { quiet: true });
    closeSheet();
    await choose(`${nodes[0]}/recipe`);
  }, (sentence) => {
    const said = maybe("dialog .field-error");
    if (said) said.textContent = sentence;
  });
}

/** What the studio can do with recipes of objects. */
export function offerObjectRecipes() {
  act(
    { name: "save-object-recipe", run: () => sheet("object-recipe-form", { node: chosenNodes() }), label: "Save the object as a recipe" },
    { name: "put-recipe", run: () => sheet("put-recipe-form", { node: chosenNodes() }), label: "Put a recipe on the chosen objects" },
    { name: "put-recipe-here", run: putHere },
  );
  sheetForm("object-recipe-form", {
    land: async (form, fields) => {
      const node = form.dataset.node ?? "";
      const landed = await commit([{
        do: "save-object-recipe", node, label: String(fields.get("label")), note: String(fields.get("note")),
        also: JSON.parse(form.dataset.also ?? "[]"), expose: exposed(form),
      }], { quiet: true });
      await choose(`${node}/recipe`);
      return landed;
    },
  });
  sheetForm("exposed-form", {
    land: (form, fields) => commit([{
      do: "change-object-recipe", recipe: form.dataset.recipe ?? "", label: String(fields.get("label")),
      note: String(fields.get("note")), exposed: exposed(form),
    }], { quiet: true }),
  });
}
