// What the studio shows now: facts of the document, the chosen address, and the panels that follow it.

import { packed, Refused, text } from "lazzik/lib/api.js";
import { revision, sceneUrl, shaped } from "./history.js";
import { toast } from "lazzik/lib/toasts.js";

export let facts = JSON.parse(document.getElementById("facts").textContent);

const PANELS = ["strata", "facts"];
const listeners = [];
// called with the new facts whenever the panels were refreshed
export const onFacts = (act) => listeners.push(act);

// a curve drawn by script and a menu that is open stay while the panel around them is morphed
export const keep = {
  beforeNodeMorphed: (old) => !(old.dataset?.drawn) && !(old.matches?.(".dropdown-menu.show, [data-bs-toggle].show")),
  beforeAttributeUpdated: (name, element) => !(name === "style" && element.dataset.gap), // it is sized by script
};

function query({ at, also, moving }) {
  const asked = new URLSearchParams({ at });
  for (const other of also) asked.append("also", other);
  if (moving) asked.set("moving", "true");
  return asked;
}

const shown = () => ({ at: facts.at, also: facts.also, moving: facts.moving, find: facts.find });

// what is asked for, with the listing of the tree
export function asked(choice = shown()) {
  const out = query(choice);
  if (choice.find) out.set("find", choice.find);
  return out;
}

// and with what the page has: then only what changed is sent of the tree
function askedAnew(choice) {
  const out = asked(choice);
  if (choice.find !== facts.find || choice.moving !== facts.moving) return out;
  out.set("first", document.getElementById("tree-rows").dataset.first);
  out.set("was", facts.revision);
  out.set("was_at", facts.at);
  for (const other of facts.also) out.append("was_also", other);
  return out;
}

// the tree is morphed as a whole, or row by row where only some are sent
function morphTree(page) {
  const options = { ignoreActiveValue: true, callbacks: keep };
  const next = page.getElementById("tree");
  if (page.getElementById("tree-rows").dataset.whole === "true") return Idiomorph.morph(document.getElementById("tree"), next, options);
  for (const row of next.querySelectorAll("#tree-rows > li[id^=row-]")) Idiomorph.morph(document.getElementById(row.id), row, options);
  for (const part of [".tree-head", ".dials"]) Idiomorph.morph(document.querySelector(`#tree ${part}`), next.querySelector(part), options);
}

// what was asked for last; an answer that comes late must not bring back what was left since
let wanted = shown();
let newest = 0;
let latest = null;

// while a button of the mouse is down nothing is replaced: a press does what was seen when it began
let down = false;
const waiting = [];
const letGo = () => setTimeout(() => { // after the click that the press becomes
  down = false;
  for (const go of waiting.splice(0)) go();
});
document.addEventListener("pointerdown", () => { down = true; }, true);
for (const kind of ["pointerup", "pointercancel"]) document.addEventListener(kind, letGo, true);
document.addEventListener("pointermove", (event) => { if (down && !event.buttons) letGo(); }, true); // let go elsewhere
window.addEventListener("blur", letGo);
const released = () => (down ? new Promise((go) => waiting.push(go)) : null);

// show another address, or the same one anew
export function refresh(asked = {}) {
  wanted = { ...wanted, ...asked };
  return (latest = refreshed(++newest));
}

async function refreshed(mine) {
  let page;
  try {
    page = new DOMParser().parseFromString(await text(`${sceneUrl()}/panels?${askedAnew(wanted)}`), "text/html");
  } catch (error) {
    if (mine === newest) wanted = shown();
    throw error;
  }
  await released();
  if (mine !== newest) return latest;
  morphTree(page);
  for (const id of PANELS) {
    Idiomorph.morph(document.getElementById(id), page.getElementById(id), { ignoreActiveValue: true, callbacks: keep });
  }
  document.getElementById("scene-name").textContent = page.getElementById("scene-name").textContent;
  facts = JSON.parse(document.getElementById("facts").textContent);
  wanted = shown();
  for (const act of listeners) await act(facts);
  if (mine !== newest) return latest;
  // last, so that a step is not called saved before it is seen
  Idiomorph.morph(document.getElementById("history"), page.getElementById("history"));
}

// other numbers stay chosen beside the shown one as long as it is the same
export async function choose(at, { moving = facts.moving, also = at === facts.channel || at.startsWith(`${facts.channel}#`) && !at.split("#").at(-1).includes(".") ? facts.also : [] } = {}) {
  const asked = { at, also, moving };
  if (`${query(asked)}` !== `${query(wanted)}`) history.pushState(null, "", `?${query(asked)}`);
  await refresh(asked);
}

// Previews of a drag: one on the way at a time, and always the newest next.
export class Previews {
  constructor(show) {
    this.show = show;
    this.frame = () => facts.first; // the one on the stage
    this.running = false;
    this.next = null;
    this.times = []; // milliseconds from the move of the pointer to the redrawn curve, for measuring
  }

  push(edits) {
    this.next = edits;
    this.asked ??= performance.now();
    if (!this.running) this.run();
  }

  async run() {
    this.running = true;
    while (this.next) {
      const edits = this.next;
      const asked = this.asked;
      this.next = this.asked = null;
      try {
        const content = await packed(`${sceneUrl()}/preview`, { revision: revision(), edits: shaped(edits), at: facts.channel, also: facts.also, frame: this.frame() });
        if (!this.stopped) this.show(content, edits);
        this.times.push(performance.now() - asked);
        this.problem?.("");
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        if (this.problem && error.status === 422) this.problem(error.message);
        else { toast(error.message); this.next = null; }
      }
    }
    this.running = false;
  }

  // begin a drag; `problem` is told what is wrong with a value on the way
  begin(problem = null) { this.stopped = false; this.problem = problem; }
  end() { this.stopped = true; this.next = this.asked = null; }
}
