// The streaks of the air, fetched for the frames that are shown, anew whenever the air is another.

import { act, pressed } from "lazzik/lib/actions.js";
import { floats, packed } from "lazzik/lib/api.js";
import { guard } from "lazzik/lib/guard.js";
import { store } from "lazzik/lib/store.js";

/** @import { Stage } from "lazzik/stage/stage.js" */

const AT_ONCE = 400; // frames fetched together
const KEPT = "lazzik-streaks";

export class Breath {
  key = "";
  newest = 0;
  /** @type {[first: number, last: number] | null} the frames that are there or on their way */
  there = null;

  /** @param {Stage} stage */
  constructor(stage) {
    this.stage = stage;
    if (localStorage.getItem(KEPT) === "off") stage.streaks.toggle();
    act({ name: "streaks", run: () => this.toggle(), label: "Show the air as streaks, or hide it" });
    store.subscribe("frame", () => this.follow());
  }

  toggle() {
    const on = this.stage.streaks.toggle();
    localStorage.setItem(KEPT, on ? "on" : "off");
    pressed("streaks", on);
    this.follow();
    this.stage.show(store.frame);
  }

  // the document is another one by now
  changed() {
    const { key } = store.facts.air;
    if (key === this.key) return;
    this.key = key;
    this.there = null;
    this.newest += 1;
    if (!key) this.stage.setStreaks(null);
    this.follow();
  }

  // what is shown is fetched, if it is not there
  follow() {
    const frame = Math.round(store.frame);
    if (!this.key || !this.stage.streaks.shows || this.there && frame >= this.there[0] && frame <= this.there[1]) return;
    const { first, last } = store.facts;
    const from = first + AT_ONCE * Math.floor((Math.max(frame, first) - first) / AT_ONCE);
    const to = Math.min(last, from + AT_ONCE - 1);
    this.there = [from, to];
    const mine = ++this.newest;
    const asked = new URLSearchParams({ from: String(from), to: String(to), revision: String(store.facts.revision) });
    guard(async () => {
      const content = await packed(`${store.url}/streaks?${asked}`);
      if (mine !== this.newest) return;
      this.stage.setStreaks({ ...content, ages: floats(content.ages), places: floats(content.places) });
    }, () => { this.there = null; });
  }
}
