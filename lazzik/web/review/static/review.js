// The page for review: plays versions of a scene in any browser, without a network, and takes remarks. It is written
// into the page itself (core/formats/review_page.py), and runs nowhere else.

import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { backdrop, lights } from "lazzik/stage/backdrop.js";
import { Shown } from "./shown.js";
import { Remarks } from "./remarks.js";
import { all, content, one } from "./parts.js";

const STEP = 1; // frames for an arrow key
const LOOK = 1.9; // times the size of what is seen, from which it is looked at

const canvas = one("#canvas", HTMLCanvasElement);
const slider = one("#place", HTMLInputElement);
const typed = one("#frame", HTMLInputElement);
const renderer = new THREE.WebGLRenderer({ canvas, antialias: true });
const camera = new THREE.PerspectiveCamera(36, 1, 0.05, 900);
const controls = new OrbitControls(camera, canvas);
controls.maxDistance = 60;

/** What is seen: a version, or two beside each other. @type {Shown[]} */
let seen = [];
/** @type {Map<number, Shown>} */
const read = new Map();
let frame = 0;
let plays = false;
let last = 0; // milliseconds, of the picture before
let waiting = false;

const range = () => ({
  first: Math.min(...seen.map(({ version }) => version.first)), last: Math.max(...seen.map(({ version }) => version.last)),
});

function draw() {
  waiting = false;
  const { clientWidth: width, clientHeight: height } = canvas;
  const ratio = Math.min(devicePixelRatio, 2);
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    renderer.setPixelRatio(ratio);
    renderer.setSize(width, height, false);
  }
  const part = width / seen.length;
  renderer.setScissorTest(seen.length > 1);
  seen.forEach((shown, place) => {
    const lens = shown.through ?? camera;
    lens.aspect = part / height;
    lens.updateProjectionMatrix();
    renderer.setViewport(place * part, 0, part, height);
    renderer.setScissor(place * part, 0, part, height);
    shown.pose(frame);
    renderer.render(shown.scene, lens);
  });
}

function invalidate() {
  if (!waiting) requestAnimationFrame(draw);
  waiting = true;
}

/** Go to a frame. @param {number} to */
function go(to) {
  const { first, last: end } = range();
  frame = Math.min(end, Math.max(first, to));
  slider.value = String(frame);
  if (document.activeElement !== typed) typed.value = String(Math.round(frame));
  invalidate();
}

/** @param {number} now milliseconds */
function tick(now) {
  if (!plays) return;
  const { first, last: end } = range();
  const speed = Number(one("#speed", HTMLSelectElement).value);
  let to = frame + ((now - last) / 1000) * seen[0].version.fps * speed;
  last = now;
  if (to >= end) {
    const loops = one("#loop", HTMLInputElement).checked;
    to = loops ? first + ((to - first) % Math.max(end - first, 1)) : end;
    if (!loops) play(false);
  }
  go(to);
  requestAnimationFrame(tick);
}

/** @param {boolean} on */
function play(on) {
  const { last: end, first } = range();
  if (on && frame >= end) frame = first;
  plays = on;
  last = performance.now();
  one("#play").setAttribute("aria-pressed", String(on));
  one("#play").textContent = on ? "Pause" : "Play";
  if (on) requestAnimationFrame(tick);
}

/** A version, made when it is first seen. @param {number} place */
async function versionAt(place) {
  let shown = read.get(place);
  if (!shown) {
    shown = await Shown.of(content.versions[place]);
    shown.scene.add(backdrop(), ...lights());
    read.set(place, shown);
  }
  return shown;
}

/** Which versions are chosen. */
const chosen = () => {
  const places = all("#versions [aria-pressed=true]").map((button) => Number(button.dataset.place));
  return places.length ? places : [0];
};

async function see() {
  one("#said").textContent = "Reading …";
  seen = await Promise.all(chosen().map(versionAt));
  one("#said").textContent = "";
  const { first, last: end } = range();
  [slider.min, slider.max] = [String(first), String(end)];
  one("#of").textContent = `/ ${end} @ ${seen[0].version.fps}`;
  one("#labels").replaceChildren(...seen.map(({ version }) => {
    const label = document.createElement("span");
    label.textContent = seen.length > 1 ? version.name : "";
    return label;
  }));
  one("#left").replaceChildren(...[...new Set(seen.flatMap(({ version }) => version.left))].map((text) => {
    const row = document.createElement("li");
    row.textContent = text;
    return row;
  }));
  one("#left-part").hidden = !one("#left").childElementCount;
  through(one("#through", HTMLInputElement).checked);
  go(frame);
}

/** Look through the scene's own camera, or go round. @param {boolean} on */
function through(on) {
  for (const shown of seen) shown.look(on);
  const lens = seen.some(({ lens: its }) => its);
  one("#through", HTMLInputElement).disabled = !lens;
  controls.enabled = !(on && lens);
  invalidate();
}

/** Stand where all is seen. */
function stand() {
  const { center, radius } = seen[0].bounds();
  const from = seen[0].lens;
  if (from) {
    from.updateWorldMatrix(true, false);
    camera.position.setFromMatrixPosition(from.matrixWorld);
    camera.fov = from.fov;
    const ahead = new THREE.Vector3(0, 0, -1).transformDirection(from.matrixWorld);
    controls.target.copy(camera.position).addScaledVector(ahead, Math.max(camera.position.distanceTo(center), 1));
  } else {
    camera.position.copy(center).add(new THREE.Vector3(0.3, 0.35, 1).normalize().multiplyScalar(radius * LOOK));
    controls.target.copy(center);
  }
  controls.update();
}

/** Press a version: it alone, or beside the one that is seen. @param {HTMLElement} button */
function press(button) {
  const beside = one("#beside", HTMLInputElement).checked;
  const pressed = all("#versions [aria-pressed=true]");
  const on = button.getAttribute("aria-pressed") === "true";
  if (beside && on && pressed.length > 1) button.setAttribute("aria-pressed", "false");
  else if (!on) {
    for (const other of beside ? pressed.slice(1) : pressed) other.setAttribute("aria-pressed", "false");
    button.setAttribute("aria-pressed", "true");
  }
  return see();
}

const remarks = new Remarks(() => Math.round(frame), go, () => seen.map(({ version }) => version.name).join(", "));

one("#play").addEventListener("click", () => play(!plays));
slider.addEventListener("input", () => { play(false); go(Number(slider.value)); });
typed.addEventListener("change", () => { play(false); go(Number(typed.value) || 0); });
one("#through").addEventListener("change", (event) => {
  if (event.target instanceof HTMLInputElement) through(event.target.checked);
});
one("#beside").addEventListener("change", () => {
  for (const other of all("#versions [aria-pressed=true]").slice(1)) other.setAttribute("aria-pressed", "false");
  see();
});
one("#full").addEventListener("click", () => (document.fullscreenElement ? document.exitFullscreen() : one("main").requestFullscreen()));
for (const button of all("#versions button")) button.addEventListener("click", () => press(button));
controls.addEventListener("change", invalidate);
new ResizeObserver(invalidate).observe(canvas);

/** @type {Record<string, () => void>} */
const KEYS = {
  " ": () => play(!plays), ArrowLeft: () => go(Math.round(frame) - STEP), ArrowRight: () => go(Math.round(frame) + STEP),
  Home: () => go(range().first), End: () => go(range().last), f: () => one("#full").click(), r: () => remarks.begin(),
};
document.addEventListener("keydown", (event) => {
  const target = /** @type {HTMLElement} */ (event.target);
  if (target.matches("input:not([type=range]):not([type=checkbox]), textarea, select") || event.ctrlKey || event.metaKey) return;
  const act = KEYS[event.key];
  if (!act || (event.key === " " && target.matches("button"))) return;
  event.preventDefault();
  if (event.key.startsWith("Arrow")) play(false);
  act();
});

await see();
stand();
go(content.versions[0].first);
document.body.dataset.ready = "true";
Object.assign(window, { review: { go, frame: () => frame, seen: () => seen, camera } });
