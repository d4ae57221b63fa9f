// A film: the stage draws each frame in this browser, several moments of it mixed for motion blur, and sends it.

import { packed, post, Refused, text } from "lazzik/lib/api.js";
import { element } from "lazzik/lib/dom.js";
import { followJob } from "lazzik/lib/jobs.js";
import { store } from "lazzik/lib/store.js";
import { Crowds } from "lazzik/stage/crowds.js";
import { Moments } from "lazzik/stage/moments.js";
import { Runs } from "lazzik/stage/runs.js";
import { Stage } from "lazzik/stage/stage.js";

/** @import { News } from "lazzik/lib/jobs.js" */

/** Pictures mixed into one. */
class Mixer {
  /** @param {number} width @param {number} height */
  constructor(width, height) {
    this.flat = new OffscreenCanvas(width, height);
    const context = this.flat.getContext("2d", { willReadFrequently: true });
    if (!context) throw new Refused(0, "This browser can't mix pictures.");
    this.context = context;
    this.sum = new Float32Array(width * height * 4);
    this.count = 0;
  }

  /** @param {HTMLCanvasElement} canvas */
  add(canvas) {
    const { width, height } = this.flat;
    this.context.drawImage(canvas, 0, 0, width, height);
    const { data } = this.context.getImageData(0, 0, width, height);
    for (let i = 0; i < data.length; i++) this.sum[i] += data[i];
    this.count += 1;
  }

  // what was added since the last one, as a PNG
  picture() {
    const picture = new ImageData(this.flat.width, this.flat.height);
    for (let i = 0; i < this.sum.length; i++) picture.data[i] = this.sum[i] / this.count;
    this.context.putImageData(picture, 0, 0);
    this.sum.fill(0);
    this.count = 0;
    return this.flat.convertToBlob({ type: "image/png" });
  }
}

/** @typedef {Record<string, string>} Fields */

/**
 * @param {Fields} fields
 * @param {string} name
 * @param {number} low
 * @param {number} high
 */
function whole(fields, name, low, high) {
  const value = Number(fields[name]);
  if (Number.isInteger(value) && value >= low && value <= high) return value;
  throw new Refused(422, `${name} must be a whole number from ${low} to ${high}; '${fields[name]}' was given.`);
}

/**
 * What the form asks for. Throws Refused.
 * @param {HTMLFormElement} form
 * @param {Fields} fields
 */
function settings(form, fields) {
  const [begin, end] = [Number(form.dataset.first), Number(form.dataset.last)];
  const first = whole(fields, "first", begin, end);
  const last = whole(fields, "last", first, end);
  const [width, height] = [whole(fields, "width", 16, 4096), whole(fields, "height", 16, 4096)];
  const blur = whole(fields, "blur", 1, 16);
  // moments of a frame, of which the shutter sees `blur`
  const per = blur === 1 ? 1 : blur * (360 / Number(fields.shutter));
  return { first, last, width, height, blur, per, fps: Number(form.dataset.fps), camera: fields.view === "camera" };
}

/**
 * Draw and send all frames.
 * @param {HTMLFormElement} form
 * @param {Fields} fields
 */
export async function film(form, fields) {
  const { first, last, width, height, blur, per, fps, camera } = settings(form, fields);
  /** @type {News} */
  const news = await post(`${store.url}/deliver/film`, { form: fields.form, first, count: last - first + 1, width, height, fps });
  let wanted = true;
  const over = followJob(news, () => { wanted = false; });

  const stage = new Stage(element("canvas", { width, height }), [width, height]);
  stage.trail.shows = false;
  const motion = await packed(`${store.url}/motion?from=${first}&to=${last}&per=${per}`);
  await stage.load(`${store.url}/rest.glb?${motion.geometry}`);
  stage.setMotion(motion.motion, first, per);
  if (camera && stage.lens) stage.toggleCamera();
  else stage.recall();
  const crowds = new Crowds(stage, store.url, { per });
  const drawn = JSON.parse(await text(`${store.url}/scatters`));
  stage.show(first);
  await crowds.know(drawn.scatters, drawn.revision, drawn.last);
  const runs = new Runs(stage, store.url, { blur: { per, shown: blur } });
  const carried = JSON.parse(await text(`${store.url}/carried`));
  await runs.know(carried.carried, carried.revision);
  await runs.whole();
  const moments = new Moments(`${store.url}/points`, last, per);
  const mixer = new Mixer(width, height);
  try {
    for (let frame = first; frame <= last && wanted; frame++) {
      const count = frame === last ? 1 : blur; // nothing is known beyond the last frame
      for (let place = frame * per; place < frame * per + count; place++) {
        for (const id of motion.shaped) stage.setShape(id, await moments.at(id, { node: id }, place));
        stage.show(place / per);
        await crowds.need(place / per);
        crowds.show(place / per);
        await runs.ready(place / per);
        stage.draw();
        mixer.add(stage.canvas);
      }
      const blob = await mixer.picture();
      if (!wanted) break;
      const answer = await fetch(`/jobs/${news.id}/pictures/${frame - first}`, { method: "PUT", body: blob });
      if (!answer.ok && wanted) throw new Refused(answer.status, (await answer.json()).error);
    }
  } catch (error) {
    await post(`/jobs/${news.id}/stop`, {});
    throw error;
  } finally {
    crowds.dispose();
    runs.dispose();
    stage.dispose();
    stage.renderer.forceContextLoss();
  }
  return over;
}
