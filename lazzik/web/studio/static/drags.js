// One way to drag: previews while it moves, one edit when it is let go, nothing when it is given up with Escape.

import { commit, revision } from "./history.js";

let previews, strata, stage, surfaces, back;
export function dragsUse(parts) { ({ previews, strata, stage, surfaces, back } = parts); }

function hold() {
  strata.hold();
  stage?.dragging(true);
  surfaces?.pause();
}

function release() {
  strata.release();
  stage?.dragging(false);
  surfaces?.resume();
}

// a running change of the document that is not stored yet
export class Change {
  constructor(problem = null) {
    this.edits = null;
    this.problem = problem;
  }

  to(edits) {
    if (!this.edits) {
      hold();
      previews.begin(this.problem);
      this.from = revision();
    }
    this.edits = edits;
    previews.push(edits);
  }

  async land() {
    const { edits, problem } = this;
    this.edits = null;
    if (!edits) return false;
    previews.end();
    try {
      if (!(await commit(edits, { quiet: Boolean(problem) }))) await back();
      return true;
    } catch (error) {
      problem?.(error.message);
      await back();
      return false;
    } finally {
      release();
    }
  }

  async giveUp() {
    if (!this.edits) return;
    this.edits = null;
    previews.end();
    await back();
    release();
  }
}

// follow a pointer from where it went down: move(dx, dy, event), then done(moved) or given up with Escape
export function follow(event, { move, done, gaveUp }) {
  event.preventDefault();
  const { clientX, clientY, pointerId } = event;
  const target = event.currentTarget ?? event.target;
  let moved = false;
  const stop = new AbortController();
  const { signal } = stop;
  const grip = document.body;
  window.addEventListener("pointermove", (next) => {
    if (next.pointerId !== pointerId) return;
    if (!moved && Math.hypot(next.clientX - clientX, next.clientY - clientY) < 3) return;
    moved = true;
    move(next.clientX - clientX, next.clientY - clientY, next);
  }, { signal });
  const finish = () => { stop.abort(); grip.classList.remove("dragging"); done?.(moved, target); };
  window.addEventListener("pointerup", finish, { signal });
  window.addEventListener("pointercancel", finish, { signal });
  window.addEventListener("keydown", (next) => {
    if (next.key !== "Escape") return;
    next.preventDefault();
    stop.abort();
    grip.classList.remove("dragging");
    gaveUp?.();
  }, { signal, capture: true });
  grip.classList.add("dragging");
}
