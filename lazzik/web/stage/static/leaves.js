// How objects that are one surface and hold no others are read from a file. The library copies the surface of what it
// read first and waits for half a dozen promises for each: two thousand boxes took a quarter longer so.

import * as THREE from "three";

/** @import { GLTFLoaderPlugin, GLTFParser } from "three/addons/loaders/GLTFLoader.js" */

/** What only the library reads: a node with any of these. */
const MORE = ["children", "camera", "skin", "weights", "matrix", "extensions"];

/** @implements {GLTFLoaderPlugin} */
export class Leaves {
  name = "leaves";

  /** @param {GLTFParser} parser */
  constructor(parser) {
    this.parser = parser;
  }

  /** @param {number} index of a node; null leaves it to the library */
  loadNode(index) {
    const { nodes, meshes } = this.parser.json;
    const node = nodes[index];
    if (node.mesh === undefined || meshes[node.mesh].primitives.length > 1 || MORE.some((name) => name in node)) return null;
    return this.parser.getDependency("mesh", node.mesh).then(({ geometry, material }) => {
      const mesh = new THREE.Mesh(geometry, material);
      if (node.name) mesh.name = node.name;
      if (node.translation) mesh.position.fromArray(node.translation);
      if (node.rotation) mesh.quaternion.fromArray(node.rotation);
      if (node.scale) mesh.scale.fromArray(node.scale);
      Object.assign(mesh.userData, node.extras);
      return mesh;
    });
  }
}
