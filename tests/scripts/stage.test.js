import assert from "node:assert/strict";
import { test } from "node:test";
import * as THREE from "three";
import { disposeOwn } from "lazzik/stage/dispose.js";
import { creases } from "lazzik/stage/edges.js";
import { Model } from "lazzik/stage/model.js";
import { partsOf } from "lazzik/stage/surfaces.js";

/** @param {THREE.BufferGeometry} geometry @param {number} degrees */
const count = (geometry, degrees) => creases(geometry, degrees).length / 2;

test("a box has twelve crisp edges, the diagonals of its sides are none", () => {
  assert.equal(count(new THREE.BoxGeometry(1, 2, 3), 28), 12);
});

test("the rim of an open sheet is inked, its inner lines are not", () => {
  assert.equal(count(new THREE.PlaneGeometry(1, 1, 3, 2), 28), 2 * (3 + 2));
});

test("faces that turn by less than the angle have no edge", () => {
  const geometry = new THREE.CylinderGeometry(1, 1, 1, 36, 1, true); // 10 degrees from side to side
  assert.equal(count(geometry, 28), 72);
  assert.equal(count(geometry, 5), 72 + 36);
});

test("points that are sent together are parted by frame, from any place in a message", () => {
  const points = new Float32Array(2 * 3 * 3).map((_, i) => i);
  const message = new Uint8Array(1 + points.byteLength);
  message.set(new Uint8Array(points.buffer), 1);
  const sent = { node: "sock", from: 5, frames: 2, still: false, count: 3, points: message.subarray(1), normals: new Uint8Array(18).fill(255) };
  const [first, second] = partsOf(sent);
  assert.deepEqual([...first.points], [...points.subarray(0, 9)]);
  assert.deepEqual([...second.points], [...points.subarray(9)]);
  assert.deepEqual(new Set(second.normals), new Set([-1]));
});

test("a geometry that is let go of keeps what it shares", () => {
  const whole = new THREE.BoxGeometry();
  const own = new THREE.BufferGeometry();
  own.setAttribute("position", whole.attributes.position);
  own.setIndex(whole.index);
  let told = false;
  own.addEventListener("dispose", () => { told = true; });
  disposeOwn(own, ["position", "index"]);
  assert.ok(told && own.index === null && whole.index !== null);
  assert.equal(own.attributes.position, undefined);
  assert.equal(whole.attributes.position.count, 24);
});

test("two models that share a track both stand where it has them", () => {
  const bytes = (/** @type {number[]} */ ...values) => new Uint8Array(new Float32Array(values).buffer);
  const track = { position: bytes(0, 0, 0, 1, 0, 0, 2, 0, 0), orientation: bytes(0, 0, 0, 1), scale: bytes(1, 1, 1), numbers: {} };
  const models = [new Model(), new Model()];
  for (const model of models) {
    model.nodes.set("vane", { item: new THREE.Object3D(), mesh: null, lines: null, rest: null, lens: null, light: null, points: null, place: -1 });
  }
  models[0].setMotion({ vane: track }, 0);
  const shared = models[0].tracks.get("vane");
  assert.ok(shared);
  models[1].tracks.set("vane", shared);
  const stands = () => models.map(({ nodes }) => nodes.get("vane")?.item.position.x);
  for (const frame of [2, 1]) {
    assert.deepEqual(models.map((model) => model.show(frame)), [true, true]);
    assert.deepEqual(stands(), [frame, frame]);
    assert.deepEqual(models.map((model) => model.show(frame)), [false, false]);
  }
});
