// A film: the stage draws each frame in this browser, several moments of it mixed for motion blur, and sends it.

import { packed, post, Refused } from "lazzik/lib/api.js";
import { follow } from "lazzik/lib/jobs.js";
import { Stage } from "lazzik/stage/stage.js";

const CHUNK = 12; // frames of points asked for at once

// the points of moving surfaces at any moment that the server was asked for
class Points {
  constructor(sceneUrl, last, per) {
    Object.assign(this, { sceneUrl, last, per, kept: new Map() });
  }

  async at(id, place) {
    let part = this.kept.get(id);
    if (!part || (!part.still && (place < part.from || place >= part.from + part.count))) {
      const frame = Math.floor(place / this.per);
      const got = await packed(`${this.sceneUrl}/points?node=${id}&from=${frame}&to=${Math.min(frame + CHUNK, this.last)}&per=${this.per}`);
      part = { still: got.still, from: got.from * this.per, count: got.frames, size: got.count * 3,
        points: new Float32Array(got.points.slice().buffer), normals: new Int8Array(got.normals.slice().buffer) };
      this.kept.set(id, part);
    }
    const row = part.still ? 0 : place - part.from;
    const cut = (values) => values.subarray(row * part.size, (row + 1) * part.size);
    return { points: cut(part.points), normals: cut(part.normals) };
  }
}

const whole = (fields, name, low, high) => {
  const value = Number(fields[name]);
  if (!Number.isInteger(value) || value < low || value > high) throw new Refused(422, `${name} must be a whole number from ${low} to ${high}; '${fields[name]}' was given.`);
  return value;
};

export async function film(form, fields, sceneUrl) {
  const { first: begin, last: end, fps } = form.dataset;
  const first = whole(fields, "first", Number(begin), Number(end));
  const last = whole(fields, "last", first, Number(end));
  const [width, height] = [whole(fields, "width", 16, 4096), whole(fields, "height", 16, 4096)];
  const blur = whole(fields, "blur", 1, 16);
  const per = blur === 1 ? 1 : blur * (360 / Number(fields.shutter)); // moments of a frame, of which the shutter sees `blur`
  const news = await post(`${sceneUrl}/deliver/film`, { form: fields.form, first, count: last - first + 1, width, height, fps: Number(fps) });
  let wanted = true;
  const over = follow(news, () => { wanted = false; });

  const canvas = document.createElement("canvas");
  Object.assign(canvas, { width, height });
  const stage = new Stage(canvas, [width, height]);
  stage.showsPath = false;
  const motion = await packed(`${sceneUrl}/motion?from=${first}&to=${last}&per=${per}`);
  await stage.load(`${sceneUrl}/rest.glb?${motion.geometry}`);
  stage.setMotion(motion.motion, first, per);
  if (fields.view === "camera" && stage.lens) stage.toggleCamera();
  else stage.recall();
  const points = new Points(sceneUrl, last, per);
  const flat = new OffscreenCanvas(width, height).getContext("2d", { willReadFrequently: true });
  const sum = new Float32Array(width * height * 4);
  try {
    for (let frame = first; frame <= last && wanted; frame++) {
      sum.fill(0);
      const moments = frame === last ? 1 : blur; // nothing is known beyond the last frame
      for (let k = 0; k < moments; k++) {
        const place = frame * per + k;
        for (const id of motion.shaped) stage.setShape(id, await points.at(id, place));
        stage.show(place / per);
        stage.draw();
        flat.drawImage(canvas, 0, 0, width, height);
        const { data } = flat.getImageData(0, 0, width, height);
        for (let i = 0; i < data.length; i++) sum[i] += data[i];
      }
      const picture = new ImageData(width, height);
      for (let i = 0; i < sum.length; i++) picture.data[i] = sum[i] / moments;
      flat.putImageData(picture, 0, 0);
      const blob = await flat.canvas.convertToBlob({ type: "image/png" });
      if (!wanted) break;
      const answer = await fetch(`/jobs/${news.id}/pictures/${frame - first}`, { method: "PUT", body: blob });
      if (!answer.ok && wanted) throw new Refused(answer.status, (await answer.json()).error);
    }
  } catch (error) {
    await post(`/jobs/${news.id}/stop`, {});
    throw error;
  } finally {
    stage.dispose();
    stage.renderer.forceContextLoss();
  }
  return over;
}
