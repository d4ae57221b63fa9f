// First steps, in place: ticked as they are taken, and dismissed for good.

import { act } from "lazzik/lib/actions.js";
import { maybe } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";

const LONG = 60 * 60 * 24 * 365; // seconds

/** @param {string} name */
function tick(name) {
  maybe(`#first-steps [data-step=${name}]`)?.classList.add("taken");
}

/** Begin to mind what is done, if the steps are shown. */
export function offerSteps() {
  if (!maybe("#first-steps")) return;
  act({
    name: "end-steps",
    run: () => {
      document.cookie = `steps=done; path=/; max-age=${LONG}; samesite=strict`;
      maybe("#first-steps")?.remove();
    },
    label: "Done with the first steps",
  });
  let moved = store.facts.lanes.length > 0;
  const began = store.facts.revision;
  if (moved) tick("move");
  store.subscribe("facts", () => {
    if (moved && store.facts.revision > began && maybe("#strip")) tick("calm");
    if (store.facts.lanes.length) tick("move");
    moved ||= store.facts.lanes.length > 0;
  });
}
