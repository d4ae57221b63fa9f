// Colours by swatch: picked as a whole, seen on the stage at once, stored as the three numbers that they are.

import { over } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { autoKeys } from "lazzik/stage/gizmo.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { commit } from "lazzik/studio/history.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */
/** @import { Stage } from "lazzik/stage/stage.js" */

const PARTS = ["r", "g", "b"];

/** The three shares of a colour such as #c4472b. @param {string} hex */
export const shares = (hex) => [1, 3, 5].map((at) => Number((parseInt(hex.slice(at, at + 2), 16) / 255).toFixed(4)));

/**
 * A colour as edits: keys at the frame that is shown where there are some, or keys put themselves.
 * @param {string} address such as post/look.color
 * @param {string} hex
 * @param {boolean[]} keyed
 * @returns {Edit[]}
 */
export const colourEdits = (address, hex, keyed) => shares(hex).map((value, i) => (
  keyed[i] || autoKeys()
    ? { do: "put-key", address: `${address}.${PARTS[i]}`, frame: store.frame, value }
    : { do: "set", address: `${address}.${PARTS[i]}`, value }
));

/** Begin to listen to the swatches of some panels. @param {HTMLElement[]} panels @param {Stage | null} stage */
export function listenToColours(panels, stage) {
  /** @param {string} address */
  const alike = (address) => {
    const path = address.split("/")[1];
    const others = chosenNodes().slice(1).filter((node) => stage?.nodes.get(node)?.mesh);
    return path === "look.color" ? others.map((node) => `${node}/${path}`) : [];
  };
  const seen = (/** @type {Event} */ event) => {
    const swatch = over(event, "[data-colour]", HTMLInputElement);
    const address = swatch?.dataset.colour ?? "";
    if (swatch) for (const each of [address, ...alike(address)]) stage?.tint(each.split("/")[0], swatch.value);
  };
  const picked = async (/** @type {Event} */ event) => {
    const swatch = over(event, "[data-colour]", HTMLInputElement);
    const address = swatch?.dataset.colour ?? "";
    if (!swatch) return;
    const own = colourEdits(address, swatch.value, JSON.parse(swatch.dataset.keyed ?? "[]"));
    await commit([...own, ...alike(address).flatMap((other) => colourEdits(other, swatch.value, []))]);
  };
  for (const panel of panels) {
    panel.addEventListener("input", seen);
    panel.addEventListener("change", picked);
  }
}
