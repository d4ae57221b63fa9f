// The picture of what stays in a scene, kept for a while: what changes is drawn over it. Another choice changes the marks
// alone; a drag changes some objects, and most of a scene stays as it is.

import * as THREE from "three";
import { drawnWith } from "./alike.js";

const OVER = 3; // a layer of what is drawn over what is kept; all cameras see it, and this one nothing else

const MANY = 500; // objects from which it is worth it
const CALM = 600; // milliseconds after which a picture is taken to stay

// what a canvas would show, dot by dot, and how far each dot is
const LAID = {
  vertexShader: "out vec2 at;\nvoid main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
  fragmentShader: "uniform sampler2D colours, depths;\nin vec2 at;\nout vec4 colour;\n"
    + "void main() { colour = texture(colours, at); gl_FragDepth = texture(depths, at).r; }",
};

/** A texture of colours as a canvas holds them, and one of depths. */
function target() {
  const made = new THREE.WebGLRenderTarget(1, 1, { depthTexture: new THREE.DepthTexture(1, 1, THREE.UnsignedIntType), stencilBuffer: false });
  made.texture.colorSpace = THREE.SRGBColorSpace;
  made.texture.internalFormat = "RGBA8";
  made.texture.minFilter = made.texture.magFilter = THREE.NearestFilter;
  return Object.assign(made, { isXRRenderTarget: true }); // so that colours are written as they are for a canvas
}

/** @param {THREE.Object3D} item */
function holdsLight(item) {
  let holds = false;
  item.traverse((each) => { holds ||= each instanceof THREE.Light; });
  return holds;
}

/** Whether it lets through what is behind. The fine lines on a surface are taken for a part of it. @param {any} each */
const seeThrough = ({ material, isLineSegments }) => Boolean(material?.transparent && !(isLineSegments && material.depthWrite));

export class KeptPicture {
  valid = false;
  held = false; // while something is dragged
  /** @type {Set<THREE.Object3D>} what the drag changes */
  changing = new Set();
  /** @type {THREE.Object3D[]} what lets through what is behind, and so comes last */
  last = [];
  target = target();
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  soon = undefined;

  /** @param {THREE.WebGLRenderer} renderer */
  constructor(renderer) {
    this.renderer = renderer;
    const { texture, depthTexture } = this.target;
    this.material = new THREE.ShaderMaterial({
      ...LAID, glslVersion: THREE.GLSL3, depthFunc: THREE.AlwaysDepth, toneMapped: false,
      uniforms: { colours: { value: texture }, depths: { value: depthTexture } },
    });
    this.sheet = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
    this.sheet.frustumCulled = false;
    this.flat = new THREE.Scene().add(this.sheet);
    this.straight = new THREE.Camera();
  }

  /** Something in the scene is another one: what is kept is of no use any more. */
  forget() {
    this.valid = false;
    clearTimeout(this.soon);
  }

  /**
   * The whole picture was drawn: take it once more, without its marks, if it stays for a while.
   * @param {number} objects how many there are in it
   * @param {() => [scene: THREE.Scene, camera: THREE.Camera, marks: THREE.Object3D[]]} seen
   */
  drawn(objects, seen) {
    this.forget();
    if (objects >= MANY) this.soon = setTimeout(() => this.take(...seen()), CALM);
  }

  /** A drag begins, or ends. @param {boolean} on */
  hold(on) {
    this.forget();
    this.held = on;
    for (const item of this.changing) item.traverse((each) => each.layers.disable(OVER));
    this.changing.clear();
  }

  /**
   * Something is to be seen otherwise; whether all the rest stays as it was. A light falls on everything.
   * @param {THREE.Object3D} item
   */
  changes(item) {
    if (!this.held) return false;
    if (this.changing.has(item)) return true;
    if (holdsLight(item)) return false;
    this.changing.add(item);
    item.traverse((each) => { for (const one of drawnWith(each)) this.changing.add(one); });
    this.forget();
    return true;
  }

  /** @param {THREE.Scene} scene @param {THREE.Camera} camera @param {THREE.Object3D[]} marks */
  take(scene, camera, marks) {
    const { renderer } = this;
    const size = renderer.getDrawingBufferSize(new THREE.Vector2());
    this.target.setSize(size.x, size.y);
    this.last = [];
    scene.traverse((each) => {
      if (each instanceof THREE.Light) each.layers.enable(OVER);
      else if (seeThrough(each)) this.last.push(each);
    });
    const shown = [...marks, ...this.changing, ...this.last].filter(({ visible }) => visible);
    for (const item of shown) item.visible = false;
    renderer.setRenderTarget(this.target);
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    for (const item of shown) item.visible = true;
    this.valid = true;
  }

  /** Lay it down, and all else over it. @param {THREE.Scene} scene @param {THREE.Camera} camera @param {THREE.Object3D[]} marks */
  paint(scene, camera, marks) {
    const { renderer } = this;
    const { autoClear } = renderer;
    const mask = camera.layers.mask;
    for (const item of [...marks, ...this.changing, ...this.last]) item.traverse((each) => { if (each.layers.isEnabled(0)) each.layers.enable(OVER); });
    for (const mark of marks) mark.updateWorldMatrix(false, true);
    renderer.autoClear = false;
    scene.matrixWorldAutoUpdate = this.changing.size > 0;
    renderer.render(this.flat, this.straight);
    camera.layers.set(OVER);
    renderer.render(scene, camera);
    camera.layers.mask = mask;
    scene.matrixWorldAutoUpdate = true;
    renderer.autoClear = autoClear;
  }

  dispose() {
    this.forget();
    this.target.dispose();
    this.target.depthTexture?.dispose();
    this.sheet.geometry.dispose();
    this.material.dispose();
  }
}
