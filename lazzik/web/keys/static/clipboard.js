// Layers, whole stacks and keys copied and pasted, also onto other numbers and into another scene.

import { text } from "lazzik/lib/api.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { chosenNodes } from "lazzik/studio/choice.js";
import { commit } from "lazzik/studio/history.js";
import { chosenKeys, deskOpen } from "./chosen.js";

/** @import { Edit, Key, PutLayers, ShapeFacts } from "lazzik/lib/types.d.ts" */
/** @import { Pair } from "./chosen.js" */

/** @typedef {{ channel: string, keys: Key[], after: number }} Row copied keys of a number; the first is so late after all others */

const PLACE = "lazzik-copied";

/** @param {Pair[]} picked */
function copyKeys(picked) {
  /** @type {Map<string, Key[]>} */
  const rows = new Map();
  for (const { track, key: { settled: _, ...key } } of picked) rows.set(track.channel, [...(rows.get(track.channel) ?? []), key]);
  const first = Math.min(...picked.map(({ key }) => key.frame));
  const keys = [...rows].map(([channel, row]) => ({ channel, keys: row, after: row[0].frame - first }));
  localStorage.setItem(PLACE, JSON.stringify({ keys }));
  toast(`${picked.length} key${picked.length === 1 ? "" : "s"} copied. Paste puts them at the playhead.`);
}

/**
 * Each copied row goes back onto its own number where that is shown; a single row goes onto every shown one.
 * @param {Row[]} rows
 */
function pasteKeys(rows) {
  const shown = store.facts.tracks.map((track) => track.channel);
  const own = rows.filter((row) => shown.includes(row.channel));
  /** @type {[channel: string, row: Row][]} */
  const pairs = rows.length === 1 ? shown.map((channel) => [channel, rows[0]])
    : own.length ? own.map((row) => [row.channel, row]) : rows.slice(0, shown.length).map((row, i) => [shown[i], row]);
  /** @type {Edit[]} */
  const edits = pairs.map(([address, { keys, after }]) => ({ do: "paste-keys", address, keys, frame: store.frame + after }));
  return commit(edits);
}

/** @param {ShapeFacts} shape @param {boolean} whole all of the object's rather than the open one */
async function copyDeformers({ node, deformer }, whole) {
  await guard(async () => {
    const asked = new URLSearchParams({ node, deformer: whole ? "" : deformer });
    const content = JSON.parse(await text(`${store.url}/deformers?${asked}`));
    if (!content.deformers.length) return toast("There is no deformer here to copy.");
    localStorage.setItem(PLACE, JSON.stringify(content));
    toast(`${content.label} copied. Choose other objects and paste.`);
    return undefined;
  });
}

/** @param {boolean} whole the stack rather than the chosen keys or layer */
export async function copy(whole) {
  if (deskOpen() && chosenKeys().length && !whole) return copyKeys(chosenKeys());
  if (store.facts.shape) return copyDeformers(store.facts.shape, whole);
  const { channel, lanes } = store.facts;
  const lane = lanes.find((item) => item.chosen);
  if (!lane) return toast("There is no layer here to copy.");
  await guard(async () => {
    const content = JSON.parse(await text(`${store.url}/layers?at=${encodeURIComponent(whole ? channel : lane.address)}`));
    localStorage.setItem(PLACE, JSON.stringify(content));
    toast(`${content.label} copied. Choose another number and paste.`);
  });
}

/** @param {PutLayers["how"]} how layers join what is there */
export async function paste(how) {
  const kept = localStorage.getItem(PLACE);
  if (!kept) return toast("Nothing was copied yet: choose a layer, or keys on the key desk, and press Ctrl C.");
  const { keys, layers, unit, reach, recipes, sheaves, deformers, size } = JSON.parse(kept);
  if (deformers) return commit([{ do: "put-deformers", nodes: chosenNodes(), deformers, size, how }]);
  if (keys) return pasteKeys(keys);
  return commit([{ do: "put-layers", address: store.facts.channel, layers, unit, reach, how, recipes, sheaves }]);
}
