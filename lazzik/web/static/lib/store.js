// What the page shows: the document's facts, the revision they are of, the chosen keys and the frame. The page that
// shows a document puts it here when it begins, and whoever draws or edits reads it here.

/** @import { Facts } from "./types.d.ts" */

/** @type {Facts} */
const NOTHING = {
  revision: 0, at: "", fps: 25, first: 0, last: 1, moving: false, find: "", order: "xyz", shape: null, aim: null,
  air: { key: "", field: null }, scatters: [], carried: [], sheaves: [], marks: [], points_together: 1,
  channel: "", also: [], tracks: [], unit: "", step: 1, lanes: [],
};

/**
 * @typedef {object} Content
 * @property {string} scene its name in addresses
 * @property {number} revision the one that the next edit is made on
 * @property {Facts} facts
 * @property {Map<string, number[]>} selection frames of the chosen keys by number
 * @property {number} frame the one on the stage
 */

/** @typedef {keyof Content} Name */

export class Store {
  /** @type {Content} */
  #content = { scene: "", revision: 0, facts: NOTHING, selection: new Map(), frame: 0 };
  /** @type {{ name: Name, act: () => unknown }[]} */
  #subscribers = [];

  get scene() { return this.#content.scene; }
  get revision() { return this.#content.revision; }
  get facts() { return this.#content.facts; }
  get selection() { return this.#content.selection; }
  get frame() { return this.#content.frame; }

  /** Where the scene is asked and edited. */
  get url() { return `/scenes/${this.scene}`; }

  /**
   * Called whenever a part was set; what it gives is waited for before the next one is called.
   * @param {Name} name
   * @param {() => unknown} act
   */
  subscribe(name, act) { this.#subscribers.push({ name, act }); }

  /**
   * Set some parts, then tell those who asked for them.
   * @param {Partial<Content>} parts
   */
  async set(parts) {
    this.#content = { ...this.#content, ...parts };
    for (const { name, act } of this.#subscribers) if (name in parts) await act();
  }
}

/** The page's own: a page shows one document. */
export const store = new Store();
