// Particles drawn as copies of an object and all below it, each turned as the air carries it.

import * as THREE from "three";
import { Copies } from "./copies.js";

/** @import { Drawing, Moment } from "./runs.js" */

const MOST = 1024; // instances that there is room for at first; it doubles where there are more

export class Flown {
  /** @type {{ mesh: Copies<any>, source: THREE.Mesh }[]} */
  parts = [];
  /** @type {Moment | null} */
  shown = null;

  /** @param {Drawing} stage @param {string} source the object @param {number} across metres that it spans */
  constructor(stage, source, across) {
    this.stage = stage;
    this.source = source;
    this.across = across;
    this.attach();
  }

  // geometry and material are those of the object: what is drawn is made anew whenever they are
  attach(room = MOST) {
    this.release();
    const item = this.stage.nodes.get(this.source)?.item;
    item?.traverse((each) => {
      const source = [...this.stage.nodes.values()].find(({ mesh }) => mesh === each)?.mesh;
      if (!source) return;
      const mesh = new Copies(source.geometry, source.material, room);
      mesh.show(0);
      mesh.castShadow = true;
      this.stage.scene.add(mesh);
      this.parts.push({ mesh, source });
    });
    this.room = room;
    if (this.shown) this.draw(this.shown);
  }

  /** What it is drawn by. */
  get items() { return this.parts.map(({ mesh }) => mesh); }

  /** @param {Moment} moment */
  draw(moment) {
    this.shown = moment;
    const { places, sizes, colors, turns } = moment;
    const count = sizes.length;
    if (count > (this.room ?? 0)) return this.attach(2 ** Math.ceil(Math.log2(count)));
    const item = this.stage.nodes.get(this.source)?.item;
    if (!item) return;
    item.updateWorldMatrix(true, true);
    // as it stands, but for where that is
    const still = new THREE.Matrix4().extractRotation(item.matrix).scale(item.scale);
    const back = item.matrixWorld.clone().invert();
    const [place, turn, size, copy, posed, tint] = [
      new THREE.Vector3(), new THREE.Quaternion(), new THREE.Vector3(), new THREE.Matrix4(), new THREE.Matrix4(), new THREE.Color(),
    ];
    const drawn = this.parts.map(({ mesh, source }) => ({
      mesh, part: new THREE.Matrix4().multiplyMatrices(still, back).multiply(source.matrixWorld),
    }));
    for (let n = 0; n < count; n++) {
      if (turns) turn.fromArray(turns, 4 * n);
      copy.compose(place.fromArray(places, 3 * n), turn, size.setScalar(sizes[n] / this.across));
      tint.setRGB(colors[4 * n] / 255, colors[4 * n + 1] / 255, colors[4 * n + 2] / 255, THREE.SRGBColorSpace);
      for (const { mesh, part } of drawn) {
        mesh.setMatrixAt(n, posed.multiplyMatrices(copy, part));
        mesh.setColorAt(n, tint);
      }
    }
    for (const { mesh } of drawn) {
      mesh.show(count);
      mesh.visible = true;
    }
  }

  hide() { for (const { mesh } of this.parts) mesh.visible = false; }

  release() {
    for (const { mesh } of this.parts) {
      mesh.removeFromParent();
      mesh.dispose();
    }
    this.parts = [];
  }

  dispose() { this.release(); }
}
