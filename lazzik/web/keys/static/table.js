// The table beside the desk's curve: the keys of the shown number, each field of them to be typed in.

import { all, element, maybe, one } from "lazzik/lib/dom.js";
import { store } from "lazzik/lib/store.js";
import { chosenKeys, deskOpen } from "./chosen.js";

/** @import { KeyFacts } from "lazzik/lib/types.d.ts" */

const MOST_ROWS = 500;
/** @type {Record<KeyFacts["go"], string>} */
const WAYS = { cubic: "curve", linear: "line", step: "step" };
const EMPTY = "No keys yet. Double-click the curve, or press K at the playhead.";

/** A slope as it is typed. @param {KeyFacts["slope_in"]} slope */
export const shownSlope = (slope) => (slope === null ? "" : slope === "straight" ? "straight" : String(Number(slope.toFixed(6))));

/** @param {...HTMLElement} children */
function cell(...children) {
  const item = element("span", {}, ...children);
  item.setAttribute("role", "cell");
  return item;
}

/** @param {KeyFacts} key @param {string} name @param {string} text @param {string} label */
function typedCell(key, name, text, label) {
  const input = element("input", { name, value: text, defaultValue: text, placeholder: "auto", autocomplete: "off", className: "num", inputMode: "decimal" });
  input.setAttribute("aria-label", `${label} of the key at ${key.frame}`);
  return cell(input);
}

/** @param {KeyFacts} key */
function wayCell(key) {
  const go = element("select", { name: "go" });
  go.setAttribute("aria-label", `How the curve goes on from the key at ${key.frame}`);
  for (const [way, word] of Object.entries(WAYS)) go.append(new Option(word, way, way === key.go, way === key.go));
  return cell(go);
}

/** @param {KeyFacts} key @param {boolean} chosen */
function rowOf(key, chosen) {
  const row = element("div", { className: `key-row${chosen ? " chosen" : ""}` },
    typedCell(key, "frame", String(Number(key.frame.toFixed(4))), "Frame"), typedCell(key, "value", String(Number(key.value.toPrecision(7))), "Value"),
    typedCell(key, "slope_in", shownSlope(key.slope_in), "Slope in"), typedCell(key, "slope_out", shownSlope(key.slope_out), "Slope out"), wayCell(key));
  row.setAttribute("role", "row");
  row.dataset.frame = String(key.frame);
  return row;
}

export class Table {
  /** @type {KeyFacts[] | null} the keys that it shows */
  listed = null;

  fill() {
    const table = maybe("#key-table");
    const [track] = store.facts.tracks;
    if (!table || !track || !deskOpen()) return;
    const active = document.activeElement instanceof HTMLElement ? document.activeElement : null;
    const held = active?.closest("#key-table [data-frame]");
    const picked = new Set(chosenKeys().filter((pair) => pair.track === track).map((pair) => pair.key));
    const inSight = () => table.querySelector(".key-row.chosen")?.scrollIntoView({ block: "nearest" });
    if (track.keys === this.listed) {
      for (const [i, row] of all(".key-row[data-frame]", table).entries()) row.classList.toggle("chosen", picked.has(track.keys[i]));
      if (!held) inSight();
      return;
    }
    this.listed = track.keys;
    const back = held instanceof HTMLElement ? `[data-frame="${held.dataset.frame}"] [name=${active?.getAttribute("name")}]` : null;
    const rows = track.keys.slice(0, MOST_ROWS).map((key) => rowOf(key, picked.has(key)));
    const more = track.keys.length - MOST_ROWS;
    const note = more > 0 ? `and ${more} more; thin them out, or choose some on the curve` : rows.length ? "" : EMPTY;
    one(".key-rows", table).replaceChildren(...rows, ...(note ? [element("p", { className: "faint", textContent: note })] : []));
    if (back) maybe(back, table)?.focus();
    else inSight();
  }
}
