// Cloth as its run has it: its points and normals are laid on the mesh of its object.

/** @import { Drawing, Moment } from "./runs.js" */

export class Hung {
  /** @type {Moment | null} */
  shown = null;

  /** @param {Drawing} stage @param {string} id of the object */
  constructor(stage, id) {
    this.stage = stage;
    this.id = id;
  }

  // the stage has other geometry by now
  attach() { if (this.shown) this.draw(this.shown); }

  /** What it is drawn by: the stage is told when its object has other points.
   * @returns {import("three").Object3D[]}
   */
  get items() { return []; }

  /** @param {Moment} moment */
  draw(moment) {
    const { places: points, normals } = moment;
    if (!normals) return;
    this.shown = moment;
    this.stage.setShape(this.id, { points, normals });
  }

  // as it is without its run
  hide() {
    if (!this.shown) return;
    this.shown = null;
    this.stage.restShape(this.id);
  }

  dispose() { this.hide(); }
}
