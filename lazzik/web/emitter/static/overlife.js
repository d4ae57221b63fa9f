// Curves over a particle's life, edited by hand: points that are dragged, added and taken away.

import { all, maybe, over, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { clamp, roomy } from "lazzik/lib/numbers.js";
import { Change } from "lazzik/studio/change.js";

const [WIDTH, HEIGHT, PAD] = [140, 52, 7]; // of a field, in its own units
const APART = 0.01; // share of life between two points
const MOST = 12;

/** @typedef {number[]} Point share of life first; of a colour then red, green, blue and how solid, of others the value */

/** One field: its points as they are now, and how they are seen. */
class Field {
  /** @param {HTMLElement} root */
  constructor(root) {
    this.root = root;
    this.name = root.dataset.overLife ?? "";
    this.colour = this.name === "color_over_life";
    /** @type {Point[]} */
    this.points = JSON.parse(root.dataset.points ?? "[]");
    this.top = this.colour ? 1 : roomy(Math.max(1, ...this.points.map((point) => point[1])));
  }

  get row() { return this.colour ? 4 : 1; }

  /** @param {Point} point */
  at = (point) => ({ x: PAD + point[0] * (WIDTH - 2 * PAD), y: HEIGHT - PAD - Math.min(point[this.row] / this.top, 1) * (HEIGHT - 2 * PAD) });

  /** @param {number} x @param {number} y in pixels of the page @returns {[share: number, value: number]} */
  under(x, y) {
    const box = /** @type {Element} */ (this.root.querySelector("svg")).getBoundingClientRect();
    const [u, v] = [((x - box.left) / box.width) * WIDTH, ((y - box.top) / box.height) * HEIGHT];
    return [clamp((u - PAD) / (WIDTH - 2 * PAD), 0, 1), clamp((HEIGHT - PAD - v) / (HEIGHT - 2 * PAD), 0, this.colour ? 1 : 4) * this.top];
  }

  get chosen() { return Math.min(Number(this.root.dataset.chosen ?? 0), this.points.length - 1); }
  set chosen(place) { this.root.dataset.chosen = String(place); }

  draw() {
    const svg = maybe("svg", this.root, SVGSVGElement);
    if (!svg) return;
    const ways = this.points.map(this.at);
    const line = [{ x: PAD, y: ways[0].y }, ...ways, { x: WIDTH - PAD, y: ways[ways.length - 1].y }].map(({ x, y }) => `${x.toFixed(1)} ${y.toFixed(1)}`);
    const items = [];
    if (this.colour) {
      const stops = this.points.map((point) => shape("stop", { offset: point[0], "stop-color": hex(point), "stop-opacity": point[4] }));
      items.push(shape("defs", {}, shape("linearGradient", { id: "over-life-shade" }, ...stops)));
      items.push(shape("rect", { x: PAD, y: PAD, width: WIDTH - 2 * PAD, height: HEIGHT - 2 * PAD, fill: "url(#over-life-shade)" }));
    }
    items.push(shape("path", { class: "way", d: `M${line.join("L")}` }));
    this.points.forEach((point, place) => {
      const { x, y } = ways[place];
      const said = `${this.root.dataset.label} at ${Math.round(100 * point[0])} % of life: ${this.said(point)}`;
      const dot = shape("circle", {
        cx: x.toFixed(1), cy: y.toFixed(1), r: 4.2, tabindex: 0, "data-place": place, role: "slider", "aria-label": said,
        "aria-valuemin": 0, "aria-valuemax": this.top, "aria-valuenow": point[this.row], "aria-valuetext": said,
        class: place === this.chosen ? "chosen" : "",
      });
      if (this.colour) dot.style.fill = hex(point);
      items.push(dot);
    });
    const focused = svg.contains(document.activeElement);
    svg.replaceChildren(...items);
    if (focused) maybe(`[data-place="${this.chosen}"]`, svg, SVGCircleElement)?.focus();
    const now = this.root.querySelector("output");
    if (now) now.textContent = this.said(this.points[this.chosen]);
    const swatch = maybe("input[type=color]", this.root, HTMLInputElement);
    if (swatch && document.activeElement !== swatch) swatch.value = hex(this.points[this.chosen]);
  }

  /** @param {Point} point */
  said(point) { return this.colour ? `${Math.round(100 * point[4])} % solid` : `× ${Number(point[1].toFixed(2))}`; }

  /** Move the chosen point. @param {number} share @param {number} value */
  move(share, value) {
    const place = this.chosen;
    const low = place ? this.points[place - 1][0] + APART : 0;
    const high = place < this.points.length - 1 ? this.points[place + 1][0] - APART : 1;
    const point = [...this.points[place]];
    point[0] = Number(clamp(share, low, Math.max(low, high)).toFixed(3));
    point[this.row] = Number(clamp(value, 0, this.colour ? 1 : 1000).toFixed(3));
    this.points[place] = point;
    this.draw();
  }

  /** A point more, on the curve as it was. @param {number} share @param {number} value @returns {boolean} */
  add(share, value) {
    if (this.points.length >= MOST || this.points.some((point) => Math.abs(point[0] - share) < APART)) return false;
    const after = this.points.findIndex((point) => point[0] > share);
    const place = after < 0 ? this.points.length : after;
    const point = [...this.points[Math.min(place, this.points.length - 1)]];
    [point[0], point[this.row]] = [Number(share.toFixed(3)), Number(value.toFixed(3))];
    this.points.splice(place, 0, point);
    this.chosen = place;
    this.draw();
    return true;
  }

  /** @returns {boolean} */
  remove() {
    if (this.points.length < 2) return false;
    this.points.splice(this.chosen, 1);
    this.chosen = Math.max(0, this.chosen - 1);
    this.draw();
    return true;
  }

  /** What keys do to the chosen point. @param {number} fine @returns {Record<string, () => boolean | void>} */
  keys(fine) {
    const [share, value] = [this.points[this.chosen][0], this.points[this.chosen][this.row]];
    const after = this.points[this.chosen + 1]?.[0] ?? 1;
    return {
      ArrowLeft: () => this.move(share - 0.02 * fine, value), ArrowRight: () => this.move(share + 0.02 * fine, value),
      ArrowUp: () => this.move(share, value + 0.05 * fine), ArrowDown: () => this.move(share, value - 0.05 * fine),
      Insert: () => this.add((share + after) / 2, value), Delete: () => this.remove(),
    };
  }

  /** @returns {import("lazzik/lib/types.d.ts").Edit[]} */
  get edits() {
    return [/** @type {any} */ ({ do: "change-emitter", node: this.root.dataset.node, [this.name]: this.points })];
  }
}

/** @param {Point} point of a colour */
const hex = (point) => `#${[1, 2, 3].map((k) => Math.round(255 * (point[k] ?? 0)).toString(16).padStart(2, "0")).join("")}`;

/** Show all curves as the page carries them. */
export function drawOverLife() {
  for (const root of all("[data-over-life]")) new Field(root).draw();
}

/** Begin to listen to the curves of a part of the page. @param {HTMLElement} work */
export function listenToOverLife(work) {
  /** @param {Event} event */
  const fieldOf = (event) => {
    const root = over(event, "[data-over-life]");
    return root && new Field(root);
  };
  /** @param {Field} field */
  const store = async (field) => {
    const change = new Change();
    change.to(field.edits);
    await change.land();
  };

  work.addEventListener("pointerdown", (event) => {
    const field = fieldOf(event);
    const point = over(event, "circle[data-place]", SVGCircleElement);
    if (!field || !point || event.button) return;
    field.chosen = Number(point.dataset.place);
    field.draw();
    maybe(`[data-place="${field.chosen}"]`, field.root, SVGCircleElement)?.focus();
    const change = new Change();
    follow(event, {
      move: (_dx, _dy, next) => { field.move(...field.under(next.clientX, next.clientY)); change.to(field.edits); },
      done: () => change.land(),
      gaveUp: async () => { await change.giveUp(); drawOverLife(); },
    });
  });
  work.addEventListener("dblclick", (event) => {
    const field = fieldOf(event);
    if (!field || !over(event, "svg", SVGSVGElement)) return;
    const point = over(event, "circle[data-place]", SVGCircleElement);
    if (point) field.chosen = Number(point.dataset.place);
    if (point ? field.remove() : field.add(...field.under(event.clientX, event.clientY))) store(field);
  });
  work.addEventListener("keydown", async (event) => {
    const field = fieldOf(event);
    const point = over(event, "circle[data-place]", SVGCircleElement);
    if (!field || !point) return;
    field.chosen = Number(point.dataset.place);
    const did = field.keys(event.shiftKey ? 0.2 : 1)[event.key];
    if (!did) return;
    event.preventDefault();
    event.stopPropagation();
    if (did() !== false) await store(field);
  });
  work.addEventListener("change", (event) => {
    const field = fieldOf(event);
    const swatch = over(event, "input[type=color]", HTMLInputElement);
    if (!field || !swatch) return;
    const point = [...field.points[field.chosen]];
    [1, 2, 3].forEach((k) => { point[k] = Number((parseInt(swatch.value.slice(2 * k - 1, 2 * k + 1), 16) / 255).toFixed(4)); });
    field.points[field.chosen] = point;
    swatch.blur(); // so that the next keys are the studio's
    field.draw();
    store(field);
  });
}
