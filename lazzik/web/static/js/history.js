// Edits, undo and redo: every one is made on a revision, and a stale one is refused without loss.

import { form, post, Refused } from "./api.js";
import { toast } from "./toasts.js";

const place = () => document.getElementById("history");
export const sceneUrl = () => `/scenes/${place().dataset.scene}`;
export const revision = () => Number(place().dataset.revision);

let after = () => location.reload();
// what to do once the document changed: the studio morphs its panels, other pages load again
export const onChange = (act) => { after = act; };

// one step after the other: a quick second one is made on what the first one led to
let queue = Promise.resolve();
// `worked` makes a state of the answer, where that is the beginning of long work
export const send = (what, content, worked = (answer) => answer) => (queue = queue.catch(() => {}).then(() => sent(what, content, worked)));

async function sent(what, content, worked) {
  const from = revision();
  document.getElementById("saved").textContent = "Saving …";
  try {
    if (content instanceof FormData) content.set("revision", from);
    const url = `${sceneUrl()}/${what}`;
    const state = await worked(await (content instanceof FormData ? form(url, content) : post(url, { revision: from, ...content })));
    place().dataset.revision = state.revision;
    await after(from, state);
    return state;
  } finally {
    document.getElementById("saved").textContent = `Saved · step ${revision()}`;
  }
}

function stale(error, content) {
  const choices = [["Reload", () => location.reload()]];
  if (content?.edits) {
    choices.push(["Reload and put my step on top", async () => {
      place().dataset.revision = error.head;
      await tell(() => send("edits", content));
      location.reload();
    }]);
  }
  toast(error.message, ...choices);
}

async function tell(act, content) {
  try {
    return await act();
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    if (error.status === 409 && error.head !== null && error.head !== undefined) stale(error, content);
    else toast(error.message);
    return null;
  }
}

// what a step is made into before it is sent or shown
let shape = (edits) => edits;
export const shapeEdits = (act) => { shape = act; };
export const shaped = (edits) => shape(edits);

// `quiet` hands a refusal to the caller, who shows it where it happened
export async function commit(edits, { quiet = false } = {}) {
  const content = { edits: shape(edits) };
  try {
    return await send("edits", content);
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    if (error.status === 409) stale(error, content);
    else if (!quiet) toast(error.message);
    else throw error;
    return null;
  }
}

export const undo = () => tell(() => send("undo"));
export const redo = () => tell(() => send("redo"));
