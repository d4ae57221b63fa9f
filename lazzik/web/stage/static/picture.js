// A picture of the stage for the list of scenes, taken when nothing has happened for a while after a change.

import { element } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";

/** @import { Stage } from "./stage.js" */

const SIZE = /** @type {const} */ ([728, 372]); // twice as large as it is shown
const IDLE = 4000; // milliseconds without a change or a press

/**
 * The part of a picture that fills another form, about its middle.
 * @param {number} width
 * @param {number} height
 * @param {number} form width by height
 * @returns {[x: number, y: number, width: number, height: number]}
 */
export function middleOf(width, height, form) {
  const [w, h] = width / height > form ? [height * form, height] : [width, width / form];
  return [(width - w) / 2, (height - h) / 2, w, h];
}

/**
 * The stage as a picture.
 * @param {Stage} stage
 * @param {readonly [width: number, height: number]} size
 * @returns {Promise<Blob | null>}
 */
export function pictureOf(stage, size) {
  const canvas = element("canvas", { width: size[0], height: size[1] });
  const context = canvas.getContext("2d");
  if (context) context.imageSmoothingQuality = "high";
  stage.bare(() => {
    const { width, height } = stage.canvas;
    context?.drawImage(stage.canvas, ...middleOf(width, height, size[0] / size[1]), 0, 0, ...size);
  });
  return new Promise((done) => canvas.toBlob(done, "image/webp", 0.82));
}

/** @param {Stage} stage */
async function take(stage) {
  const blob = await pictureOf(stage, SIZE);
  // what is not kept now is taken after the next change
  if (blob) await fetch(`${store.url}/picture?revision=${store.facts.revision}`, { method: "PUT", body: blob }).catch(() => {});
}

/**
 * Begin to mind what is changed.
 * @param {Stage} stage
 * @param {number} pictured the revision that a picture is there of; -1 if there is none
 * @param {() => boolean} busy whether the scene plays or is dragged
 */
export function keepPictures(stage, pictured, busy) {
  let [of, timer] = [pictured, 0];
  const soon = () => {
    clearTimeout(timer);
    if (of !== store.facts.revision) timer = window.setTimeout(whenIdle, IDLE);
  };
  const whenIdle = () => {
    if (busy() || document.hidden) return soon();
    of = store.facts.revision;
    take(stage);
  };
  store.subscribe("facts", soon);
  for (const kind of ["pointerdown", "keydown", "wheel"]) document.addEventListener(kind, soon, { passive: true });
  soon();
}
