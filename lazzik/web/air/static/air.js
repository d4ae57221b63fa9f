// The open field: its gusts on their way, and what answers it, over the shared time axis.

import { act } from "lazzik/lib/actions.js";
import { floats, packed, text } from "lazzik/lib/api.js";
import { all, maybe, over, shape } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { extent } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { commit } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";
import { closeSheet } from "lazzik/studio/sheets.js";
import { curvePath, heights, upright } from "lazzik/timeline/plot.js";
import { onView, viewed } from "lazzik/timeline/timeaxis.js";

/** @import { Stage } from "lazzik/stage/stage.js" */

const HERE = 120; // milliseconds between two readings of the air under the pointer
const LEAST = 1e-6;

/**
 * @typedef {object} Lane what one thing does
 * @property {string} name
 * @property {string} address
 * @property {string} unit
 * @property {number} distance
 * @property {Float32Array} values
 */

/**
 * @typedef {object} Gusts what is drawn
 * @property {number} from
 * @property {number} every
 * @property {Float32Array} distances
 * @property {Float32Array} speeds
 * @property {Lane[]} lanes
 */

/** A colour of the theme as red, green and blue. @param {string} name @returns {[number, number, number]} */
function inkOf(name) {
  const hex = getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const parts = /^#(..)(..)(..)/.exec(hex)?.slice(1) ?? ["0", "0", "0"];
  return /** @type {[number, number, number]} */ (parts.map((part) => Number.parseInt(part, 16)));
}

export class AirPanel {
  /** @type {Gusts | null} */
  data = null;
  newest = 0;
  asked = 0;

  /** @param {Stage | null} stage */
  constructor(stage) {
    this.stage = stage;
    onView(() => this.draw());
    store.subscribe("frame", () => this.now());
    new ResizeObserver(() => this.draw()).observe(maybe("#work") ?? document.body);
    stage?.canvas.addEventListener("pointermove", (event) => this.point(event));
    document.addEventListener("input", (event) => {
      const find = over(event, "#stand-find", HTMLInputElement);
      const asked = find?.value.trim().toLowerCase() ?? "";
      if (find) for (const row of all("#stand-list label")) row.hidden = !row.textContent?.toLowerCase().includes(asked);
    });
    act(
      { name: "stand-in-wind", keys: [","], run: () => stand(chosenNodes()), label: "Stand in the wind: the chosen objects answer the air" },
      { name: "stand-ticked", run: standTicked },
    );
  }

  get node() { return maybe("#air-rows")?.dataset.node ?? ""; }

  // another field is open, or the document is another one by now
  async changed() {
    const { node } = this;
    const mine = ++this.newest;
    if (!node) { this.data = null; return; }
    const asked = new URLSearchParams({ node, revision: String(store.facts.revision) });
    const content = await packed(`${store.url}/air?${asked}`);
    if (mine === this.newest) this.show(content);
  }

  /** @param {any} content as the server sends it */
  show(content) {
    const lanes = content.lanes.map((/** @type {any} */ lane) => ({ ...lane, values: floats(lane.values) }));
    this.data = { ...content, distances: floats(content.distances), speeds: floats(content.speeds), lanes };
    this.draw();
  }

  draw() {
    if (!this.data || !this.node) return;
    this.paint(this.data);
    for (const lane of this.data.lanes) this.curve(this.data, lane);
    this.now();
  }

  /** Distance downward, time to the right, dark where it blows hard. @param {Gusts} data */
  paint({ from, every, distances, speeds, lanes }) {
    const canvas = maybe("#gust-chart", document, HTMLCanvasElement);
    const marks = maybe("#gust-marks", document, SVGSVGElement);
    const box = canvas?.getBoundingClientRect();
    if (!canvas || !marks || !box?.width) return;
    const rows = distances.length;
    const columns = speeds.length / rows;
    const [low, high] = extent(speeds);
    const image = new ImageData(columns, rows);
    const [paper, dark] = [inkOf("--paper"), inkOf("--periodic")];
    for (let i = 0; i < speeds.length; i++) {
      const share = high - low > LEAST ? (speeds[i] - low) / (high - low) : 0.5;
      for (let c = 0; c < 3; c++) image.data[4 * i + c] = paper[c] + share * (dark[c] - paper[c]);
      image.data[4 * i + 3] = 255;
    }
    const whole = new OffscreenCanvas(columns, rows);
    whole.getContext("2d")?.putImageData(image, 0, 0);
    [canvas.width, canvas.height] = [Math.round(box.width), Math.round(box.height)];
    const [first, last] = viewed();
    const start = (first - from) / every;
    canvas.getContext("2d")?.drawImage(whole, start, 0, (last - first) / every + 1, rows, 0, 0, canvas.width, canvas.height);
    const far = distances[rows - 1];
    marks.replaceChildren(...this.names(lanes, far, box));
    const said = maybe("#gusts-said");
    if (said) said.textContent = `0 m at the top, ${far.toFixed(0)} m downwind at the foot; ${low.toFixed(1)} to ${high.toFixed(1)} m/s, dark is strong`;
  }

  /** What stands in it, by name where there is room. @param {Lane[]} lanes @param {number} far @param {DOMRect} box */
  names(lanes, far, { width, height }) {
    let lowest = -Infinity;
    return lanes.flatMap(({ name, distance }) => {
      const y = (distance / far) * height;
      if (distance < 0 || distance > far || y < lowest + 14) return [];
      lowest = y;
      const line = shape("line", { x1: 0, x2: width - 6 - 7 * name.length, y1: y, y2: y });
      return [line, shape("text", { x: width - 6, y: Math.min(Math.max(y + 4, 11), height - 3), "text-anchor": "end" }, name)];
    });
  }

  /** @param {Gusts} data @param {Lane} lane */
  curve({ from }, { address, values }) {
    const svg = all("[data-answer]").find((row) => row.dataset.answer === address)?.querySelector("svg");
    const { width, height } = svg?.getBoundingClientRect() ?? { width: 0, height: 0 };
    if (!svg || !width) return;
    const [low, high] = extent(values);
    const y = heights(height, low, Math.max(high, low + LEAST));
    const trace = shape("path", { class: "trace", d: curvePath({ from, perFrame: 1 }, values, y, width) });
    svg.replaceChildren(...upright(width, height), trace);
  }

  // what each is at the playhead
  now() {
    const { data } = this;
    if (!data || !this.node) return;
    const place = Math.round(store.frame) - data.from;
    for (const row of all("[data-answer]")) {
      const lane = data.lanes.find(({ address }) => address === row.dataset.answer);
      const now = row.querySelector("[data-answer-now]");
      const value = lane?.values[Math.min(Math.max(place, 0), lane.values.length - 1)];
      if (now && lane && value !== undefined) now.textContent = `${(Math.round(value * 10) / 10 + 0).toFixed(1)}${lane.unit}`;
    }
    const here = maybe("#gusts-now");
    const column = Math.min(Math.max(Math.round(place / data.every), 0), data.speeds.length / data.distances.length - 1);
    if (here) here.textContent = `${data.speeds[column].toFixed(1)} m/s`;
  }

  // the air under the pointer, as a table below the lanes
  /** @param {PointerEvent} event */
  async point(event) {
    const place = maybe("#air-here");
    const { stage } = this;
    if (!place || !stage || event.buttons || performance.now() < this.asked + HERE) return;
    const spot = stage.spot(event.clientX, event.clientY);
    if (!spot) return;
    this.asked = performance.now();
    const [x, y, z] = spot.toArray().map((value) => value.toFixed(3));
    const asked = new URLSearchParams({ x, y, z, frame: String(Math.round(store.frame)) });
    await guard(async () => { place.innerHTML = await text(`${store.url}/air-here?${asked}`); }, () => {});
  }

}

/** Objects answer the air from now on. @param {string[]} nodes */
async function stand(nodes) {
  if (!nodes.length) return toast("Choose objects first: they answer the air then.");
  const had = store.facts.air.key;
  if (!(await commit([{ do: "stand-in-wind", nodes }]))) return;
  closeSheet();
  if (!had) await choose("wind/air");
}

/** What is ticked on the sheet stands in the wind. */
const standTicked = () => stand(all("#stand-list input:checked", document, HTMLInputElement).map((tick) => tick.value));
