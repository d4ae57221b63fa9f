// Layers, whole stacks and keys copied and pasted, also onto other numbers and into another scene.

import { guard } from "lazzik/lib/guard.js";
import { text } from "lazzik/lib/api.js";
import { chosenKeys, deskOpen } from "./beads.js";
import { commit, sceneUrl } from "lazzik/studio/history.js";
import { facts } from "lazzik/studio/session.js";
import { toast } from "lazzik/lib/toasts.js";

const PLACE = "lazzik-copied";

function copyKeys(picked) {
  const rows = new Map();
  for (const { track, key: { settled, ...key } } of picked) rows.set(track.channel, [...(rows.get(track.channel) ?? []), key]);
  const first = Math.min(...picked.map(({ key }) => key.frame));
  localStorage.setItem(PLACE, JSON.stringify({ keys: [...rows].map(([channel, keys]) => ({ channel, keys, after: keys[0].frame - first })) }));
  toast(`${picked.length} key${picked.length === 1 ? "" : "s"} copied. Paste puts them at the playhead.`);
}

// each copied row goes back onto its own number where that is shown; a single row goes onto every shown one
function pasteKeys(rows, frame) {
  const shown = facts.tracks.map((track) => track.channel);
  const own = rows.filter((row) => shown.includes(row.channel));
  const pairs = rows.length === 1 ? shown.map((channel) => [channel, rows[0]])
    : own.length ? own.map((row) => [row.channel, row]) : rows.slice(0, shown.length).map((row, i) => [shown[i], row]);
  return commit(pairs.map(([address, row]) => ({ do: "paste-keys", address, keys: row.keys, frame: frame + row.after })));
}

export async function copy(whole) {
  if (deskOpen() && chosenKeys().length && !whole) return copyKeys(chosenKeys());
  const lane = facts.lanes.find((item) => item.chosen);
  if (!lane) return toast("There is no layer here to copy.");
  await guard(async () => {
    const content = JSON.parse(await text(`${sceneUrl()}/layers?at=${encodeURIComponent(whole ? facts.channel : lane.address)}`));
    localStorage.setItem(PLACE, JSON.stringify(content));
    toast(`${content.label} copied. Choose another number and paste.`);
  });
}

export async function paste(how, frame) {
  const kept = localStorage.getItem(PLACE);
  if (!kept) return toast("Nothing was copied yet: choose a layer, or keys on the key desk, and press Ctrl C.");
  const { keys, layers, unit, reach } = JSON.parse(kept);
  if (keys) return pasteKeys(keys, frame);
  return commit([{ do: "put-layers", address: facts.channel, layers, unit, reach, how }]);
}
