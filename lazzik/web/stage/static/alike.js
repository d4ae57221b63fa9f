// Objects that share one geometry, drawn in one go: each stays an object of its own, and what is drawn follows them.

import * as THREE from "three";

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
 * @extends {THREE.InstancedMesh<THREE.BufferGeometry, THREE.MeshLambertMaterial>}
 */
class Surfaces extends THREE.InstancedMesh {
  /** @param {Drawn[]} entries @param {(entry: Entry) => void} alone */
  constructor(entries, alone) {
    const geometry = entries[0].mesh.geometry.clone(); // one that goes with what is drawn here
    super(geometry, sharedMaterial(), entries.length);
    this.glow = new THREE.InstancedBufferAttribute(new Float32Array(entries.length), 1);
    geometry.setAttribute("glow", this.glow);
    this.instanceColor = new THREE.InstancedBufferAttribute(new Float32Array(3 * entries.length), 3);
    this.entries = entries;
    this.alone = alone;
    this.frustumCulled = false;
    this.castShadow = this.receiveShadow = true;
    this.boundingBox = new THREE.Box3(); // where they are is where the objects are
    this.raycast = () => {}; // as is what rays hit
  }

  // it stands last beside the objects, so that these are where they should be by now
  updateMatrixWorld() {
    const { entries, instanceMatrix, instanceColor, glow } = this;
    entries.forEach((entry, n) => {
      const { mesh } = entry;
      if (mesh.layers.isEnabled(TOGETHER) && mesh.matrixWorld.determinant() < 0) this.alone(entry); // the faces of a mirrored one turn the other way
      const there = mesh.visible && mesh.layers.isEnabled(TOGETHER);
      (there ? mesh.matrixWorld : NOWHERE).toArray(instanceMatrix.array, 16 * n);
      mesh.material.color.toArray(instanceColor?.array, 3 * n);
      glow.array[n] = mesh.material.emissiveIntensity;
    });
    instanceMatrix.needsUpdate = glow.needsUpdate = true;
    if (instanceColor) instanceColor.needsUpdate = true;
    this.material.wireframe = entries[0].mesh.material.wireframe;
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
    const lines = edgesOf(this.surfaces);
    const { instanceMatrix } = this.surfaces;
    const instanced = { isInstancedMesh: true, instanceMatrix, instanceColor: null, morphTexture: null, count: entries.length };
    this.lines = Object.assign(lines, instanced, { boundingBox: new THREE.Box3() });
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
