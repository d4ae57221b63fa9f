// Two states on one stage, in step: parted by a handle, one drawn faintly over the other, or side by side.

import * as THREE from "three";
import { packed, text } from "lazzik/lib/api.js";
import { store } from "lazzik/lib/store.js";
import { Crowds } from "lazzik/stage/crowds.js";
import { mostCopies } from "lazzik/stage/copies.js";
import { ink } from "lazzik/stage/ink.js";
import { Model, UNSEEN } from "lazzik/stage/model.js";
import { pictureOf } from "lazzik/stage/picture.js";
import { Runs } from "lazzik/stage/runs.js";
import { Surfaces } from "lazzik/stage/surfaces.js";

/** @import { RunFacts, ScatterFacts } from "lazzik/lib/types.d.ts" */
/** @import { Drawing } from "lazzik/stage/crowds.js" */
/** @import { Points, Surface } from "lazzik/stage/model.js" */
/** @import { Stage } from "lazzik/stage/stage.js" */

/** @typedef {"wipe" | "ghost" | "sides" | "second"} Look the last is the second state alone */

const FAINT = 0.42;

export class Comparison {
  before = new Model();
  /** @type {Set<string>} objects that move or look otherwise */
  differs = new Set();
  /** @type {Look} */
  look = "wipe";
  share = 0.5; // of the width that shows the first state
  /** @type {Surfaces[]} */
  surfaces = [];
  /** @type {Crowds[]} the copies of the second state, and of the first */
  crowds = [];
  /** @type {Runs[]} the same of what is carried */
  runs = [];
  carried = [new THREE.Group(), new THREE.Group()]; // what they are put into
  sameRuns = true;
  /** @type {Set<string>} scatters that are the same in both */
  sameCopies = new Set();
  /** @type {Map<Surface, THREE.MeshLambertMaterial>} what a faint surface looks like otherwise */
  solid = new Map();
  ghost = new THREE.MeshLambertMaterial({ transparent: true, opacity: FAINT, depthWrite: false });

  /** @param {Stage} stage that shows the second state */
  constructor(stage) {
    this.stage = stage;
    stage.paint = () => this.paint();
    stage.model.together = false; // what differs is seen otherwise than what is the same
    stage.scene.add(...this.carried);
    store.subscribe("frame", () => this.show());
  }

  /**
   * Fetch both. Of what is the same in both the first state has nothing of its own: it moves with the second.
   * @param {string} a
   * @param {string} b
   * @param {string} on the revision that is now
   */
  async load(a, b, on) {
    const { stage, before } = this;
    const [second, first] = [{ of: b, on }, { of: a, beside: b, on }];
    const [after, then] = await Promise.all([second, first].map((asked) => packed(`${store.url}/motion?${new URLSearchParams(asked)}`)));
    stage.setMotion(after.motion, after.from);
    before.setMotion(then.motion, after.from);
    this.differs = new Set(Object.keys(then.motion));
    for (const [id, track] of stage.tracks) if (!before.tracks.has(id)) before.tracks.set(id, track);
    await Promise.all([
      stage.load(`${store.url}/rest.glb?${new URLSearchParams(second)}`),
      before.load(`${store.url}/rest.glb?${new URLSearchParams({ of: a, on })}`),
    ]);
    if (before.root) stage.scene.add(before.root);
    for (const id of stage.nodes.keys()) if (!before.nodes.has(id)) this.differs.add(id);
    this.followSurfaces(after.shaped, then.shaped, second, first);
    const crowdsOn = (/** @type {Drawing} */ drawing, /** @type {Record<string, string>} */ state) =>
      new Crowds(drawing, store.url, { state, most: mostCopies });
    this.crowds = [crowdsOn(stage, second), crowdsOn(this.first(), first)];
    const [copies, former] = await Promise.all([this.follow(this.crowds[0], { of: b, on }), this.follow(this.crowds[1], { of: a, on })]);
    this.sameCopies = new Set(former.filter((row) => copies.includes(row)).map((row) => row.split(" ")[0]));
    await this.carry({ of: b, on }, { of: a, on }, second, first);
    this.seeAs(this.look);
    this.show();
  }

  /**
   * Draw what is carried in both states; what is not there yet is worked out.
   * @param {Record<string, string>} ofSecond
   * @param {Record<string, string>} ofFirst
   * @param {Record<string, string>} second
   * @param {Record<string, string>} first
   */
  async carry(ofSecond, ofFirst, second, first) {
    const told = await Promise.all([ofSecond, ofFirst].map(async (asked) => JSON.parse(await text(`${store.url}/carried?${new URLSearchParams(asked)}`))));
    const [after, then] = told.map(({ carried }) => new Map(carried.map((/** @type {RunFacts} */ fact) => [fact.node, JSON.stringify(fact)])));
    const other = [...new Set([...after.keys(), ...then.keys()])].filter((node) => after.get(node) !== then.get(node));
    this.sameRuns = !other.length;
    for (const node of other) if (this.stage.nodes.get(node)?.mesh) this.differs.add(node); // cloth: its mesh hangs otherwise
    this.runs = [new Runs(this.second(), store.url, { state: second }), new Runs(this.first(), store.url, { state: first })];
    await Promise.all(this.runs.map((runs, n) => runs.know(told[n].carried, told[n].revision)));
  }

  /**
   * @param {string[]} shaped objects of the second state that change their shape
   * @param {string[]} before and of the first
   * @param {Record<string, string>} second
   * @param {Record<string, string>} first
   */
  followSurfaces(shaped, before, second, first) {
    this.surfaces = [new Surfaces(this.second(), second), new Surfaces(this.first(), first)];
    this.surfaces[0].know(shaped, []);
    this.surfaces[1].know(before.filter((id) => this.differs.has(id)), []);
  }

  /** What the surfaces, copies and particles of the first state are drawn on. */
  first() {
    const { before, stage, carried } = this;
    return {
      get nodes() { return before.nodes; }, get frame() { return before.frame; }, invalidate: () => stage.invalidate(),
      scene: carried[1], canvas: stage.canvas,
      setShape: (/** @type {string} */ id, /** @type {Points} */ points) => { before.setShape(id, points); stage.invalidate(); },
      restShape: (/** @type {string} */ id) => before.restShape(id),
    };
  }

  /** And those of the second one. */
  second() {
    const { before, stage, carried, differs } = this;
    return {
      get nodes() { return stage.nodes; }, get frame() { return stage.frame; }, invalidate: () => stage.invalidate(),
      scene: carried[0], canvas: stage.canvas,
      // what is the same in both is bent in both
      setShape: (/** @type {string} */ id, /** @type {Points} */ points) => {
        stage.setShape(id, points);
        if (!differs.has(id)) before.setShape(id, points);
      },
      restShape: (/** @type {string} */ id) => stage.restShape(id),
    };
  }

  /**
   * Draw the copies of a state; what tells each scatter from another one.
   * @param {Crowds} crowds
   * @param {Record<string, string>} asked
   * @returns {Promise<string[]>}
   */
  async follow(crowds, asked) {
    const { scatters, revision } = JSON.parse(await text(`${store.url}/scatters?${new URLSearchParams(asked)}`));
    await crowds.know(scatters, revision, store.facts.last);
    return scatters.map((/** @type {ScatterFacts} */ { node, laid, leans }) => `${node} ${laid} ${leans}`);
  }

  show() {
    this.stage.show(store.frame);
    this.before.show(store.frame);
    for (const each of [...this.surfaces, ...this.crowds, ...this.runs]) each.show(store.frame);
  }

  /** @param {Look} look */
  seeAs(look) {
    this.look = look;
    const faint = look === "ghost";
    this.ghost.color = ink("--pine");
    for (const [id, { item: { userData }, mesh, lines }] of this.before.nodes) {
      const seen = !userData.unseen && (!faint || this.differs.has(id));
      for (const item of [mesh, lines]) item?.layers.set(seen ? 0 : UNSEEN);
      if (!mesh) continue;
      if (faint && !this.solid.has(mesh)) {
        this.solid.set(mesh, mesh.material);
        mesh.material = this.ghost;
      } else if (!faint && this.solid.has(mesh)) {
        mesh.material = /** @type {THREE.MeshLambertMaterial} */ (this.solid.get(mesh));
        this.solid.delete(mesh);
      }
    }
    for (const { scatter, mesh, source } of this.crowds[1]?.meshes() ?? []) {
      mesh.layers.set(faint && this.sameCopies.has(scatter) ? UNSEEN : 0);
      mesh.material = faint ? this.ghost : this.solid.get(source) ?? source.material;
    }
    this.stage.invalidate();
  }

  dress() {
    for (const lines of this.before.edges) lines.material.color = ink("--ink");
    this.seeAs(this.look);
  }

  /** How much of the width shows the first state. @param {number} share */
  part(share) {
    this.share = Math.min(Math.max(share, 0), 1);
    this.stage.invalidate();
  }

  paint() {
    const { renderer, scene, eye } = this.stage;
    const { x: width, y: height } = renderer.getSize(new THREE.Vector2());
    if (this.look === "second" || this.look === "ghost" || !this.before.root) {
      this.only(this.look === "ghost", true);
      renderer.render(scene, eye);
    } else {
      const edge = Math.round(width * (this.look === "wipe" ? this.share : 0.5));
      renderer.setScissorTest(true);
      this.stripe(true, 0, edge);
      this.stripe(false, edge, width - edge);
      renderer.setScissorTest(false);
      renderer.setViewport(0, 0, width, height);
    }
    this.only(true, true);
  }

  /**
   * One state in a stripe of the picture: the stripe's own part of the view, or all of it beside the other. The camera sees
   * no more than the stripe, so that nothing is drawn that lies outside of it.
   * @param {boolean} first
   * @param {number} x
   * @param {number} wide
   */
  stripe(first, x, wide) {
    if (!wide) return;
    const { renderer, scene, eye } = this.stage;
    const { x: width, y: height } = renderer.getSize(new THREE.Vector2());
    const { aspect } = eye;
    this.only(first, !first);
    if (this.look === "wipe") eye.setViewOffset(width, height, x, 0, wide, height);
    else eye.aspect = wide / height;
    eye.updateProjectionMatrix();
    renderer.setViewport(x, 0, wide, height);
    renderer.setScissor(x, 0, wide, height);
    renderer.render(scene, eye);
    eye.clearViewOffset();
    eye.aspect = aspect;
    eye.updateProjectionMatrix();
  }

  /** Which of the two are drawn. @param {boolean} first @param {boolean} second */
  only(first, second) {
    if (this.before.root) this.before.root.visible = first;
    if (this.stage.root) this.stage.root.visible = second;
    this.carried[0].visible = second;
    this.carried[1].visible = first && !(second && this.sameRuns); // over each other the same ones are drawn once
  }

  /** The second state alone, as a picture. @param {readonly [width: number, height: number]} size */
  async picture(size) {
    const was = this.look;
    this.seeAs("second");
    try {
      return await pictureOf(this.stage, size);
    } finally {
      this.seeAs(was);
    }
  }

  dispose() {
    this.seeAs("second");
    for (const each of [...this.crowds, ...this.runs]) each.dispose();
    for (const each of this.carried) each.removeFromParent();
    this.before.unload();
    this.ghost.dispose();
  }
}
