// One shape many times: laid out where a driver draws in software, told once a copy where hardware does.

import assert from "node:assert/strict";
import { test } from "node:test";
import * as THREE from "three";

const renderers = { renderer: "SwiftShader" };
Object.assign(globalThis, { sessionStorage: { getItem: () => renderers.renderer, setItem() {} } });
const { Copies, mostCopies } = await import("lazzik/stage/copies.js");

const box = () => new THREE.BoxGeometry();
const at = (/** @type {number} */ x) => new THREE.Matrix4().makeTranslation(x, 0, 0);

/** What the driver is to be sent of an attribute, first and last number. @param {THREE.BufferAttribute} attribute */
const sent = ({ updateRanges }) => updateRanges.map(({ start, count }) => [start, start + count]);

test("small shapes lie one after the other, each point told where its copy is", () => {
  const shape = box();
  const copies = new Copies(shape, new THREE.MeshBasicMaterial(), 5);
  const { position } = copies.geometry.attributes;
  assert.equal(copies.laidOut, true);
  assert.equal(position.count, 5 * 24);
  assert.deepEqual([...position.array.slice(4 * 72)], [...shape.attributes.position.array]);
  const index = [...(copies.geometry.index?.array ?? [])];
  assert.deepEqual(index.slice(4 * 36), [...(shape.index?.array ?? [])].map((/** @type {number} */ place) => place + 4 * 24));
  copies.setMatrixAt(3, at(7));
  const told = Array.from({ length: 24 }, (_, point) => copies.instanceMatrix.array[16 * (3 * 24 + point) + 12]);
  assert.deepEqual(new Set(told), new Set([7]));
  assert.equal(copies.getMatrixAt(3, new THREE.Matrix4()).elements[12], 7);
  copies.setColorAt(2, new THREE.Color(0.25, 0.5, 1));
  assert.deepEqual(copies.getColorAt(2, new THREE.Color()).toArray(), [0.25, 0.5, 1]);
  copies.show(2);
  assert.equal(copies.geometry.drawRange.count, 2 * 36);
});

test("a copy that is where it was is not told again", () => {
  const copies = new Copies(box(), new THREE.MeshBasicMaterial(), 3);
  copies.setMatrixAt(1, at(0.1));
  const { version } = copies.instanceMatrix;
  copies.setMatrixAt(1, at(0.1));
  assert.equal(copies.instanceMatrix.version, version);
  copies.setMatrixAt(1, at(0.2));
  assert.equal(copies.instanceMatrix.version, version + 1);
});

test("what was told of more copies is sent although fewer are shown by then", () => {
  const copies = new Copies(box(), new THREE.MeshBasicMaterial(), 10);
  copies.show(8);
  copies.show(2);
  assert.deepEqual(sent(copies.instanceMatrix), [[0, 8 * 24 * 16]]);
  copies.instanceMatrix.clearUpdateRanges(); // as the library does once they are sent
  copies.show(2);
  assert.deepEqual(sent(copies.instanceMatrix), [[0, 2 * 24 * 16]]);
});

test("large shapes, and those that change, are told once a copy and stay as they are", () => {
  for (const [shape, fixed] of /** @type {[THREE.BufferGeometry, boolean][]} */ ([[new THREE.SphereGeometry(1, 20, 20), true], [box(), false]])) {
    const copies = new Copies(shape, new THREE.MeshBasicMaterial(), 4, fixed);
    assert.deepEqual([copies.laidOut, copies.geometry === shape, copies.told], [false, true, 1]);
    assert.equal(shape.boundingSphere, null); // rays and cameras ask for that of the shape itself
    copies.setMatrixAt(2, at(3));
    assert.equal(copies.getMatrixAt(2, new THREE.Matrix4()).elements[12], 3);
    copies.show(3);
    assert.equal(copies.count, 3);
  }
  assert.ok(mostCopies(24) > mostCopies(500));
});
