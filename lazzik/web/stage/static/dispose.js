// Letting go of what the graphics card holds. Nothing else frees it: what is only dropped stays there.

import { Line, Mesh, Points } from "three";

/** @import { BufferGeometry, Object3D } from "three" */

/**
 * All geometries and materials of an item and what is below it; none of them may be in use elsewhere.
 * @param {Object3D | null | undefined} item
 */
export function dispose(item) {
  item?.traverse((each) => {
    if (!(each instanceof Mesh || each instanceof Line || each instanceof Points)) return;
    each.geometry.dispose();
    for (const material of [each.material].flat()) {
      if ("map" in material) /** @type {{ map: import("three").Texture | null }} */ (material).map?.dispose();
      material.dispose();
    }
  });
}

/**
 * What a geometry has of its own; the attributes that it shares with another one, and its index if that is shared, stay.
 * @param {BufferGeometry} geometry
 * @param {string[]} shared
 */
export function disposeOwn(geometry, shared) {
  for (const name of shared) {
    if (name === "index") geometry.setIndex(null);
    else geometry.deleteAttribute(name);
  }
  geometry.dispose();
}
