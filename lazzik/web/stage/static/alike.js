// Objects that share one geometry, drawn in one go: each stays an object of its own, and what is drawn follows them.

import * as THREE from "three";
import { Copies, repeatedIndex } from "./copies.js";

/** @import { Entry, Lines, Surface } from "./model.js" */

/** @typedef {Entry & { mesh: Surface }} Drawn */

const LEAST = 12; // objects that are worth it
const NOWHERE = new THREE.Matrix4().makeScale(0, 0, 0);

export const TOGETHER = 2; // a layer that no camera looks at, and rays hit: what is drawn with others alike

/**
 * Objects that can be drawn together, by what they share. What has a picture, lets light through or is not seen stays alone.
 * @param {Iterable<Entry>} entries
 * @returns {Drawn[][]}
 */
export function alikeAmong(entries) {
  /** @type {Map<THREE.BufferGeometry, Drawn[]>} */
  const groups = new Map();
  for (const entry of entries) {
    const { mesh } = entry;
    if (!mesh || mesh.material.map || mesh.material.transparent || entry.item.userData.unseen) continue;
    const group = groups.get(mesh.geometry) ?? [];
    groups.set(mesh.geometry, group);
    group.push(/** @type {Drawn} */ (entry));
  }
  return [...groups.values()].filter((group) => group.length >= LEAST);
}

/** A material whose colour and glow are each instance's own. */
function sharedMaterial() {
  const material = new THREE.MeshLambertMaterial();
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader.replace("void main() {", "attribute float glow;\nvarying float glows;\nvoid main() {\n glows = glow;");
    shader.fragmentShader = shader.fragmentShader.replace("void main() {", "varying float glows;\nvoid main() {")
      .replace("#include <emissivemap_fragment>", "totalEmissiveRadiance += vColor.rgb * glows;");
  };
  material.customProgramCacheKey = () => "alike";
  return material;
}

/**
 * The surfaces of objects that are alike. Their matrices are looked up whenever those of the scene are brought up to date.
 * @extends {Copies<THREE.MeshLambertMaterial>}
 */
class Surfaces extends Copies {
  /** @param {Drawn[]} entries @param {(entry: Entry) => void} alone */
  constructor(entries, alone) {
    super(entries[0].mesh.geometry.clone(), sharedMaterial(), entries.length); // a geometry that goes with what is drawn here
    this.glow = this.perCopy(1);
    this.geometry.setAttribute("glow", this.glow);
    this.instanceColor = this.perCopy(3);
    this.entries = entries;
    this.alone = alone;
    this.castShadow = this.receiveShadow = true;
  }

  // it stands last beside the objects, so that these are where they should be by now
  updateMatrixWorld() {
    this.entries.forEach((entry, n) => {
      const { mesh } = entry;
      if (mesh.layers.isEnabled(TOGETHER) && mesh.matrixWorld.determinant() < 0) this.alone(entry); // the faces of a mirrored one turn the other way
      this.setMatrixAt(n, mesh.visible && mesh.layers.isEnabled(TOGETHER) ? mesh.matrixWorld : NOWHERE);
      this.setColorAt(n, mesh.material.color);
      this.tell(this.glow, n, [mesh.material.emissiveIntensity]);
    });
    this.material.wireframe = this.entries[0].mesh.material.wireframe;
  }
}

/** @type {WeakMap<THREE.Object3D, THREE.Object3D[]>} */
const withOthers = new WeakMap();

/** What an object is drawn by, together with others; nothing where it is drawn alone. @param {THREE.Object3D} item */
export const drawnWith = (item) => (item.layers.isEnabled(TOGETHER) && withOthers.get(item)) || [];

export class Alike {
  /**
   * @param {Drawn[]} entries
   * @param {(surface: { geometry: THREE.BufferGeometry }) => Lines} edgesOf
   * @param {(entry: Entry) => void} alone told of each that can't be drawn with the others any longer
   */
  constructor(entries, edgesOf, alone) {
    this.surfaces = new Surfaces(entries, alone);
    const { instanceMatrix, count, laidOut, told, geometry, boundingBox } = this.surfaces;
    const lines = edgesOf(entries[0].mesh);
    lines.geometry.setAttribute("position", geometry.attributes.position);
    lines.geometry.boundingSphere = geometry.boundingSphere;
    if (laidOut && lines.geometry.index) lines.geometry.setIndex(repeatedIndex(lines.geometry.index, told, entries.length));
    this.lines = Object.assign(lines, { isInstancedMesh: true, instanceMatrix, instanceColor: null, morphTexture: null, count, boundingBox });
    for (const { mesh } of entries) {
      mesh.layers.set(TOGETHER);
      withOthers.set(mesh, [this.surfaces, this.lines]);
    }
  }

  /** Into a scene, below what holds the objects. @param {THREE.Object3D} root */
  join(root) { root.add(this.surfaces, this.lines); }

  dispose() {
    const { surfaces, lines } = this;
    for (const each of [surfaces, lines]) each.removeFromParent();
    surfaces.geometry.dispose();
    surfaces.material.dispose();
    surfaces.dispose();
    lines.dispatchEvent({ type: "dispose" }); // its geometry and material go with those of all edges
  }
}
