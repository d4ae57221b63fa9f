// Answers what the scripts' geometry makes of cases that are given as JSON; the test beside it compares that with the core.

import { readFileSync } from "node:fs";
import * as THREE from "three";
import { placed, turnAxes } from "lazzik/stage/geometry.js";

/** @typedef {import("lazzik/lib/types.d.ts").PlacedHandles} Placed */

/** @type {{ placements: Placed[], turns: { order: import("lazzik/lib/types.d.ts").Facts["order"], above: number[], own: number[] }[] }} */
const cases = JSON.parse(readFileSync(0, "utf8"));
const matrix = (/** @type {number[]} */ rows) => new THREE.Matrix4().fromArray(rows).transpose();

process.stdout.write(JSON.stringify({
  placements: cases.placements.map(({ place, turn, axis }) => placed(place, turn, axis).transpose().toArray()),
  turns: cases.turns.map(({ order, above, own }) => turnAxes(order, matrix(above), matrix(own)).map((axis) => axis && axis.toArray())),
}));
