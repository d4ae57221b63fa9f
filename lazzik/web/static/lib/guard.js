// What is asked of the server may be refused: the refusal is said to the person, at its place or as a message. Anything
// else that goes wrong is a mistake of ours, and stays one.

import { Refused } from "./api.js";
import { toast } from "./toasts.js";

/**
 * What `act` gives; nothing if it was refused, which `say` is told in a sentence.
 * @template T
 * @param {() => T | Promise<T>} act
 * @param {(sentence: string) => void} say
 * @returns {Promise<T | undefined>}
 */
export async function guard(act, say = (sentence) => toast(sentence)) {
  try {
    return await act();
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    say(error.message);
    return undefined;
  }
}
