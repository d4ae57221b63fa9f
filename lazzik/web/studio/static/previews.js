// What is seen while something is dragged: one preview on the way at a time, and always the newest next.

import { packed, Refused } from "lazzik/lib/api.js";
import { store } from "lazzik/lib/store.js";
import { toast } from "lazzik/lib/toasts.js";
import { shaped } from "./history.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */

export class Previews {
  /** @type {Edit[] | null} */
  next = null;
  running = false;
  stopped = false;
  /** @type {((sentence: string) => void) | null} */
  problem = null;
  /** @type {object | null} what particles are to be asked of next */
  carried = null;
  asking = false;

  /** @param {(content: any) => void} show */
  constructor(show) {
    this.show = show;
  }

  /** @param {Edit[]} edits */
  push(edits) {
    this.next = edits;
    if (!this.running) this.run();
  }

  async run() {
    this.running = true;
    try {
      while (this.next) await this.see(this.next);
    } finally {
      this.running = false;
    }
  }

  /** @param {Edit[]} edits */
  async see(edits) {
    this.next = null;
    try {
      const { revision, facts, frame } = store;
      const field = facts.at.endsWith("/air") ? facts.at.split("/")[0] : "";
      const body = { revision, edits: shaped(edits), at: facts.channel, also: facts.also, frame, field };
      const content = await packed(`${store.url}/preview`, body);
      if (!this.stopped) this.show(content);
      if (facts.carried.length) this.carry(body);
      this.problem?.("");
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      if (this.problem && error.status === 422) this.problem(error.message);
      else { toast(error.message); this.next = null; }
    }
  }

  // particles come after all else and are not waited for: the newest ones that are asked for, one answer at a time, and
  // a pause as long as it took, since the curves miss what works them out
  /** @param {object} body */
  async carry(body) {
    this.carried = body;
    if (this.asking) return;
    this.asking = true;
    try {
      while (this.carried && !this.stopped) {
        const asked = this.carried;
        this.carried = null;
        const begun = performance.now();
        const content = await packed(`${store.url}/preview-carried`, asked);
        if (!this.stopped) this.show(content);
        const took = performance.now() - begun;
        await new Promise((go) => { setTimeout(go, took); });
      }
    } catch (error) {
      if (!(error instanceof Refused)) throw error; // the preview itself says what was wrong
    } finally {
      this.asking = false;
    }
  }

  /**
   * Begin a drag.
   * @param {((sentence: string) => void) | null} problem told what is wrong with a value on the way
   */
  begin(problem = null) { this.stopped = false; this.problem = problem; }

  end() { this.stopped = true; this.next = this.carried = null; }
}
