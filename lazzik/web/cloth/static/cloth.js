// Cloth as a person makes it.

import { act } from "lazzik/lib/actions.js";
import { maybe } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { commit } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";

/** What the page can do with cloth. */
export function offerCloth() {
  act(
    { name: "drape", run: drape, label: "Make the chosen object cloth" },
    {
      name: "undrape",
      run: async (button) => {
        const node = button?.dataset.node ?? maybe("[data-run-of]")?.dataset.runOf;
        if (node && (await commit([{ do: "undrape", node }]))) await choose(`${node}/shape`, { moving: false, also: [] });
      },
    },
  );
}

/** @param {HTMLElement | null} button */
async function drape(button) {
  const node = button?.dataset.node ?? store.facts.at.split("/")[0];
  if (!node) return toast("Choose an object first.");
  if (await commit([{ do: "drape", node }])) await choose(`${node}/cloth`, { moving: false, also: [] });
}
