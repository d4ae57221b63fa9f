// A box drawn on the stage with Ctrl: the objects whose middle lies in it.

import * as THREE from "three";
import { element } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";

/** @import { Stage } from "./stage.js" */

/**
 * The objects with a surface in sight whose middle lies in a box of the picture.
 * @param {Stage} stage
 * @param {{ left: number, top: number, right: number, bottom: number }} box pixels of the picture
 */
export function within(stage, { left, top, right, bottom }) {
  const middle = new THREE.Vector3();
  return [...stage.nodes].filter(([, { item, mesh }]) => {
    if (!mesh?.visible || item.userData.unseen) return false;
    mesh.geometry.computeBoundingBox();
    mesh.geometry.boundingBox?.getCenter(middle);
    const { x, y, z } = stage.toScreen(mesh.localToWorld(middle));
    return z < 1 && x >= left && x <= right && y >= top && y <= bottom;
  }).map(([id]) => id);
}

/**
 * Begin to listen.
 * @param {Stage} stage
 * @param {(nodes: string[]) => void} chosen
 */
export function listenToBox(stage, chosen) {
  const { canvas, controls } = stage;
  canvas.addEventListener("pointerdown", (event) => {
    if (event.button || !(event.ctrlKey || event.metaKey)) return;
    event.stopImmediatePropagation();
    const frame = canvas.getBoundingClientRect();
    const [x, y] = [event.clientX - frame.left, event.clientY - frame.top];
    const drawn = element("div", { className: "stage-box" });
    const was = controls.enabled;
    controls.enabled = false;
    const end = () => { drawn.remove(); controls.enabled = was; };
    let box = { left: x, top: y, right: x, bottom: y };
    follow(event, {
      move: (dx, dy) => {
        box = { left: x + Math.min(0, dx), top: y + Math.min(0, dy), right: x + Math.max(0, dx), bottom: y + Math.max(0, dy) };
        if (!drawn.parentNode) canvas.parentElement?.append(drawn);
        Object.assign(drawn.style, {
          left: `${box.left}px`, top: `${box.top}px`, width: `${box.right - box.left}px`, height: `${box.bottom - box.top}px`,
        });
      },
      done: (moved) => { end(); if (moved) chosen(within(stage, box)); },
      gaveUp: end,
    });
  }, true);
}
