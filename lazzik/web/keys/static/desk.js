// The key desk: the base alone and large, with exact numbers, a table of the keys, and what is done to many at once.

import { act, pressed } from "lazzik/lib/actions.js";
import { all, field, maybe, one, over } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { near } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { commit } from "lazzik/studio/history.js";
import { channelAddress, chooseAt, chooseKeys, chosenKeys, commitKeys, deskOpen, editsOn } from "./chosen.js";
import { shownSlope, Table } from "./table.js";

/** @import { Edit, KeyFacts, ScaleKeys, ShapeKeys, SmoothKeys, SnapKeys, ThinKeys, TrackFacts } from "lazzik/lib/types.d.ts" */
/** @import { Strata } from "lazzik/stack/strata.js" */
/** @import { Pair } from "./chosen.js" */

const KEPT = "lazzik-desk";
const FIELDS = ["frame", "value", "slope_in", "slope_out", "go"];
const SMOOTHING = 0.5;

/** @returns {HTMLFormElement | null} */
const form = () => maybe("#key-form", document, HTMLFormElement);

/** What was wrong, at the form; '' that nothing is. @param {string} sentence */
const say = (sentence) => { one("#key-form .field-error").textContent = sentence; };

/**
 * What was typed about one key, as an edit.
 * @param {Pair} pair
 * @param {string} name of the field
 * @param {string} text
 * @returns {Edit}
 */
function typed({ track, key }, name, text) {
  const keys = { address: track.channel, frames: [key.frame] };
  if (name === "frame" || name === "value") return { do: "move-keys", ...keys, [name]: text };
  if (name === "go") return { do: "shape-keys", ...keys, go: /** @type {ShapeKeys["go"]} */ (text) };
  const side = /** @type {ShapeKeys["side"]} */ (name.slice("slope_".length));
  return { do: "shape-keys", ...keys, slope: text === "" ? "auto" : text, side };
}

/**
 * Type something about keys; the one that was moved is chosen where it lands.
 * @param {Pair[]} pairs
 * @param {string} name
 * @param {string} text
 */
async function put(pairs, name, text) {
  say("");
  const before = new Set(store.facts.tracks[0].keys.map((key) => key.frame));
  await guard(async () => {
    if (!(await commit(pairs.map((pair) => typed(pair, name, text)), { quiet: true }))) return;
    if (name !== "frame" || pairs.length !== 1) return;
    const landed = store.facts.tracks[0].keys.find((key) => !before.has(key.frame));
    if (landed) await chooseAt(landed.frame);
  }, say);
}

/**
 * The value about which chosen keys of a number are made higher.
 * @param {string} which
 * @param {number[]} values
 */
function levelOf(which, values) {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  return { lowest: low, highest: high, middle: (low + high) / 2 }[which] ?? 0;
}

/** Move and scale by exact numbers. */
async function transform() {
  const strip = form();
  const picked = chosenKeys();
  if (!strip || !picked.length) return;
  const read = (/** @type {string} */ name, /** @type {string} */ none) => field(strip, name).value.trim() || none;
  const frames = picked.map(({ key }) => key.frame);
  const frame = { first: Math.min(...frames), last: Math.max(...frames) }[field(strip, "about").value] ?? store.frame;
  const amounts = { stretch: read("stretch", "1"), height: read("height", "1"), by: read("by", "0"), rise: read("rise", "0") };
  const edits = editsOn((track) => {
    const values = picked.filter((pair) => pair.track === track).map(({ key }) => key.value);
    const value = levelOf(field(strip, "level").value, values);
    return { do: /** @type {ScaleKeys["do"]} */ ("scale-keys"), frame, value, ...amounts, snap: field(strip, "snap").checked };
  });
  say("");
  await guard(async () => {
    const before = new Map(store.facts.tracks.map((track) => [track.channel, new Set(track.keys.map((key) => key.frame))]));
    if (!(await commit(edits, { quiet: true }))) return;
    const isNew = (/** @type {TrackFacts} */ track, /** @type {KeyFacts} */ key) => !before.get(track.channel)?.has(key.frame);
    const landed = store.facts.tracks.flatMap((track) => track.keys.filter((key) => isNew(track, key)).map((key) => ({ track, key })));
    if (landed.length) await chooseKeys(landed);
    for (const name of Object.keys(amounts)) field(strip, name).value = "";
  }, say);
}

/** Leave out what a curve can do without. */
async function thin() {
  const strip = form();
  if (!strip) return;
  const before = chosenKeys().length;
  await guard(async () => {
    say("");
    await commit(editsOn({ do: /** @type {ThinKeys["do"]} */ ("thin-keys"), tolerance: field(strip, "tolerance").value }), { quiet: true });
    one("#keys-chosen").textContent = `${before} became ${chosenKeys().length || "fewer"}`;
  }, say);
}

// what chosen keys have in common, in the form's fields
function fillForm() {
  const strip = form();
  if (!strip) return;
  const picked = chosenKeys();
  const appears = strip.hidden && picked.length > 0;
  strip.hidden = !picked.length && !deskOpen();
  if (appears && !deskOpen()) strip.scrollIntoView({ block: "nearest" });
  for (const part of all("[data-needs]", strip)) part.toggleAttribute("disabled", picked.length < Number(part.dataset.needs));
  one("#keys-chosen").textContent = picked.length ? `${picked.length} chosen` : "none chosen";
  if (strip.contains(document.activeElement) && document.activeElement?.matches("input:not([readonly])")) return;
  /** @type {<T>(read: (key: KeyFacts) => T) => T | undefined} */
  const alike = (read) => {
    const [first, ...others] = picked.map(({ key }) => read(key));
    return others.every((other) => other === first) ? first : undefined;
  };
  const show = (/** @type {string} */ name, /** @type {string} */ text) => {
    const input = field(strip, name);
    input.value = input.defaultValue = text;
    input.placeholder = picked.length > 1 && text === "" ? "various" : "auto";
  };
  const exact = (/** @type {number | undefined} */ value) => (value === undefined ? "" : String(Number(value.toFixed(6))));
  show("frame", exact(alike((key) => key.frame)));
  show("value", exact(alike((key) => key.value)));
  show("slope_in", shownSlope(alike((key) => key.slope_in) ?? null));
  show("slope_out", shownSlope(alike((key) => key.slope_out) ?? null));
  field(strip, "go").value = alike((key) => key.go) ?? "";
  field(strip, "before").value = store.facts.tracks[0]?.before ?? "hold";
  field(strip, "after").value = store.facts.tracks[0]?.after ?? "hold";
}

/** @param {Event} event @param {string} place @returns {Pair | null} the key of the shown number that a row is of */
function rowPair(event, place = "#key-table [data-frame]") {
  const row = over(event, place);
  const [track] = store.facts.tracks;
  const key = row && track?.keys.find((each) => near(each.frame, Number(row.dataset.frame)));
  return key ? { track, key } : null;
}

export class Desk {
  table = new Table();

  /**
   * @param {HTMLElement} root
   * @param {Strata} strata
   */
  constructor(root, strata) {
    this.root = root;
    this.strata = strata;
    root.addEventListener("change", (event) => this.change(event));
    root.addEventListener("focusin", (event) => {
      const pair = rowPair(event, "#key-table [data-frame]:not(.chosen)");
      if (pair) chooseKeys([pair]);
    });
    root.addEventListener("keydown", (event) => {
      const input = over(event, "#key-form input, #key-table input", HTMLInputElement);
      if (!input || !["Enter", "Escape"].includes(event.key)) return;
      event.preventDefault();
      if (event.key === "Escape") input.value = input.defaultValue;
      if (event.key === "Enter" && over(event, "[data-transform]")) transform();
      else input.blur();
    });
    store.subscribe("selection", () => this.show());
    this.offer();
  }

  offer() {
    const slope = (/** @type {HTMLElement | null} */ button) => /** @type {ShapeKeys["slope"]} */ (button?.dataset.slope);
    act(
      { name: "desk", keys: ["E"], run: () => this.toggle(), label: "Open or close the key desk" },
      { name: "slope-keys", run: (button) => commitKeys(editsOn({ do: /** @type {ShapeKeys["do"]} */ ("shape-keys"), slope: slope(button) })) },
      { name: "snap-keys", run: () => commitKeys(editsOn({ do: /** @type {SnapKeys["do"]} */ ("snap-keys") }), Math.round) },
      { name: "smooth-keys", run: () => commitKeys(editsOn({ do: /** @type {SmoothKeys["do"]} */ ("smooth-keys"), amount: SMOOTHING })) },
      { name: "transform-keys", run: transform },
      { name: "thin-keys", run: thin },
    );
  }

  /** @param {Event} event */
  change(event) {
    const control = event.target;
    if (!(control instanceof HTMLInputElement || control instanceof HTMLSelectElement)) return;
    const { name, value } = control;
    if (control instanceof HTMLInputElement && FIELDS.includes(name) && value === control.defaultValue) return;
    const pair = rowPair(event);
    if (pair) return void put([pair], name, value.trim());
    if (!over(event, "#key-form")) return;
    if (name === "before" || name === "after") commit([{ do: "beyond", address: channelAddress(), [name]: value }]);
    else if (FIELDS.includes(name) && (value.trim() !== "" || name.startsWith("slope"))) put(chosenKeys(), name, value.trim());
  }

  show() {
    fillForm();
    this.table.fill();
  }

  toggle(on = !deskOpen()) {
    this.root.classList.toggle("desk", on);
    sessionStorage.setItem(KEPT, on ? "open" : "");
    pressed("desk", on);
    this.show(); // first: the strip takes room from the curve
    this.strata.draw();
  }

  // whether it was open when the page was left
  wanted() { return sessionStorage.getItem(KEPT) === "open"; }
}
