// What is done to the layers of the shown number by their buttons.

import { act, isPressed, run } from "lazzik/lib/actions.js";
import { maybe } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { channelAddress, deskOpen } from "lazzik/keys/chosen.js";
import { commit } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { openFeel } from "./feel.js";

/** @import { AddLayer, Edit } from "lazzik/lib/types.d.ts" */

/** @typedef {HTMLElement | null} Button */

/** The layer that a button is of: the one around it, or the open one. @param {Button} button */
const layerOf = (button) => (button?.closest("[data-layer]") ?? maybe(".lane.chosen[data-layer]"))?.getAttribute("data-layer") ?? "";

/** Put a layer on the shown number and open it. @param {Edit} edit */
async function add(edit) {
  const before = new Set(store.facts.lanes.map((lane) => lane.id));
  if (!(await commit([edit]))) return;
  if (deskOpen()) run("desk"); // it would hide what is new
  const added = store.facts.lanes.find((lane) => !before.has(lane.id));
  if (added) await choose(added.address);
}

/** A layer that reads another number. @param {Button} button */
function read(button) {
  const { read: source = "", combine } = button?.dataset ?? {};
  const label = button?.textContent?.trim();
  return add({ do: "add-layer", address: channelAddress(), kind: "link", label, combine: /** @type {AddLayer["combine"]} */ (combine), settings: { source } });
}

/** Let a layer follow the range, or no longer: one that loops is endless then. @param {Button} button */
function fit(button) {
  const on = !isPressed(button);
  return commit([{ do: "change-layer", address: layerOf(button), fit: on, ...(button?.dataset.loops && !on && { loop: null }) }]);
}

/** Let numbers come round within the range. @param {Button} button that says which */
function loop(button) {
  const which = button?.dataset.loopAll;
  const here = channelAddress();
  const addresses = which === "scene" ? [] : which === "also" ? [here, ...store.facts.also] : [here];
  return commit([{ do: "loop", addresses, fit: which !== "none" }]);
}

/** Let each use of a recipe have a value of its own, or no longer. @param {Button} button */
function expose(button) {
  const recipe = channelAddress().split("#")[0].split("/")[1];
  return commit([{ do: "expose", recipe, target: button?.dataset.expose ?? "", on: !isPressed(button) }]);
}

/** @param {Button} button */
const flag = (button) => commit([{ do: "change-layer", address: layerOf(button), [button?.dataset.flag ?? ""]: !isPressed(button) }]);

/** What the page can do with layers. */
export function offerLayers() {
  act(
    { name: "add-layer", run: (button) => add({ do: "add-layer", address: channelAddress(), kind: button?.dataset.add ?? "" }) },
    { name: "read", run: read },
    { name: "use-recipe", run: (button) => add({ do: "use-recipe", address: channelAddress(), recipe: button?.dataset.use ?? "" }) },
    { name: "feel", run: (button) => button && openFeel(button) },
    { name: "fit-range", run: fit },
    { name: "loop", run: loop },
    { name: "expose", run: expose },
    { name: "flag-layer", run: flag },
    { name: "swap-ends", run: (button) => commit([{ do: "swap-ends", address: layerOf(button) }]) },
    { name: "remove-layer", run: (button) => commit([{ do: "remove-layer", address: layerOf(button) }]) },
  );
}
