// Layers and whole stacks copied and pasted, also into another scene.

import { Refused, text } from "./api.js";
import { commit, sceneUrl } from "./history.js";
import { facts } from "./session.js";
import { toast } from "./toasts.js";

const PLACE = "lazzik-copied";

export async function copy(whole) {
  const lane = facts.lanes.find((item) => item.chosen);
  if (!lane) return toast("There is no layer here to copy.");
  try {
    const content = JSON.parse(await text(`${sceneUrl()}/layers?at=${encodeURIComponent(whole ? facts.channel : lane.address)}`));
    localStorage.setItem(PLACE, JSON.stringify(content));
    toast(`${content.label} copied. Choose another number and paste.`);
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    toast(error.message);
  }
}

export async function paste(how) {
  const kept = localStorage.getItem(PLACE);
  if (!kept) return toast("Nothing was copied yet: choose a layer and press Ctrl C.");
  const { layers, unit, reach } = JSON.parse(kept);
  return commit([{ do: "put-layers", address: facts.channel, layers, unit, reach, how }]);
}
