// The order of layers: a lane is lifted by its grip and let go between others.

import { all, maybe, over } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { commit } from "lazzik/studio/history.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */

/** @param {HTMLElement} lane */
const place = (lane) => Number(lane.dataset.place);

/** @param {HTMLElement} lane @param {number} to @returns {Edit} */
function moved(lane, to) {
  const { layer, deformer = "" } = lane.dataset;
  if (layer) return { do: "move-layer", address: layer, to };
  const { node = "" } = /** @type {HTMLElement} */ (lane.closest("#form")).dataset;
  return { do: "move-deformer", node, deformer, to };
}

/** @param {HTMLElement} root */
export function listenToOrder(root) {
  const lanes = () => all(".lane.layer", root);

  root.addEventListener("pointerdown", (event) => {
    const lane = over(event, ".grip", Element) && over(event, ".lane");
    if (!lane || event.button) return;
    /** @type {HTMLElement | null} */
    let target = null;
    const clear = () => lanes().forEach((item) => item.classList.remove("lifted", "drop-above", "drop-below"));
    follow(event, {
      move: (_dx, _dy, now) => {
        clear();
        lane.classList.add("lifted");
        // a lane's knobs, open under it, count as the lane
        target = lanes().findLast((item) => now.clientY >= item.getBoundingClientRect().top) ?? lanes()[0];
        if (target === lane) target = null;
        target?.classList.add(place(target) > place(lane) ? "drop-above" : "drop-below");
      },
      done: (didMove) => { clear(); if (didMove && target) commit([moved(lane, place(target))]); },
      gaveUp: clear,
    });
  });

  root.addEventListener("keydown", async (event) => {
    const lane = over(event, ".grip", Element) && over(event, ".lane");
    const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!lane || !by) return;
    event.preventDefault();
    const to = place(lane) + by;
    if (to < 0 || to >= lanes().length) return;
    await commit([moved(lane, to)]);
    maybe(`#${CSS.escape(lane.id)} .grip`)?.focus();
  });
}
