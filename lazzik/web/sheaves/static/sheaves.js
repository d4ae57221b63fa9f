// What is done with sheaves by their buttons: keyed, taken apart, joined.

import { act } from "lazzik/lib/actions.js";
import { store } from "lazzik/lib/store.js";
import { members } from "lazzik/studio/choice.js";
import { commit } from "lazzik/studio/history.js";
import { choose } from "lazzik/studio/session.js";

/** Take a sheaf apart, or away with its layers; what is shown then is one of its numbers. @param {HTMLElement | null} button */
async function part(button) {
  const { sheaf = "", go } = button?.dataset ?? {};
  const landed = await commit([{ do: "part-sheaf", sheaf, layers: go ? "go" : "stay" }]);
  if (landed && store.facts.at.startsWith("sheaves/")) await choose("");
}

/** The open layers of the chosen numbers become one sheaf, or the shown number joins one. @param {HTMLElement | null} button */
const join = (button) => commit([{ do: "join-sheaf", sheaf: button?.dataset.sheaf ?? "", addresses: members() }]);

/** The open layer of each chosen number, gathered. */
function gather() {
  const open = store.facts.lanes.find((lane) => lane.chosen);
  const addresses = members().map((channel) => `${channel}#${open?.id}`);
  return commit([{ do: "gather-sheaf", addresses }]);
}

/** A key of its weight where the playhead is. @param {HTMLElement | null} button */
const key = (button) => commit([{ do: "put-key", address: `sheaves/${button?.dataset.sheaf}`, frame: store.frame }]);

/** What the page can do with sheaves. */
export function offerSheaves() {
  act(
    { name: "part-sheaf", run: part },
    { name: "key-sheaf", run: key },
    { name: "join-sheaf", run: join },
    { name: "gather-sheaf", run: gather, label: "Gather the open layer of all chosen numbers as a sheaf" },
  );
}
