// Soft shadows of the sun: where there is graphics hardware, or where they are asked for.

import * as THREE from "three";
import { hardware } from "./hardware.js";

const KEPT = "lazzik-shadows";
const REACH = 14; // metres about the middle of the scene that are shadowed
const DOTS = 2048; // along one side of the picture that the sun sees

/** Whether shadows are drawn. */
export function shadowsWanted() {
  const wanted = localStorage.getItem(KEPT);
  return wanted ? wanted === "yes" : hardware();
}

/** Draw them from now on, or no longer. */
export function switchShadows() {
  localStorage.setItem(KEPT, shadowsWanted() ? "no" : "yes");
}

/**
 * @param {THREE.WebGLRenderer} renderer
 * @param {THREE.Object3D[]} around among them the sun
 * @param {boolean} on
 */
export function castShadows(renderer, around, on) {
  renderer.shadowMap.enabled = on;
  renderer.shadowMap.type = THREE.PCFShadowMap;
  for (const sun of around) {
    if (!(sun instanceof THREE.DirectionalLight)) continue;
    sun.castShadow = on;
    sun.shadow.mapSize.set(DOTS, DOTS);
    sun.shadow.normalBias = 0.03;
    sun.shadow.radius = 3;
    Object.assign(sun.shadow.camera, { left: -REACH, right: REACH, top: REACH, bottom: -REACH, near: 0.5, far: 4 * REACH });
    sun.shadow.camera.updateProjectionMatrix();
  }
}
