// The stage: draws the geometry from rest.glb under the transforms that the server computed. It computes no motion.

import * as THREE from "three";
import { OrbitControls } from "/static/vendor/three/OrbitControls.js";
import { GLTFLoader } from "/static/vendor/three/GLTFLoader.js";
import { floats } from "lazzik/lib/api.js";
import { backdrop, lights } from "./backdrop.js";
import { dispose, disposeOwn } from "./dispose.js";
import { creaseLines } from "./edges.js";

const COARSE = 1.5; // times fewer pixels each way while something is dragged
const CREASE = 28; // degrees between two faces from which their edge is inked
const inks = new Map(); // asking for a style lays the page out again, so each is asked for once a theme
function ink(name) {
  if (!inks.has(name)) inks.set(name, new THREE.Color(getComputedStyle(document.documentElement).getPropertyValue(name).trim()));
  return inks.get(name);
}

// Without graphics hardware smooth edges double the time of a picture; they can be asked for all the same.
export function smoothEdges() {
  const wanted = localStorage.getItem("lazzik-smooth");
  return wanted ? wanted === "yes" : hardware();
}

let known = null;
const hardware = () => (known ??= drawnByHardware());

function drawnByHardware() {
  const context = document.createElement("canvas").getContext("webgl2");
  const names = context?.getExtension("WEBGL_debug_renderer_info");
  const name = names ? context.getParameter(names.UNMASKED_RENDERER_WEBGL) : "";
  context?.getExtension("WEBGL_lose_context")?.loseContext();
  return !/swiftshader|llvmpipe|software|basic render/i.test(name);
}

export class Stage {
  // `size` fixes the picture's width and height in pixels; without it, it fills what is around it
  constructor(canvas, size = null) {
    this.canvas = canvas;
    this.size = size;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: smoothEdges() });
    this.ratio = size ? 1 : Math.min(devicePixelRatio, 2);
    this.renderer.setPixelRatio(this.ratio);
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(36, 1, 0.05, 900);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.maxDistance = 60;
    this.controls.minDistance = 0.5;
    this.controls.addEventListener("change", () => this.invalidate());
    this.controls.addEventListener("end", () => sessionStorage.setItem("lazzik-view", JSON.stringify([this.camera.position.toArray(), this.controls.target.toArray()])));
    this.nodes = new Map();
    this.tracks = new Map();
    this.frame = 0;
    this.through = false;
    this.showsPath = true;
    this.wires = false;
    this.home = null;
    this.drawn = []; // called after each picture
    this.frames = 0; // pictures drawn so far, for measuring
    this.dress();
    this.observer = new ResizeObserver(() => this.resize());
    if (!size) this.observer.observe(canvas.parentElement);
    this.resize();
  }

  // without graphics hardware a picture takes half as long with this many fewer pixels, so that a drag stays at hand
  dragging(on) {
    if (hardware()) return;
    this.renderer.setPixelRatio(on ? this.ratio / COARSE : this.ratio);
    this.draw();
  }

  dress() {
    inks.clear();
    this.undress();
    this.around = [backdrop(), ...lights()];
    this.scene.add(...this.around);
    for (const edges of this.edges ?? []) edges.material.color = ink("--ink");
    this.invalidate();
  }

  undress() {
    for (const item of this.around ?? []) {
      item.removeFromParent();
      dispose(item);
      item.dispose?.();
    }
  }

  // what was loaded, with all that was made for it
  unload() {
    this.shade(null);
    this.takeOutline();
    for (const { rest } of this.nodes.values()) rest?.dispose();
    this.root?.removeFromParent();
    dispose(this.root);
    for (const lines of this.edges ?? []) dispose(lines);
    this.nodes.clear();
    this.edges = [];
  }

  dispose() {
    this.unload();
    this.takePath();
    this.undress();
    this.observer.disconnect();
    this.controls.dispose();
    this.renderer.dispose();
  }

  async load(url) {
    const { scene } = await new GLTFLoader().loadAsync(url);
    this.unload();
    this.root = scene;
    scene.traverse((item) => { if (item.userData.id) this.nodes.set(item.userData.id, { item, mesh: null, light: null, lens: null }); });
    scene.traverse((item) => this.prepare(item));
    this.scene.add(scene);
    this.geometryKey = null;
    if (!this.home) this.reset();
    for (const id of this.tracks.keys()) this.pose(id);
    this.select(this.chosen);
    this.hideOthers();
    this.invalidate();
  }

  // the nearest object that an item of the file belongs to
  owner(item) {
    while (item && !item.userData.id) item = item.parent;
    return item && this.nodes.get(item.userData.id);
  }

  prepare(item) {
    const entry = this.owner(item);
    if (item.isMesh && entry) {
      const from = item.material;
      from.dispose();
      // glow is a multiple of the surface's own colour
      const glow = (from.emissive.r / Math.max(from.color.r, 1e-6)) * from.emissiveIntensity;
      item.material = new THREE.MeshLambertMaterial({ color: from.color, emissive: from.color, emissiveIntensity: glow });
      item.material.wireframe = this.wires;
      entry.mesh = item;
      const lines = creaseLines(item.geometry, CREASE, ink("--ink"));
      item.userData.lines = lines;
      this.edges.push(lines);
    }
    if (item.isLight && entry) { entry.light = item; item.intensity = 0; }
    if (item.isCamera && entry) { entry.lens = item; this.lens ??= entry; }
  }

  // motion: {id: {position, orientation, scale, numbers}}; each array holds one row, or `per` a frame
  setMotion(motion, first, per = 1) {
    for (const [id, track] of Object.entries(motion)) {
      this.tracks.set(id, {
        first,
        per,
        position: floats(track.position),
        orientation: floats(track.orientation),
        scale: floats(track.scale),
        numbers: Object.fromEntries(Object.entries(track.numbers).map(([name, bytes]) => [name, floats(bytes)])),
      });
      this.pose(id);
    }
    this.invalidate();
  }

  // the points of a surface; its edges and its outline share them. Several objects may share one geometry at rest.
  setShape(id, { points, normals }) {
    const entry = this.nodes.get(id);
    const mesh = entry?.mesh;
    if (!mesh || mesh.geometry.attributes.position.count * 3 !== points.length) return;
    if (!entry.rest) {
      entry.rest = mesh.geometry;
      mesh.geometry = mesh.geometry.clone();
      mesh.frustumCulled = false;
      mesh.userData.lines.geometry.setAttribute("position", mesh.geometry.attributes.position);
      entry.rest.dispose(); // it is drawn no longer; the graphics card gets it anew should it be
      mesh.geometry.setAttribute("normal", new THREE.BufferAttribute(new Int8Array(normals.length), 3, true));
      if (this.outline?.parent === mesh) this.outline.geometry = mesh.geometry;
    }
    mesh.geometry.attributes.position.array.set(points);
    mesh.geometry.attributes.normal.array.set(normals);
    mesh.geometry.attributes.position.needsUpdate = mesh.geometry.attributes.normal.needsUpdate = true;
    mesh.geometry.boundingSphere = mesh.geometry.boundingBox = null;
    this.invalidate();
  }

  restShape(id) {
    const entry = this.nodes.get(id);
    if (!entry?.rest) return;
    const moved = entry.mesh.geometry;
    entry.mesh.geometry = entry.rest;
    entry.rest = null;
    entry.mesh.userData.lines.geometry.setAttribute("position", entry.mesh.geometry.attributes.position);
    moved.dispose();
    this.select(this.chosen);
  }

  toggleWires() {
    this.wires = !this.wires;
    for (const { mesh } of this.nodes.values()) if (mesh) mesh.material.wireframe = this.wires;
    this.invalidate();
    return this.wires;
  }

  show(frame) {
    this.frame = frame;
    for (const id of this.tracks.keys()) this.pose(id);
    this.invalidate();
  }

  pose(id) {
    const [track, entry] = [this.tracks.get(id), this.nodes.get(id)];
    if (!entry) return;
    const row = (values, width) => {
      const rows = values.length / width;
      return Math.min(Math.max(0, Math.round((this.frame - track.first) * track.per)), rows - 1) * width;
    };
    entry.item.position.fromArray(track.position, row(track.position, 3));
    entry.item.quaternion.fromArray(track.orientation, row(track.orientation, 4));
    entry.item.scale.fromArray(track.scale, row(track.scale, 3));
    const { "look.glow": glow, "camera.view": view } = track.numbers;
    if (glow && entry.mesh) entry.mesh.material.emissiveIntensity = Math.max(0, glow[row(glow, 1)]);
    if (view && entry.lens) entry.lens.fov = view[row(view, 1)];
  }

  select(id) {
    this.chosen = id;
    this.takeOutline();
    const entry = this.nodes.get(id);
    for (const item of this.nodes.values()) item.mesh?.add(item.mesh.userData.lines);
    if (entry?.mesh) {
      // the same surface pushed out a little and seen from behind: an outline that fits any shape
      const material = new THREE.MeshBasicMaterial({ color: ink("--pine"), side: THREE.BackSide });
      material.onBeforeCompile = (shader) => {
        shader.vertexShader = shader.vertexShader.replace("#include <project_vertex>",
          "#include <project_vertex>\n vec3 away = normalize(normalMatrix * normal); gl_Position.xy += (projectionMatrix * vec4(away, 0.0)).xy * 0.0035 * gl_Position.w;")
          .replace("void main() {", "void main() { vec3 objectNormal = normal;");
      };
      this.outline = new THREE.Mesh(entry.mesh.geometry, material);
      this.outline.raycast = () => {};
      this.outline.frustumCulled = false;
      entry.mesh.add(this.outline);
    }
    this.invalidate();
  }

  takeOutline() {
    this.outline?.removeFromParent();
    this.outline?.material.dispose(); // its geometry is the object's
    this.outline = null;
  }

  takePath() {
    this.path?.removeFromParent();
    dispose(this.path);
    this.path = null;
  }

  setPath(points) {
    this.takePath();
    let reach = 0;
    for (let i = 3; i < points.length; i++) reach = Math.max(reach, Math.abs(points[i] - points[i % 3]));
    if (reach > 1e-3) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
      this.path = new THREE.Points(geometry, new THREE.PointsMaterial({ color: ink("--ink"), size: 2.4, sizeAttenuation: false, depthTest: false, transparent: true }));
      this.path.renderOrder = 10;
      this.path.visible = this.showsPath;
      this.scene.add(this.path);
    }
    this.invalidate();
  }

  togglePath() {
    this.showsPath = !this.showsPath;
    if (this.path) this.path.visible = this.showsPath;
    this.invalidate();
    return this.showsPath;
  }

  toggleCamera() {
    this.through = !this.through && Boolean(this.lens);
    this.controls.enabled = !this.through;
    this.invalidate();
    return this.through;
  }

  reset() {
    const camera = this.lens?.item;
    const box = new THREE.Box3().setFromObject(this.root);
    if (camera) {
      camera.updateWorldMatrix(true, false);
      camera.getWorldPosition(this.camera.position);
      const ahead = new THREE.Vector3(0, 0, -1).transformDirection(camera.matrixWorld);
      this.controls.target.copy(this.camera.position).addScaledVector(ahead, this.camera.position.length());
    } else {
      const size = box.isEmpty() ? 4 : box.getSize(new THREE.Vector3()).length();
      const middle = box.isEmpty() ? new THREE.Vector3() : box.getCenter(new THREE.Vector3());
      this.controls.target.copy(middle);
      this.camera.position.copy(middle).add(new THREE.Vector3(0.25, 0.32, 1).multiplyScalar(size));
    }
    this.home = true;
    this.controls.update();
    this.invalidate();
  }

  // the view that the studio was left with
  recall() {
    const kept = JSON.parse(sessionStorage.getItem("lazzik-view") ?? "null");
    if (!kept) return;
    this.camera.position.fromArray(kept[0]);
    this.controls.target.fromArray(kept[1]);
    this.controls.update();
  }

  hit(x, y, mesh) {
    const box = this.canvas.getBoundingClientRect();
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2), this.eye);
    return ray.intersectObject(mesh, false)[0];
  }

  // the next press on an object, as a point of its own space; null if it misses
  pickPoint(id) {
    const entry = this.nodes.get(id);
    return new Promise((done) => {
      this.canvas.addEventListener("pointerdown", (event) => {
        event.stopImmediatePropagation();
        const found = entry?.mesh && this.hit(event.clientX, event.clientY, entry.mesh);
        done(found ? entry.item.worldToLocal(found.point.clone()).toArray() : null);
      }, { once: true, capture: true });
    });
  }

  // adds to the weights of the points near where a brush touches a surface, and shows them
  brush(id, x, y, weights, by) {
    const mesh = this.nodes.get(id)?.mesh;
    const found = mesh && this.hit(x, y, mesh);
    if (!found) return;
    const at = mesh.worldToLocal(found.point.clone());
    const { position } = mesh.geometry.attributes;
    mesh.geometry.computeBoundingSphere();
    const reach = 0.14 * mesh.geometry.boundingSphere.radius;
    const point = new THREE.Vector3();
    for (let i = 0; i < position.count; i++) {
      const away = point.fromBufferAttribute(position, i).distanceTo(at);
      if (away < reach) weights[i] = Math.min(1, Math.max(0, weights[i] + by * (1 - away / reach)));
    }
    this.shade([[id, weights]]);
  }

  // everything but one object, and what it holds, out of sight; or all again
  isolate(id) {
    this.alone = this.alone === id ? null : id;
    this.hideOthers();
    this.invalidate();
    return Boolean(this.alone);
  }

  hideOthers() {
    if (!this.nodes.has(this.alone)) this.alone = null;
    for (const [name, { mesh }] of this.nodes) {
      if (!mesh) continue;
      let [item, inside] = [this.nodes.get(name).item, false];
      for (; item; item = item.parent) if (item.userData.id === this.alone) inside = true;
      mesh.visible = !this.alone || inside;
    }
  }

  // the object under a point of the picture
  pick(x, y) {
    const box = this.canvas.getBoundingClientRect();
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2), this.camera);
    const hit = this.root && ray.intersectObject(this.root, true)[0];
    return hit ? this.owner(hit.object)?.item.userData.id ?? null : null;
  }

  resize() {
    const [width, height] = this.size ?? [this.canvas.parentElement.clientWidth, this.canvas.parentElement.clientHeight];
    if (!width || !height) return;
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  invalidate() {
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame(() => { this.waiting = false; this.draw(); });
  }

  // the camera that is looked through
  get eye() { return this.through && this.lens ? this.lens.lens : this.camera; }

  draw() {
    const { eye } = this;
    if (eye !== this.camera) {
      eye.aspect = this.camera.aspect;
      eye.updateProjectionMatrix();
    }
    this.renderer.render(this.scene, eye);
    this.frames += 1;
    for (const act of this.drawn) act();
  }

  // shades on surfaces, [id, values] each: from paper (nothing) to pine (full) where something acts, or with a sign,
  // from brick (one way) over paper to pine (the other); null takes them off
  shade(rows, signed = false) {
    for (const shaded of this.shaded ?? []) {
      shaded.removeFromParent();
      shaded.material.dispose();
      disposeOwn(shaded.geometry, ["position", "index"]);
    }
    const found = (rows ?? []).map(([id, values]) => [this.nodes.get(id)?.mesh, values]).filter(([mesh]) => mesh);
    this.counts = found.length === 1 && !signed ? found[0][1] : null;
    const largest = signed ? Math.max(1e-9, ...found.map(([, values]) => values.reduce((most, value) => Math.max(most, Math.abs(value)), 0))) : 1;
    const [none, full, below] = [ink("--paper"), ink("--pine"), ink("--brick")];
    this.shaded = found.map(([mesh, values]) => {
      const colors = new Float32Array(values.length * 3);
      values.forEach((value, i) => none.clone().lerp(signed && value < 0 ? below : full, Math.min(1, Math.abs(value) / largest)).toArray(colors, i * 3));
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", mesh.geometry.attributes.position);
      geometry.setAttribute("color", new THREE.BufferAttribute(colors, 3));
      geometry.setIndex(mesh.geometry.index);
      const shaded = new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ vertexColors: true, polygonOffset: true, polygonOffsetFactor: -1, polygonOffsetUnits: -1 }));
      shaded.raycast = () => {};
      shaded.frustumCulled = false;
      mesh.add(shaded);
      return shaded;
    });
    this.invalidate();
  }
}
