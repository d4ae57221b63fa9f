// The order of layers: a lane is lifted by its grip and let go between others.

import { follow } from "lazzik/studio/drags.js";
import { commit } from "lazzik/studio/history.js";

export function listenToOrder(root) {
  const lanes = () => [...root.querySelectorAll(".lane.layer")];
  const place = (lane) => Number(lane.dataset.place);
  const move = (lane, to) => commit([lane.dataset.layer ? { do: "move-layer", address: lane.dataset.layer, to }
    : { do: "move-deformer", node: lane.closest("#form").dataset.node, deformer: lane.dataset.deformer, to }]);

  root.addEventListener("pointerdown", (event) => {
    const grip = event.target.closest(".grip");
    if (!grip || event.button) return;
    const lane = grip.closest(".lane");
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
      done: (moved) => { clear(); if (moved && target) move(lane, place(target)); },
      gaveUp: clear,
    });
  });

  root.addEventListener("keydown", async (event) => {
    const grip = event.target.closest?.(".grip");
    const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!grip || !by) return;
    event.preventDefault();
    const lane = grip.closest(".lane");
    const to = place(lane) + by;
    if (to < 0 || to >= lanes().length) return;
    await move(lane, to);
    document.querySelector(`#${CSS.escape(lane.id)} .grip`)?.focus();
  });
}
