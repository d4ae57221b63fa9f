// The picture of a scene without the marks on it, kept while nothing in it changes: another choice is then drawn over it.

import * as THREE from "three";

const MARKS = 3; // a layer of what is drawn over the scene; all cameras see it, and this one nothing else

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

export class KeptPicture {
  valid = false;
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

  /** @param {THREE.Scene} scene @param {THREE.Camera} camera @param {THREE.Object3D[]} marks */
  take(scene, camera, marks) {
    const { renderer } = this;
    const size = renderer.getDrawingBufferSize(new THREE.Vector2());
    this.target.setSize(size.x, size.y);
    const shown = marks.filter(({ visible }) => visible);
    for (const mark of shown) mark.visible = false;
    renderer.setRenderTarget(this.target);
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    for (const mark of shown) mark.visible = true;
    this.valid = true;
  }

  /** Lay it down, and marks over it. @param {THREE.Scene} scene @param {THREE.Camera} camera @param {THREE.Object3D[]} marks */
  paint(scene, camera, marks) {
    const { renderer } = this;
    const { autoClear } = renderer;
    const mask = camera.layers.mask;
    for (const mark of marks) {
      mark.traverse((each) => each.layers.enable(MARKS));
      mark.updateWorldMatrix(false, true);
    }
    renderer.autoClear = scene.matrixWorldAutoUpdate = false;
    renderer.render(this.flat, this.straight);
    camera.layers.set(MARKS);
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
