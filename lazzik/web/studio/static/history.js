// Edits, undo and redo: every one is made on a revision, and a stale one is refused without loss.

import { form, post, Refused, text } from "lazzik/lib/api.js";
import { follow } from "lazzik/lib/jobs.js";
import { toast } from "lazzik/lib/toasts.js";

const place = () => document.getElementById("history");
export const sceneUrl = () => `/scenes/${place().dataset.scene}`;
export const revision = () => Number(place().dataset.revision);

let after = () => location.reload();
// what to do once the document changed: the studio morphs its panels, other pages load again
export const onChange = (act) => { after = act; };

// one step after the other: a quick second one is made on what the first one led to
let queue = Promise.resolve();
// `worked` makes a state of the answer, where that is the beginning of long work
export const send = (what, content, worked = landed) => (queue = queue.catch(() => {}).then(() => sent(what, content, worked)));

// a step that takes long is answered by the job that it became
async function landed(answer) {
  if (!("state" in answer)) return answer;
  const over = await follow(answer);
  if (over?.state === "done") return JSON.parse(await text(`/jobs/${answer.id}/result`));
  throw new Refused(422, over?.said || "Lazzik's server does not answer.");
}

// what the head says of the work: that all is stored, that it is on its way, or why the last step is not
function saved(said = `Saved · step ${revision()}`, problem = false) {
  const place = document.getElementById("saved");
  place.textContent = said;
  place.classList.toggle("unsaved", problem);
}

const UNSAVED = { 0: "Not saved · no answer", 507: "Not saved · disk full" };

async function sent(what, content, worked) {
  const from = revision();
  saved("Saving …");
  try {
    if (content instanceof FormData) content.set("revision", from);
    const url = `${sceneUrl()}/${what}`;
    const state = await worked(await (content instanceof FormData ? form(url, content) : post(url, { revision: from, ...content })));
    place().dataset.revision = state.revision;
    await after(from, state);
    saved();
    return state;
  } catch (error) {
    if (error.status in UNSAVED) saved(UNSAVED[error.status], true);
    else saved();
    throw error;
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
