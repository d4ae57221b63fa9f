// A running change of the document: previews while it moves, one edit when it is let go, nothing when it is given up.

import { Refused } from "lazzik/lib/api.js";
import { commit } from "./history.js";

/** @import { Edit } from "lazzik/lib/types.d.ts" */
/** @import { Previews } from "./previews.js" */
/** @import { Strata } from "lazzik/stack/strata.js" */
/** @import { Stage } from "lazzik/stage/stage.js" */
/** @import { Surfaces } from "lazzik/stage/surfaces.js" */

/**
 * @typedef {object} Shown what a change is seen on
 * @property {Previews} previews
 * @property {Strata} strata
 * @property {Stage | null} stage
 * @property {Surfaces | null} surfaces
 * @property {() => Promise<unknown>} back show what is stored again
 */

/** @type {Shown | null} */
let shown = null;

/** @param {Shown} where */
export function changesShowOn(where) { shown = where; }

function parts() {
  if (!shown) throw new Error("nothing was said to show changes on");
  return shown;
}

function hold() {
  const { strata, stage, surfaces } = parts();
  strata.hold();
  stage?.dragging(true);
  surfaces?.pause();
}

function release() {
  const { strata, stage, surfaces } = parts();
  strata.release();
  stage?.dragging(false);
  surfaces?.resume();
}

export class Change {
  /** @type {Edit[] | null} */
  edits = null;

  /** @param {((sentence: string) => void) | null} problem told what is wrong with it, instead of a message */
  constructor(problem = null) {
    this.problem = problem;
  }

  /** @param {Edit[]} edits what it is by now, in place of what it was */
  to(edits) {
    const { previews } = parts();
    if (!this.edits) {
      hold();
      previews.begin(this.problem);
    }
    this.edits = edits;
    previews.push(edits);
  }

  /** Store it. @returns {Promise<boolean>} whether there was something to store and it was not refused */
  async land() {
    const { edits, problem } = this;
    const { previews, back } = parts();
    this.edits = null;
    if (!edits) return false;
    previews.end();
    try {
      if (!(await commit(edits, { quiet: Boolean(problem) }))) await back();
      return true;
    } catch (error) {
      if (error instanceof Refused) problem?.(error.message);
      await back();
      if (!(error instanceof Refused)) throw error;
      return false;
    } finally {
      release();
    }
  }

  async giveUp() {
    if (!this.edits) return;
    const { previews, back } = parts();
    this.edits = null;
    previews.end();
    await back();
    release();
  }
}
