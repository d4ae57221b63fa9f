// Emitters as a person makes them.

import { act } from "lazzik/lib/actions.js";
import { maybe } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { worked } from "lazzik/shape/bake.js";
import { apply, send } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet, sheet, sheetForm } from "lazzik/studio/sheets.js";

/** What the page can do with emitters. */
export function offerEmitters() {
  act(
    {
      name: "emit",
      run: async (button) => {
        const before = new Set(store.facts.carried.map(({ node }) => node));
        const landed = button && (await apply(button));
        if (!landed) return;
        closeSheet();
        const sends = store.facts.carried.find(({ node }) => !before.has(node));
        if (sends) await choose(`${sends.node}/${sends.part}`, { moving: false, also: [] });
      },
    },
    { name: "objects", run: makeObjects, label: "Make objects of the open particles" },
  );
  sheetForm("objects-form", {
    land: (form, fields) => send("make-objects", { node: form.dataset.node, most: Number(fields.get("most")) }, worked),
  });
}

function makeObjects() {
  const node = maybe("[data-run-of]")?.dataset.runOf;
  return node ? sheet("objects-form", { node }) : toast("Open particles first.");
}
