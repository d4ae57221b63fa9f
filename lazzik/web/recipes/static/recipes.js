// A stack saved as a recipe, and the way to the shelf of them.

import { act } from "lazzik/lib/actions.js";
import { store } from "lazzik/lib/store.js";
import { channelAddress } from "lazzik/keys/chosen.js";
import { commit } from "lazzik/studio/history.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";

/** What the studio can do with recipes. */
export function offerRecipes() {
  const shelf = () => { location.href = `${store.url}/recipes?at=${encodeURIComponent(channelAddress())}`; };
  act(
    { name: "save-recipe", run: () => sheet("recipe-form", { at: channelAddress() }), label: "Save the stack as a recipe" },
    { name: "compare-recipes", run: () => sheet("versions/recipes", { at: channelAddress() }), label: "Compare two recipes on this number" },
    { name: "recipes", run: shelf, label: "Choose a recipe for this number" },
  );
  sheetForm("recipe-form", {
    land: (form, fields) => commit([{
      do: "save-recipe", address: form.dataset.address ?? "", label: String(fields.get("label")), note: String(fields.get("note")),
      expose: fields.getAll("expose").map((target) => ({ target: String(target) })),
    }], { quiet: true }),
  });
}
