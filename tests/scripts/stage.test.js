import assert from "node:assert/strict";
import { test } from "node:test";
import * as THREE from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { disposeOwn } from "lazzik/stage/dispose.js";
import { creases } from "lazzik/stage/edges.js";
import { Leaves } from "lazzik/stage/leaves.js";
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

/** As a GLB. @param {object} file @param {Float32Array} points */
function binary(file, points) {
  const text = JSON.stringify(file);
  const padded = text.padEnd(4 * Math.ceil(text.length / 4));
  const head = (/** @type {number[]} */ ...words) => Buffer.from(new Uint32Array(words).buffer);
  const parts = [head(padded.length, 0x4e4f534a), Buffer.from(padded), head(points.byteLength, 0x004e4942), Buffer.from(points.buffer)];
  const size = parts.reduce((sum, { length }) => sum + length, 12);
  return new Uint8Array(Buffer.concat([head(0x46546c67, 2, size), ...parts])).buffer;
}

/** A file of five boxes, one within a group, read with and without what reads leaves. @param {boolean} ours */
async function read(ours) {
  const points = new Float32Array(new THREE.BoxGeometry().toNonIndexed().attributes.position.array);
  const box = { mesh: 0, translation: [1, 2, 3], rotation: [0, 1, 0, 0], scale: [2, 2, 2] };
  const file = {
    asset: { version: "2.0" }, scene: 0, scenes: [{ nodes: [0, 1, 3, 4] }],
    buffers: [{ byteLength: points.byteLength }],
    bufferViews: [{ buffer: 0, byteLength: points.byteLength }],
    accessors: [{ bufferView: 0, componentType: 5126, count: points.length / 3, type: "VEC3", min: [-1, -1, -1], max: [1, 1, 1] }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, material: 0 }] }],
    materials: [{ pbrMetallicRoughness: { baseColorFactor: [0.5, 0.25, 1, 1] } }],
    cameras: [{ type: "perspective", perspective: { yfov: 1, znear: 0.1 } }],
    nodes: [
      { ...box, name: "One", extras: { id: "one" } },
      { ...box, name: "Holds", extras: { id: "holds" }, children: [2] },
      { mesh: 0, name: "Within", extras: { id: "within", unseen: true } },
      { ...box, camera: 0, name: "Looks", extras: { id: "looks" } },
      { ...box, name: "Last", extras: { id: "last" } },
    ],
  };
  const loader = new GLTFLoader();
  if (ours) loader.register((parser) => new Leaves(parser));
  const { scene } = await loader.parseAsync(binary(file, points), "");
  scene.updateMatrixWorld();
  /** @type {any[]} */
  const found = [];
  scene.traverse((/** @type {any} */ item) => {
    const { id, unseen } = item.userData;
    if (id) found.push([id, unseen, item.parent?.userData.id, item.matrixWorld.toArray(), item.isMesh, item.geometry?.id, item.material?.color.toArray()]);
  });
  const geometries = new Set(found.map((each) => each[5]).filter((each) => each !== undefined));
  return { shared: geometries.size, found: found.map((each) => each.toSpliced(5, 1)) };
}

test("leaves of a file are read as the library reads them, and share what they are made of", async () => {
  const [theirs, ours] = [await read(false), await read(true)];
  assert.deepEqual(ours, theirs);
  assert.equal(ours.shared, 1);
  assert.equal(ours.found.length, 5);
});
