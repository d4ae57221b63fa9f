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

/** @param {HTMLElement} button of the layer */
export function openFeel(button) {
  maybe(".feel")?.remove();
  const address = button.dataset.feel;
  const feel = store.facts.lanes.find((lane) => lane.address === address)?.feel;
  if (!feel) return;
  const [pace, reach] = feel;
  const [along, up] = [number(`${address}.${pace}`), number(`${address}.${reach}`)];
  const { rate, place } = pacing(along);

  const { svg, dot } = square(reach);
  const said = element("p", { className: "num" });
  const box = element("div", { className: "feel" }, svg, said);
  box.setAttribute("role", "dialog");
  box.setAttribute("aria-label", "Feel pad");
  document.body.append(box);
  // over the stage, so that the curves stay in sight
  const lanes = one("#strata").getBoundingClientRect();
  box.style.left = `${lanes.left + 12}px`;
  box.style.top = `${Math.max(50, lanes.top - box.offsetHeight - 44)}px`;

  let [x, y] = [within(place(along.value)), within((up.value - up.low) / (up.high - up.low))];
  const values = () => [Number(rate(x).toPrecision(3)), Number((up.low + y * (up.high - up.low)).toPrecision(3))];
  const draw = () => {
    put(dot, { cx: x * SIZE, cy: (1 - y) * SIZE });
    const [fast, far] = values();
    said.textContent = `${reach} ${far}${up.unit} · ${pace} ${fast}${along.unit}`;
  };
  /** @type {Change | null} */
  let change = null;
  const moveTo = (/** @type {number} */ nx, /** @type {number} */ ny) => {
    [x, y] = [within(nx), within(ny)];
    draw();
    const [fast, far] = values();
    (change ??= new Change()).to([numberEdit(along.knob, fast), numberEdit(up.knob, far)]);
  };
  const taken = () => { const given = change; change = null; return given; };
  const land = async () => { await taken()?.land(); };
  draw();

  svg.addEventListener("pointerdown", (event) => {
    const frame = svg.getBoundingClientRect();
    const aim = (/** @type {PointerEvent} */ at) => moveTo((at.clientX - frame.left) / frame.width, 1 - (at.clientY - frame.top) / frame.height);
    const before = [x, y];
    svg.focus();
    aim(event);
    follow(event, {
      move: (_dx, _dy, next) => aim(next),
      done: land,
      gaveUp: async () => { [x, y] = before; draw(); await taken()?.giveUp(); },
    });
  });
  svg.addEventListener("keydown", (event) => {
    const by = ARROWS[event.key];
    if (event.key === "Escape") { event.stopPropagation(); return close(); }
    if (!by) return;
    event.preventDefault();
    moveTo(x + by[0], y + by[1]);
  });
  svg.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow")) land(); });
  const close = () => {
    box.remove();
    document.removeEventListener("pointerdown", outside, true);
    document.removeEventListener("keydown", escape);
    button.focus();
  };
  const outside = (/** @type {Event} */ event) => { if (!box.contains(/** @type {Node} */ (event.target))) close(); };
  const escape = (/** @type {KeyboardEvent} */ event) => { if (event.key === "Escape" && !document.body.classList.contains("dragging")) close(); };
  document.addEventListener("pointerdown", outside, true);
  document.addEventListener("keydown", escape);
  svg.focus();
}
