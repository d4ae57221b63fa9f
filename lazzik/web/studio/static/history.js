// Edits, undo and redo: every one is made on a revision, and a stale one is refused without loss.

import { form, post, Refused, text } from "lazzik/lib/api.js";
import { one } from "lazzik/lib/dom.js";
import { followJob } from "lazzik/lib/jobs.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */
/** @import { News } from "lazzik/lib/jobs.js" */
/** @import { Choice } from "lazzik/lib/toasts.js" */

/**
 * @typedef {object} Landed what a stored step led to
 * @property {number} revision
 * @property {string[]} [added] the objects that it added
 * @property {string} [layer] the first layer that it added
 * @property {string[]} [notes] what should be known of it, in sentences
 */

/** What the head of the page tells of the document. */
export function readHead(page = document) {
  const { scene = "", revision = "0" } = one("#history", page).dataset;
  return store.set({ scene, revision: Number(revision) });
}

/** @type {(since: number, state: Landed) => unknown} */
let after = () => location.reload();

/**
 * What to do once the document changed: the studio morphs its panels, other pages load again.
 * @param {typeof after} act
 */
export const onChange = (act) => { after = act; };

/** @type {Promise<unknown>} */
let queue = Promise.resolve();

/**
 * Send a step; one after the other, so that a quick second one is made on what the first one led to.
 * @param {string} what
 * @param {object} content
 * @param {(answer: any) => Promise<Landed>} worked makes a state of the answer, where that is the beginning of long work
 * @returns {Promise<Landed>}
 */
export function send(what, content = {}, worked = landed) {
  const next = queue.catch(() => {}).then(() => sent(what, content, worked));
  queue = next;
  return next;
}

/** Resolves once every step that was sent is stored, or refused, and shown: the page's head says the first a little sooner. */
export const settled = () => queue.then(() => true, () => true);

/**
 * A step that takes long is answered by the job that it became.
 * @param {Landed & { state?: unknown } | News} answer
 * @returns {Promise<Landed>}
 */
async function landed(answer) {
  if (!("state" in answer)) return answer;
  const news = /** @type {News} */ (answer);
  return result(news, await followJob(news));
}

/**
 * What a job made of the document. Throws Refused if it came to nothing.
 * @param {News} begun
 * @param {News | null} over
 */
export async function result(begun, over) {
  if (over?.state === "done") return JSON.parse(await text(`/jobs/${begun.id}/result`));
  throw new Refused(422, over?.said || "Lazzik's server does not answer.");
}

// what the head says of the work: that all is stored, that it is on its way, or why the last step is not
function saved(said = `Saved · step ${store.revision}`, problem = false) {
  const place = one("#saved");
  place.textContent = said;
  place.classList.toggle("unsaved", problem);
}

/** @type {Record<number, string>} */
const UNSAVED = { 0: "Not saved · no answer", 507: "Not saved · disk full" };

/**
 * @param {string} what
 * @param {object} content
 * @param {(answer: any) => Promise<Landed>} worked
 */
async function sent(what, content, worked) {
  const from = store.revision;
  saved("Saving …");
  try {
    if (content instanceof FormData) content.set("revision", String(from));
    const url = `${store.url}/${what}`;
    const state = await worked(await (content instanceof FormData ? form(url, content) : post(url, { revision: from, ...content })));
    await store.set({ revision: state.revision });
    await after(from, state);
    saved();
    return state;
  } catch (error) {
    const reason = error instanceof Refused ? UNSAVED[error.status] : undefined;
    saved(reason, Boolean(reason));
    throw error;
  }
}

/**
 * Somebody else was first: say so, and offer what can be done about it.
 * @param {Refused} error
 * @param {{ edits: Edit[] }} [content]
 */
function stale(error, content) {
  /** @type {Choice[]} */
  const choices = [["Reload", () => location.reload()]];
  const { head } = error;
  if (content && head !== null) {
    choices.push(["Reload and put my step on top", async () => {
      await store.set({ revision: head });
      await tell(() => send("edits", content));
      location.reload();
    }]);
  }
  toast(error.message, ...choices);
}

/** @param {() => Promise<Landed>} act */
async function tell(act) {
  try {
    return await act();
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    if (error.status === 409 && typeof error.head === "number") stale(error);
    else toast(error.message);
    return null;
  }
}

/** @type {(edits: Edit[]) => Edit[]} */
let shape = (edits) => edits;

/**
 * What a step is made into before it is sent or shown.
 * @param {typeof shape} act
 */
export const shapeEdits = (act) => { shape = act; };

/** @param {Edit[]} edits */
export const shaped = (edits) => shape(edits);

/**
 * Store a step. `quiet` hands a refusal to the caller, who shows it where it happened.
 * @param {Edit[]} edits
 * @returns {Promise<Landed | null>} null if it was refused
 */
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

/**
 * Do what a button carries: its edits as one step, and then go where it says.
 * @param {HTMLElement} button
 */
export async function apply(button) {
  const { edits = "[]", then } = button.dataset;
  button.closest("dialog")?.close();
  const state = await commit(JSON.parse(edits));
  if (state && then !== undefined) location.assign(then || location.href);
  return state;
}

export const undo = () => tell(() => send("undo"));
export const redo = () => tell(() => send("redo"));
