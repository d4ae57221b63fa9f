// Number controls: a slider and fields that preview while they move and land as one step.

import { all, element, maybe, one, over } from "lazzik/lib/dom.js";
import { follow } from "lazzik/lib/drag.js";
import { guard } from "lazzik/lib/guard.js";
import { clamp } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { autoKeys } from "lazzik/stage/gizmo.js";
import { Change } from "lazzik/studio/change.js";
import { commit } from "lazzik/studio/history.js";
import { asTyped, ownValue, paintCycle, shownValue } from "./cycles.js";

/** @import { ChangeDeformer, Edit, SetPivot } from "lazzik/lib/types.d.ts" */

/**
 * A number's new value, as a key at the frame where it has keys or they are put by themselves.
 * @param {HTMLElement} knob
 * @param {number | string} value
 * @returns {Edit}
 */
export function numberEdit(knob, value) {
  const { keyed, address = "" } = knob.dataset;
  if (keyed === "true" || autoKeys()) return { do: "put-key", address, frame: store.frame, value };
  return { do: "set", address, value };
}

/** The exact field of a number. @param {Element} knob */
const typedField = (knob) => one("input.num", knob, HTMLInputElement);

/** @param {HTMLInputElement} range */
const paint = (range) => {
  const [low, high] = [Number(range.min), Number(range.max)];
  range.style.setProperty("--part", String(clamp((Number(range.value) - low) / (high - low), 0, 1)));
};

/** Sliders as their fields say. */
export function paintSliders() {
  for (const range of all(".knob input[type=range]", document, HTMLInputElement)) {
    const knob = /** @type {HTMLElement} */ (range.closest(".knob"));
    paintCycle(knob);
    const value = knob.dataset.cycle ? String(ownValue(knob)) : typedField(knob).value;
    if (document.activeElement !== range) range.value = value || knob.dataset.open || "0";
    paint(range);
  }
}

/**
 * Say what was wrong beside the control itself; '' that nothing is.
 * @param {HTMLElement} knob
 * @param {string} sentence
 */
export function wrong(knob, sentence) {
  knob.classList.toggle("wrong", Boolean(sentence));
  const control = knob.querySelector("input.num, select");
  control?.setAttribute("aria-invalid", String(Boolean(sentence)));
  const own = knob.querySelector(".formula-said"); // a formula is checked while it is typed, and has a line for that
  let said = (own ?? knob).querySelector(".field-error");
  if (!sentence) {
    if (!own) said?.remove();
    return;
  }
  if (!said) {
    said = element("p", { className: "field-error", role: "alert", id: `wrong-${control?.id ?? ""}` });
    (own ?? knob).append(said);
    control?.setAttribute("aria-describedby", said.id);
  }
  said.textContent = sentence;
}

/**
 * Where something acts: 'ball', or a kind and what it is made from, as in 'weights:<asset>'.
 * @param {string} value
 * @returns {ChangeDeformer["mask"]}
 */
function maskOf(value) {
  const [kind, asset] = value.split(":");
  return /** @type {ChangeDeformer["mask"]} */ (value ? { kind, ...(asset && { asset }) } : null);
}

/**
 * What a control's value is written as: an empty slug is none, an empty length nothing.
 * @param {string} value
 * @param {string | undefined} takes
 */
function written(value, takes) {
  if (takes === "number") return Number(value);
  if (takes === "truth") return value === "true";
  const empty = value.trim() === "";
  if (takes === "slug") return empty ? null : value;
  if (takes === "kind") return empty ? null : { kind: value };
  return takes === "length" && empty ? 0 : value;
}

/**
 * The edit that a control carries, with its value in it.
 * @param {DOMStringMap} data
 * @param {string} value
 * @returns {Edit}
 */
export function carried({ edit = "", into = "", takes }, value) {
  const made = JSON.parse(edit);
  const way = into.split(".");
  const last = way.pop() ?? "";
  const part = way.reduce((inner, name) => (inner[name] ??= {}), made);
  part[last] = written(value, takes);
  return made;
}

/**
 * The edit that a typed field stands for, or null if it stands as it was.
 * @param {HTMLElement} knob
 * @param {string} value
 * @returns {Edit | null}
 */
function typedEdit(knob, value) {
  const { deformer = "", stay = "", open, edit } = knob.dataset;
  if (edit) return carried(knob.dataset, value);
  const node = maybe("#form")?.dataset.node ?? "";
  if ("mask" in knob.dataset) return { do: "change-deformer", node, deformer, mask: maskOf(value) };
  const pivot = { do: /** @type {const} */ ("set-pivot"), node, stay: /** @type {SetPivot["stay"]} */ (stay) };
  if ("pivot" in knob.dataset) return value ? { ...pivot, box: /** @type {SetPivot["box"]} */ (value) } : null;
  if (knob.dataset.pivotAxis) {
    /** @type {[number, number, number]} */
    const point = [0, 0, 0];
    point[Number(knob.dataset.pivotAxis)] = Number(value) - Number(one("input", knob, HTMLInputElement).defaultValue);
    return { ...pivot, point };
  }
  return numberEdit(knob, value.trim() === "" && open !== undefined ? open : asTyped(knob, value));
}

const SPECIAL = /^pick$|^(picture|painted|surface) …$|^weights$|^picture$/; // choices that need more than a value

/** What is done to the knobs of a part of the page. */
class Knobs {
  /** @type {Change | null} */
  change = null;
  /** @type {HTMLInputElement | null} the slider that Escape gave back: what the pointer still does with it counts no more */
  given = null;

  /** @param {HTMLElement} root */
  constructor(root) {
    root.addEventListener("keydown", (event) => this.giveBack(event));
    document.addEventListener("pointerup", () => setTimeout(() => { this.given = null; }), true);
    root.addEventListener("input", (event) => this.slide(event));
    root.addEventListener("change", (event) => this.take(event));
    root.addEventListener("keydown", (event) => this.step(event));
    root.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow") && over(event, ".knob input.num")) this.finish(); });
    dragSideways(root, (knob) => this.begin(knob), () => this.taken());
  }

  /** @param {HTMLElement} knob */
  begin(knob) { return (this.change ??= new Change((sentence) => wrong(knob, sentence))); }

  taken() {
    const { change } = this;
    this.change = null;
    return change;
  }

  async finish() { await this.taken()?.land(); }

  /** Escape gives a slider back while it is dragged. @param {KeyboardEvent} event */
  async giveBack(event) {
    const range = over(event, ".knob input[type=range]", HTMLInputElement);
    const knob = over(event, ".knob");
    if (event.key !== "Escape" || !range || !knob || !this.change) return;
    event.preventDefault();
    event.stopPropagation();
    this.given = range;
    const field = typedField(knob);
    field.value = field.defaultValue;
    await this.taken()?.giveUp();
    paintSliders();
  }

  /** @param {Event} event */
  slide(event) {
    const range = over(event, ".knob input[type=range]", HTMLInputElement);
    const knob = over(event, ".knob");
    if (!range || !knob || range === this.given) return;
    typedField(knob).value = shownValue(knob, Number(range.value));
    paint(range);
    this.begin(knob).to([numberEdit(knob, Number(range.value))]);
  }

  /** @param {Event} event */
  async take(event) {
    const knob = over(event, ".knob");
    const control = event.target;
    if (!knob || over(event, "#key-form, #key-table")) return;
    if (!(control instanceof HTMLInputElement || control instanceof HTMLSelectElement)) return;
    if (control === this.given) return paintSliders();
    if (control.type === "range") return this.finish();
    if (control instanceof HTMLInputElement && control.value === control.defaultValue) return wrong(knob, "");
    if (SPECIAL.test(control.value)) {
      knob.dispatchEvent(new CustomEvent("special", { bubbles: true, detail: control.value }));
      return;
    }
    const edit = typedEdit(knob, control.value);
    if (!edit) return;
    await guard(async () => {
      if (await commit([edit], { quiet: true })) wrong(knob, "");
    }, (sentence) => wrong(knob, sentence));
  }

  /** Keys of a field: taken, given up, or a step up and down. @param {KeyboardEvent} event */
  step(event) {
    const field = over(event, ".knob input.num", HTMLInputElement);
    const knob = over(event, ".knob");
    if (!field || !knob || over(event, "#key-form")) return;
    if (event.key === "Enter") field.blur();
    if (event.key === "Escape") { field.value = field.defaultValue; wrong(knob, ""); field.blur(); }
    if ((event.key !== "ArrowUp" && event.key !== "ArrowDown") || !knob.dataset.address) return;
    event.preventDefault();
    const fine = Number(maybe("input[type=range]", knob, HTMLInputElement)?.step ?? 0.05);
    const by = fine * (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
    const value = Number((Number(field.value) + by).toFixed(6));
    if (!Number.isFinite(value)) return;
    field.value = String(value);
    this.begin(knob).to([numberEdit(knob, asTyped(knob, field.value))]);
  }
}

/** @param {HTMLElement} root */
export const listenToKnobs = (root) => new Knobs(root);

/**
 * A field without a slider is dragged sideways.
 * @param {HTMLElement} root
 * @param {(knob: HTMLElement) => Change} begin
 * @param {() => Change | null} taken the change that was begun, which is nobody's then
 */
function dragSideways(root, begin, taken) {
  root.addEventListener("pointerdown", (event) => {
    const field = over(event, ".knob.weight input, .knob.base-value input", HTMLInputElement);
    const knob = over(event, ".knob");
    if (!field || !knob || document.activeElement === field) return;
    const from = Number(field.value);
    const scale = knob.classList.contains("weight") ? 0.01 : store.facts.step;
    follow(event, {
      move: (dx) => {
        const value = Number((from + dx * scale).toFixed(6));
        field.value = String(value);
        begin(knob).to([numberEdit(knob, value)]);
      },
      done: (moved) => { if (moved) taken()?.land(); else { field.focus(); field.select(); } },
      gaveUp: () => { field.value = String(from); taken()?.giveUp(); },
    });
  });
}
