// One shape many times, drawn in one go. Graphics hardware is told once for each copy where it is. A driver in software
// draws each copy so told as if it were a call of its own, so small shapes are laid out there one after the other as one
// large shape, and each of its points is told where its copy is.

import * as THREE from "three";
import { hardware } from "./hardware.js";

const MOST_POINTS = 100; // of a shape that is laid out: to tell more of them takes longer than a call
const MOST_LAID_OUT = 500_000; // points in all
const [FEW, MANY] = [500, 2000]; // copies of what has more points, and of what has less

/**
 * Copies that are drawn while one works: without graphics hardware thousands make every picture slow, the sooner the
 * more points each has.
 * @param {number} points
 */
export const mostCopies = (points) => (hardware() ? Infinity : points <= MOST_POINTS ? MANY : FEW);

/** @param {THREE.BufferGeometry} geometry @param {number} copies */
const small = ({ attributes: { position } }, copies) => position.count <= MOST_POINTS && position.count * copies <= MOST_LAID_OUT;

/**
 * Which points the triangles or lines of a shape's copies have, which lie one after the other.
 * @param {{ array: ArrayLike<number> }} index of one of them
 * @param {number} points that one has
 * @param {number} copies
 */
export function repeatedIndex({ array }, points, copies) {
  const [each, all] = [array.length, new Uint32Array(array.length * copies)];
  all.set(array);
  for (let at = each; at < all.length; at++) all[at] = all[at - each] + points;
  return new THREE.BufferAttribute(all, 1);
}

/** @param {THREE.BufferGeometry} geometry @param {number} copies one after the other */
function repeated(geometry, copies) {
  const made = new THREE.BufferGeometry();
  for (const [name, attribute] of Object.entries(geometry.attributes)) {
    const { array, itemSize, normalized } = /** @type {THREE.BufferAttribute} */ (attribute);
    const all = new /** @type {any} */ (array.constructor)(array.length * copies);
    all.set(array);
    fill(all, 0, array.length, copies);
    made.setAttribute(name, new THREE.BufferAttribute(all, itemSize, normalized));
  }
  if (geometry.index) made.setIndex(repeatedIndex(geometry.index, geometry.attributes.position.count, copies));
  return made;
}

/**
 * Write what stands at a place again behind it, so that it stands there so many times.
 * @param {THREE.TypedArray} array
 * @param {number} at
 * @param {number} size numbers of it
 * @param {number} times
 */
function fill(array, at, size, times) {
  for (let done = 1; done < times; done *= 2) array.copyWithin(at + done * size, at, at + Math.min(done, times - done) * size);
}

/**
 * @template {THREE.Material | THREE.Material[]} M
 * @extends {THREE.InstancedMesh<THREE.BufferGeometry, M>}
 */
export class Copies extends THREE.InstancedMesh {
  /**
   * @param {THREE.BufferGeometry} geometry
   * @param {M} material
   * @param {number} most that there is room for
   * @param {boolean} fixed whether its points stay
   */
  constructor(geometry, material, most, fixed = true) {
    const laidOut = fixed && !hardware() && small(geometry, most);
    super(laidOut ? repeated(geometry, most) : geometry, material, laidOut ? 1 : most);
    this.most = this.shown = most;
    this.laidOut = laidOut;
    /** Points that are told what a copy is: each of its own, or the copy alone. */
    this.told = laidOut ? geometry.attributes.position.count : 1;
    this.drawnBy = geometry.index?.count ?? geometry.attributes.position.count;
    this.frustumCulled = false;
    [this.boundingBox, this.boundingSphere] = [new THREE.Box3(), new THREE.Sphere()]; // nobody asks where all of them are
    if (laidOut) {
      this.instanceMatrix = this.perCopy(16);
      this.geometry.boundingSphere = this.boundingSphere;
    }
    this.raycast = () => {}; // thousands are not gone through for what lies under the pointer
  }

  /** An attribute of so many numbers for each copy. @param {number} size @returns {THREE.InstancedBufferAttribute} */
  perCopy(size) {
    const array = new Float32Array(size * this.most * this.told);
    // to whoever draws it is the same but for how often it is read
    return this.laidOut ? /** @type {any} */ (new THREE.BufferAttribute(array, size)) : new THREE.InstancedBufferAttribute(array, size);
  }

  /**
   * Fill in the numbers of a copy, unless they are there.
   * @param {THREE.BufferAttribute | null} attribute
   * @param {number} n which copy
   * @param {number[]} numbers
   */
  tell(attribute, n, numbers) {
    if (!attribute) return;
    const { array, itemSize } = attribute;
    const at = n * this.told * itemSize;
    let same = true;
    for (let k = 0; k < itemSize; k++) {
      if (array[at + k] === Math.fround(numbers[k])) continue;
      array[at + k] = numbers[k];
      same = false;
    }
    if (same) return;
    fill(array, at, itemSize, this.told);
    attribute.needsUpdate = true;
  }

  /** @param {number} n @param {THREE.Matrix4} matrix */
  setMatrixAt(n, matrix) {
    this.tell(this.instanceMatrix, n, matrix.elements);
    return this;
  }

  /** @param {number} n @param {THREE.Matrix4} matrix filled in */
  getMatrixAt(n, matrix) { return matrix.fromArray(this.instanceMatrix.array, 16 * n * this.told); }

  /** @param {number} n @param {THREE.Color} color */
  setColorAt(n, { r, g, b }) {
    this.tell(this.instanceColor ??= this.perCopy(3), n, [r, g, b]);
    return this;
  }

  /** @param {number} n @param {THREE.Color} color filled in */
  getColorAt(n, color) { return this.instanceColor ? color.fromArray(this.instanceColor.array, 3 * n * this.told) : color.setRGB(1, 1, 1); }

  /** Draw the first ones, so many. @param {number} copies */
  show(copies) {
    this.shown = copies;
    if (this.laidOut) this.geometry.setDrawRange(0, copies * this.drawnBy);
    else this.count = copies;
    for (const attribute of [this.instanceMatrix, this.instanceColor]) {
      if (!attribute) continue;
      // what was told before and is not with the driver yet goes too
      const reach = attribute.updateRanges.map(({ start, count }) => start + count);
      attribute.clearUpdateRanges();
      attribute.addUpdateRange(0, Math.max(copies * this.told * attribute.itemSize, ...reach));
    }
  }

  dispose() {
    if (this.laidOut) this.geometry.dispose();
    return super.dispose();
  }
}
