// The feel pad: how far and how fast in one square, from calm (left) to nervous (right).

import { element, maybe, one, put, shape } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { clamp } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { Change } from "lazzik/studio/change.js";
import { ownValue } from "./cycles.js";
import { numberEdit } from "./knobs.js";

const SIZE = 200;
const STEP = 0.02; // of the square's side for an arrow key
/** @type {Record<string, [number, number]>} */
const ARROWS = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, STEP], ArrowDown: [0, -STEP] };

/** @param {number} share */
const within = (share) => clamp(share, 0, 1);

/**
 * A number of the layer with the scale of its slider.
 * @param {string} address
 */
function number(address) {
  const knob = one(`#strip .knob[data-address="${CSS.escape(address)}"]`);
  const range = one("input[type=range]", knob, HTMLInputElement);
  return {
    knob, low: Number(range.min), high: Number(range.max),
    unit: knob.dataset.cycle ?? one(".with-unit span", knob).textContent, value: ownValue(knob),
  };
}

/**
 * Between share 0 (calm) and 1 (nervous) of a period or a frequency: both are felt by ratio.
 * @param {{ low: number, high: number, unit: string | null }} number
 */
function pacing({ low, high, unit }) {
  const slow = unit === "s"; // a period is longer the calmer, a frequency lower
  const least = Math.max(low, high / 80);
  const ratio = high / least;
  return {
    rate: (/** @type {number} */ share) => least * ratio ** (slow ? 1 - share : share),
    place: (/** @type {number} */ value) => {
      const share = Math.log(Math.max(value, least) / least) / Math.log(ratio);
      return slow ? 1 - share : share;
    },
  };
}

/**
 * The square with its dot.
 * @param {string} reach what is more above
 */
function square(reach) {
  const dot = shape("circle", { class: "dot", r: 7 });
  const lines = [0.25, 0.5, 0.75].map((share) => shape("path", { class: "grid", d: `M${share * SIZE} 0V${SIZE}M0 ${share * SIZE}H${SIZE}` }));
  const label = `Drag sideways from calm to nervous, upward for more ${reach}. Arrow keys work too.`;
  const svg = shape("svg", { viewBox: `0 0 ${SIZE} ${SIZE}`, tabindex: 0, role: "application", "aria-label": label }, ...lines,
    shape("path", { class: "calm", d: `M8 ${SIZE - 10}q22-26 44 0t44 0` }),
    shape("path", { class: "nervous", d: `M${SIZE - 62} 22l5-14 6 20 6-22 6 24 6-22 6 20 5-10` }), dot);
  return { svg, dot };
}

class FeelPad {
  /** @type {Change | null} */
  change = null;
  closing = new AbortController();
  x = 0;
  y = 0;

  /**
   * @param {HTMLElement} button that opened it
   * @param {[pace: string, reach: string]} names of its numbers
   * @param {ReturnType<typeof number>} along
   * @param {ReturnType<typeof number>} up
   */
  constructor(button, names, along, up) {
    this.button = button;
    this.names = names;
    this.along = along;
    this.up = up;
    this.pacing = pacing(along);
    this.square = square(names[1]);
    this.said = element("p", { className: "num" });
    this.box = element("div", { className: "feel" }, this.square.svg, this.said);
    this.x = within(this.pacing.place(along.value));
    this.y = within((up.value - up.low) / (up.high - up.low));
    this.show();
    this.listen();
  }

  // over the stage, so that the curves stay in sight
  show() {
    const { box } = this;
    box.setAttribute("role", "dialog");
    box.setAttribute("aria-label", "Feel pad");
    document.body.append(box);
    const lanes = one("#strata").getBoundingClientRect();
    box.style.left = `${lanes.left + 12}px`;
    box.style.top = `${Math.max(50, lanes.top - box.offsetHeight - 44)}px`;
    this.draw();
    this.square.svg.focus();
  }

  listen() {
    const { svg } = this.square;
    svg.addEventListener("pointerdown", (event) => this.drag(event));
    svg.addEventListener("keydown", (event) => this.step(event));
    svg.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow")) this.land(); });
    const { signal } = this.closing;
    document.addEventListener("pointerdown", (event) => {
      if (!this.box.contains(/** @type {Node} */ (event.target))) this.close();
    }, { capture: true, signal });
    document.addEventListener("keydown", (event) => {
      if (event.key === "Escape" && !document.body.classList.contains("dragging")) this.close();
    }, { signal });
  }

  close() {
    this.closing.abort();
    this.box.remove();
    this.button.focus();
  }

  get values() {
    const { up } = this;
    return [Number(this.pacing.rate(this.x).toPrecision(3)), Number((up.low + this.y * (up.high - up.low)).toPrecision(3))];
  }

  draw() {
    put(this.square.dot, { cx: this.x * SIZE, cy: (1 - this.y) * SIZE });
    const [fast, far] = this.values;
    const [pace, reach] = this.names;
    this.said.textContent = `${reach} ${far}${this.up.unit} · ${pace} ${fast}${this.along.unit}`;
  }

  /** @param {number} x @param {number} y */
  moveTo(x, y) {
    [this.x, this.y] = [within(x), within(y)];
    this.draw();
    const [fast, far] = this.values;
    (this.change ??= new Change()).to([numberEdit(this.along.knob, fast), numberEdit(this.up.knob, far)]);
  }

  taken() {
    const { change } = this;
    this.change = null;
    return change;
  }

  async land() { await this.taken()?.land(); }

  /** @param {PointerEvent} event */
  drag(event) {
    const { svg } = this.square;
    const frame = svg.getBoundingClientRect();
    const aim = (/** @type {PointerEvent} */ at) => this.moveTo((at.clientX - frame.left) / frame.width, 1 - (at.clientY - frame.top) / frame.height);
    const before = [this.x, this.y];
    svg.focus();
    aim(event);
    follow(event, {
      move: (_dx, _dy, next) => aim(next),
      done: () => this.land(),
      gaveUp: async () => { [this.x, this.y] = before; this.draw(); await this.taken()?.giveUp(); },
    });
  }

  /** @param {KeyboardEvent} event */
  step(event) {
    const by = ARROWS[event.key];
    if (event.key === "Escape") { event.stopPropagation(); return this.close(); }
    if (!by) return;
    event.preventDefault();
    this.moveTo(this.x + by[0], this.y + by[1]);
  }
}

/** @param {HTMLElement} button of the layer */
export function openFeel(button) {
  maybe(".feel")?.remove();
  const address = button.dataset.feel;
  const feel = store.facts.lanes.find((lane) => lane.address === address)?.feel;
  if (feel) new FeelPad(button, feel, number(`${address}.${feel[0]}`), number(`${address}.${feel[1]}`));
}
