// Where the stage is looked at from: named views, and what is chosen brought into view.

import * as THREE from "three";
import { act, pressed } from "lazzik/lib/actions.js";

/** @import { Stage } from "./stage.js" */

const ROOM = 1.25; // times the distance at which what is looked at just fits
const LEAST = 0.4; // metres across that are shown of what has no size

/** @type {Record<string, [x: number, y: number, z: number]>} from where it is seen */
export const SIDES = { front: [0, 0.12, 1], side: [1, 0.12, 0], above: [0, 1, 0.001] };

/**
 * The box around objects and all that hangs under them; around the whole scene if there are none.
 * @param {Stage} stage
 * @param {string[]} ids
 */
export function around(stage, ids) {
  const box = new THREE.Box3();
  for (const id of ids) {
    const item = stage.nodes.get(id)?.item;
    const shell = stage.shells.get(id);
    if (shell?.visible) box.union(new THREE.Box3().setFromObject(shell));
    else if (item) box.union(new THREE.Box3().setFromObject(item)).expandByPoint(item.getWorldPosition(new THREE.Vector3()));
  }
  if (box.isEmpty() && stage.root) box.setFromObject(stage.root);
  return box;
}

/**
 * Look at a box from a side, all of it in sight.
 * @param {Stage} stage
 * @param {THREE.Box3} box
 * @param {THREE.Vector3} from
 */
export function lookAt(stage, box, from) {
  const { camera, controls } = stage;
  const middle = box.isEmpty() ? new THREE.Vector3() : box.getCenter(new THREE.Vector3());
  const radius = Math.max(box.isEmpty() ? 0 : box.getSize(new THREE.Vector3()).length() / 2, LEAST);
  const half = THREE.MathUtils.degToRad(camera.fov) / 2;
  const narrow = Math.min(half, Math.atan(Math.tan(half) * camera.aspect));
  const away = THREE.MathUtils.clamp((radius / Math.sin(narrow)) * ROOM, controls.minDistance, controls.maxDistance);
  controls.target.copy(middle);
  camera.position.copy(middle).addScaledVector(from.clone().normalize(), away);
  controls.update();
  stage.keepView();
  stage.invalidate();
}

/**
 * What the page can do with the view.
 * @param {Stage | null} stage
 * @param {() => string[]} chosen the chosen objects
 */
export function offerViews(stage, chosen) {
  const free = () => { if (stage?.through) pressed("camera", stage.toggleCamera()); };
  /** @param {string} side */
  const from = (side) => {
    if (!stage) return;
    free();
    lookAt(stage, around(stage, []), new THREE.Vector3(...SIDES[side]));
  };
  const here = () => {
    if (!stage) return;
    free();
    lookAt(stage, around(stage, chosen()), stage.camera.position.clone().sub(stage.controls.target));
  };
  act(
    { name: "view-front", run: () => from("front"), label: "View from the front" },
    { name: "view-side", run: () => from("side"), label: "View from the side" },
    { name: "view-above", run: () => from("above"), label: "View from above" },
    { name: "view-chosen", keys: ["V"], run: here, label: "Bring what is chosen into view" },
    { name: "reset", keys: ["R"], run: () => { free(); stage?.reset(); }, label: "Reset the view" },
    { name: "camera", keys: ["C"], run: () => pressed("camera", stage?.toggleCamera()), label: "Look through the scene's camera" },
  );
}
