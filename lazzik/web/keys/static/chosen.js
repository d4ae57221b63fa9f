// Which keys are chosen, of every number that is shown, and edits of all of them.

import { maybe } from "lazzik/lib/dom.js";
import { near } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { commit } from "lazzik/studio/history.js";

/** @import { Edit, KeyFacts, TrackFacts } from "lazzik/lib/types.d.ts" */

/** @typedef {{ track: TrackFacts, key: KeyFacts }} Pair a key of a number */
/** @typedef {{ address: string, frames: number[] }} Chosen the chosen keys of a number, as edits name them */

export const channelAddress = () => maybe("#lanes")?.dataset.address ?? "";
export const deskOpen = () => Boolean(maybe("#work.desk"));

/** The numbers whose keys are drawn: the shown one, and on the desk those chosen beside it. */
export const tracks = () => (deskOpen() ? store.facts.tracks : store.facts.tracks.slice(0, 1));

/** @param {string} channel @returns {TrackFacts | undefined} */
export const trackOf = (channel) => store.facts.tracks.find((track) => track.channel === channel);

/** @param {TrackFacts} track @param {KeyFacts} key */
export const isChosen = (track, key) => (store.selection.get(track.channel) ?? []).some((frame) => near(frame, key.frame));

/** @param {TrackFacts} track @returns {Pair[]} */
export const pairsOf = (track) => track.keys.map((key) => ({ track, key }));

export const chosenKeys = () => tracks().flatMap(pairsOf).filter(({ track, key }) => isChosen(track, key));

/**
 * What is done to the chosen keys of every number that has some.
 * @template {object} T
 * @param {T | ((track: TrackFacts) => T)} edit without its keys
 * @returns {(T & Chosen)[]}
 */
export const editsOn = (edit) => tracks().flatMap((track) => {
  const frames = track.keys.filter((key) => isChosen(track, key)).map((key) => key.frame);
  return frames.length ? [{ address: track.channel, frames, ...(typeof edit === "function" ? edit(track) : edit) }] : [];
});

/** @param {Pair[]} pairs */
export function chooseKeys(pairs) {
  /** @type {Map<string, number[]>} */
  const selection = new Map();
  for (const { track, key } of pairs) selection.set(track.channel, [...(selection.get(track.channel) ?? []), key.frame]);
  return store.set({ selection });
}

export const chooseAll = () => chooseKeys(tracks().flatMap(pairsOf));

/** Choose the key of the shown number at a frame. @param {number} frame */
export const chooseAt = (frame) =>
  chooseKeys(store.facts.tracks.slice(0, 1).flatMap(pairsOf).filter(({ key }) => near(key.frame, frame)));

/** After edits: what is gone is no longer chosen. */
export function keysChanged() {
  const kept = new Map(store.selection);
  for (const track of store.facts.tracks) {
    const frames = (kept.get(track.channel) ?? []).filter((frame) => track.keys.some((key) => near(key.frame, frame)));
    if (frames.length) kept.set(track.channel, frames); else kept.delete(track.channel);
  }
  return store.set({ selection: kept });
}

/**
 * Keys stay chosen where a step takes them.
 * @template T
 * @param {() => Promise<T>} step
 * @param {(frame: number) => number} landing which frame one goes to
 */
export async function carried(step, landing) {
  const before = [...store.selection];
  const done = await step();
  if (done) await store.set({ selection: new Map(before.map(([channel, frames]) => [channel, frames.map(landing)])) });
  await keysChanged();
  return done;
}

/**
 * @param {Edit[]} edits
 * @param {(frame: number) => number} landing which frame a chosen key goes to
 */
export const commitKeys = async (edits, landing = (frame) => frame) => (edits.length ? carried(() => commit(edits), landing) : null);

/** Put a key on the curve, which does not change; on every number of the choice. @param {number} frame */
export async function putKey(frame) {
  if (await commit([{ do: "put-key", address: channelAddress(), frame }])) await chooseAt(frame);
}

export const removeKeys = () => commitKeys(editsOn({ do: /** @type {const} */ ("remove-keys") }));
