// The crisp edges of a surface as pairs of its own points, so that they move with it.

import * as THREE from "three";

const CLOSE = 1e5; // points nearer than a hundred-thousandth of a metre count as one

/**
 * For each point the number of its place.
 * @param {THREE.BufferAttribute | THREE.InterleavedBufferAttribute} position
 */
function placesOf(position) {
  const places = new Map();
  const place = new Uint32Array(position.count);
  for (let i = 0; i < position.count; i++) {
    const key = `${Math.round(position.getX(i) * CLOSE)},${Math.round(position.getY(i) * CLOSE)},${Math.round(position.getZ(i) * CLOSE)}`;
    place[i] = places.get(key) ?? places.size;
    places.set(key, place[i]);
  }
  return place;
}

/**
 * Pairs of points: edges of one face alone, and those between faces that turn by more than an angle.
 * @param {THREE.BufferGeometry} geometry with an index
 * @param {number} degrees
 */
export function creases({ attributes: { position }, index }, degrees) {
  const faces = index?.array ?? [];
  const place = placesOf(position);
  const [a, b, c, n] = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
  /** @type {Map<number, { i: number, j: number, normal: THREE.Vector3 } | null>} edges of one face so far; null of two */
  const open = new Map();
  const pairs = [];
  const flat = Math.cos((degrees * Math.PI) / 180);
  for (let f = 0; f < faces.length; f += 3) {
    const corners = [faces[f], faces[f + 1], faces[f + 2]];
    a.fromBufferAttribute(position, corners[0]);
    b.fromBufferAttribute(position, corners[1]);
    c.fromBufferAttribute(position, corners[2]);
    n.copy(b).sub(a).cross(c.sub(a)).normalize();
    for (let k = 0; k < 3; k++) {
      const [i, j] = [corners[k], corners[(k + 1) % 3]];
      const key = Math.min(place[i], place[j]) * position.count + Math.max(place[i], place[j]);
      const other = open.get(key);
      if (other === undefined) open.set(key, { i, j, normal: n.clone() });
      else if (other) {
        if (other.normal.dot(n) < flat) pairs.push(i, j);
        open.set(key, null);
      }
    }
  }
  for (const edge of open.values()) if (edge) pairs.push(edge.i, edge.j);
  return pairs;
}

/** @type {WeakMap<THREE.BufferGeometry, THREE.BufferAttribute>} many objects may have one geometry: it is looked through once */
const known = new WeakMap();

/** The creases of a geometry as the index of lines. @param {THREE.BufferGeometry} geometry @param {number} degrees */
function indexOf(geometry, degrees) {
  const index = known.get(geometry) ?? new THREE.Uint32BufferAttribute(creases(geometry, degrees), 1);
  known.set(geometry, index);
  return index;
}

/**
 * The edges drawn as lines, which share the surface's points.
 * @param {THREE.BufferGeometry} geometry
 * @param {number} degrees
 * @param {THREE.Color} color
 */
export function creaseLines(geometry, degrees, color) {
  const lines = new THREE.BufferGeometry();
  lines.setAttribute("position", geometry.attributes.position);
  lines.setIndex(indexOf(geometry, degrees));
  const drawn = new THREE.LineSegments(lines, new THREE.LineBasicMaterial({ color, transparent: true, opacity: 0.55 }));
  drawn.raycast = () => {};
  drawn.frustumCulled = false;
  return drawn;
}
