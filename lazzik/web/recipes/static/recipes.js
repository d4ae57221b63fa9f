// A stack saved as a recipe, and the way to the shelf.

import { act } from "lazzik/lib/actions.js";
import { store } from "lazzik/lib/store.js";
import { channelAddress } from "lazzik/keys/chosen.js";
import { commit } from "lazzik/studio/history.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";

/** What the studio can do with recipes. */
export function offerRecipes() {
  /** Another page, which knows what is chosen. @param {string} page */
  const go = (page) => {
    const query = new URLSearchParams({ at: channelAddress() || store.facts.at, frame: String(store.frame) });
    for (const also of store.facts.also) query.append("also", also);
    location.href = `${store.url}/${page}?${query}`;
  };
  act(
    { name: "save-recipe", run: () => sheet("recipe-form", { at: channelAddress() }), label: "Save the stack as a recipe" },
    { name: "compare-recipes", run: () => sheet("versions/recipes", { at: channelAddress() }), label: "Compare two recipes on this number" },
    { name: "recipes", run: () => go("recipes"), label: "Take from the shelf for what is chosen" },
    { name: "reading", run: () => go("reading"), label: "Read a recipe from a curve" },
  );
  sheetForm("recipe-form", {
    land: (form, fields) => commit([{
      do: "save-recipe", address: form.dataset.address ?? "", label: String(fields.get("label")), note: String(fields.get("note")),
      expose: fields.getAll("expose").map((target) => ({ target: String(target) })),
    }], { quiet: true }),
  });
}
