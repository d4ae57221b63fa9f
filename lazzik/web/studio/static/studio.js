// The studio, put together: panels, stage, strata and time, and the actions that work on them.

import { floats, packed } from "lazzik/lib/api.js";
import { channelAddress, chooseAll, deskOpen, drawBeads, keysChanged, listenToBeads, putKey, removeKeys } from "lazzik/keys/beads.js";
import { alone, listenToChoice } from "./choice.js";
import { copy, paste } from "lazzik/keys/clipboard.js";
import { dragsUse } from "./drags.js";
import { openFeel } from "lazzik/stack/feel.js";
import { autoKeys, Gizmo } from "lazzik/stage/gizmo.js";
import { action } from "./finder.js";
import { listenToFormulas } from "lazzik/stack/formula.js";
import { commit, onChange, sceneUrl } from "./history.js";
import { listenToDesk } from "lazzik/keys/desk.js";
import { listenToKnobs, paintSliders } from "lazzik/stack/knobs.js";
import { listenToOrder } from "lazzik/stack/order.js";
import { choose, facts, onFacts, Previews, refresh } from "./session.js";
import { sheet, stagger } from "./sheets.js";
import { listenToForm } from "lazzik/shape/form.js";
import { smoothEdges, Stage } from "lazzik/stage/stage.js";
import { Strata } from "lazzik/stack/strata.js";
import { Surfaces } from "lazzik/stage/surfaces.js";
import { wholeRange, zoom } from "lazzik/timeline/timeaxis.js";
import { listenToTree } from "./tree.js";
import { toast } from "lazzik/lib/toasts.js";
import { Transport } from "lazzik/timeline/transport.js";
import { drawWindows, listenToWindows } from "lazzik/stack/windows.js";

const work = document.getElementById("work");
const note = document.getElementById("stage-note");
const strata = new Strata();
let stage = null;
try {
  stage = new Stage(document.getElementById("canvas"));
} catch {
  note.textContent = "This browser can't draw in three dimensions (WebGL 2 is off). Curves and keys work all the same.";
}

const surfaces = stage && new Surfaces(stage);
const transport = new Transport((frame) => {
  stage?.show(frame);
  surfaces?.show(frame);
  strata.show(frame);
});

strata.drawn = () => {
  drawWindows(strata);
  if (!strata.holding) drawBeads(strata);
  transport.place();
};

const previews = new Previews((content) => {
  if (content.strata) show(content.strata);
  stage?.setMotion(content.motion, facts.first);
  if (content.points) surfaces?.preview(content.points);
});
previews.frame = () => transport.frame;

function show(content) {
  strata.set(content);
  stage?.setPath(floats(content.path));
}

async function fetchCurves() {
  if (!channelAddress()) return stage?.setPath(new Float32Array(0));
  const asked = new URLSearchParams({ address: channelAddress() });
  for (const other of facts.also) asked.append("also", other);
  const now = facts;
  const { strata: content } = await packed(`${sceneUrl()}/curves?${asked}`);
  if (now === facts) show(content); // otherwise another number is shown by now, with curves of its own
}

let geometry = null;
async function fetchMotion(since = null) {
  if (!stage) return;
  const content = await packed(`${sceneUrl()}/motion${since === null ? "" : `?since=${since}`}`);
  stage.setMotion(content.motion, content.from);
  if (content.geometry !== geometry) {
    geometry = content.geometry;
    await stage.load(`${sceneUrl()}/rest.glb?${geometry}`);
  }
  surfaces.know(content.shaped, content.reshaped);
}

// the chosen row in the tree, in sight
let shownNode = null;
function showChosen() {
  if (shownNode === chosenNode()) return;
  shownNode = chosenNode();
  document.querySelector("#tree .object.chosen")?.scrollIntoView({ block: "nearest" });
}

const chosenNode = () => facts.at.split("/")[0];

const range = (shown) => [shown.first, shown.last, shown.fps].join();
let shownRange = range(facts);

onFacts(async () => {
  // another range or rate changes the ruler and every clock: the page is drawn anew
  if (range(facts) !== shownRange) return location.reload();
  rows.changed();
  paintSliders();
  stage?.select(chosenNode());
  showChosen();
  form.changed();
  desk.changed();
  gizmo?.show(chosenNode());
  await fetchCurves();
  keysChanged(strata);
});
onChange(async (since) => {
  await Promise.all([refresh(), fetchMotion(since)]);
});
dragsUse({ previews, strata, stage, surfaces, back: () => Promise.all([refresh(), fetchMotion()]) });

const frame = () => transport.frame;
const tree = document.getElementById("tree");
listenToKnobs(work, frame);
listenToKnobs(tree, frame);
const rows = listenToTree(tree);
listenToChoice(tree, work);
listenToFormulas(work);
const form = listenToForm(work, stage, frame);
listenToWindows(work, strata);
listenToBeads(work, strata, frame);
const desk = listenToDesk(work, strata, frame);
const gizmo = stage && new Gizmo(stage, frame);
listenToOrder(work);

// links that lead to another address change the panels and leave the page
document.addEventListener("click", async (event) => {
  const link = event.target.closest("a[data-panels]");
  if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const asked = new URL(link.href).searchParams;
  const moving = link.dataset.moving ? { moving: link.dataset.moving === "true" } : {};
  await choose(asked.get("at") ?? facts.at, moving);
});
window.addEventListener("popstate", () => {
  const asked = new URLSearchParams(location.search);
  refresh({ at: asked.get("at") ?? "", also: asked.getAll("also"), moving: asked.get("moving") === "true" });
});

// add a layer and open it
async function commitNew(edit) {
  const before = new Set(facts.lanes.map((lane) => lane.id));
  if (!(await commit([edit]))) return;
  const added = facts.lanes.find((lane) => !before.has(lane.id));
  if (added) await choose(added.address);
}

tree.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (button?.dataset.eye) commit([{ do: "change-object", node: button.dataset.eye, visible: button.getAttribute("aria-pressed") === "true" }]);
  if (button?.dataset.editObject) commit([JSON.parse(button.dataset.editObject)]);
});

// buttons that open a sheet
document.addEventListener("click", (event) => {
  const button = event.target.closest("button[data-sheet]");
  if (!button) return;
  const { sheet: name, ...asked } = button.dataset;
  sheet(name, asked);
});

work.addEventListener("click", async (event) => {
  const button = event.target.closest("button");
  const layer = (button?.closest("[data-layer]") ?? document.querySelector(".lane.chosen[data-layer]"))?.dataset.layer;
  const here = channelAddress();
  if (button?.dataset.add) {
    await commitNew({ do: "add-layer", address: here, kind: button.dataset.add });
  } else if (button?.dataset.read) {
    const { read: source, combine } = button.dataset;
    await commitNew({ do: "add-layer", address: here, kind: "link", label: button.textContent.trim(), combine, settings: { source } });
  } else if (button?.dataset.use) {
    await commitNew({ do: "use-recipe", address: here, recipe: button.dataset.use });
  } else if (button?.dataset.feel) {
    openFeel(button, frame);
  } else if (button?.dataset.fit) {
    const on = button.getAttribute("aria-pressed") !== "true";
    commit([{ do: "change-layer", address: layer, loop: on ? facts.last - facts.first : null, fit: on }]);
  } else if (button?.dataset.loopAll) {
    const which = { chosen: [here], also: [here, ...facts.also], scene: [], none: [here] }[button.dataset.loopAll];
    commit([{ do: "loop", addresses: which, fit: button.dataset.loopAll !== "none" }]);
  } else if (button?.dataset.follow) {
    commit([{ do: "follow-recipe", address: layer ?? document.querySelector(".lane.chosen").dataset.layer, number: button.dataset.follow }]);
  } else if (button?.dataset.expose) {
    const on = button.getAttribute("aria-pressed") !== "true";
    commit([{ do: "expose", recipe: here.split("#")[0].split("/")[1], target: button.dataset.expose, on }]);
  } else if (button?.dataset.flag) {
    const on = button.getAttribute("aria-pressed") !== "true";
    commit([{ do: "change-layer", address: layer, [button.dataset.flag]: on }]);
  } else if (button && "remove" in button.dataset) {
    commit([{ do: "remove-layer", address: layer }]);
  }
});

// a press on the stage that is no drag chooses the object under it
const canvas = document.getElementById("canvas");
let pressed = null;
canvas.addEventListener("pointerdown", (event) => { pressed = [event.clientX, event.clientY]; });
canvas.addEventListener("pointerup", (event) => {
  if (!pressed || Math.hypot(event.clientX - pressed[0], event.clientY - pressed[1]) > 4) return;
  const id = stage?.pick(event.clientX, event.clientY);
  const row = id && document.querySelector(`#row-${CSS.escape(id)} > a`);
  if (row) row.click();
  else if (id) choose(`${id}/rotation.z`, { moving: false });
});

// the divider between stage and strata
const divider = document.getElementById("divider");
function setHeight(height) {
  const within = Math.round(Math.min(Math.max(height, 160), work.clientHeight - 160));
  work.style.setProperty("--strata-height", `${within}px`);
  divider.setAttribute("aria-valuenow", within);
  localStorage.setItem("lazzik-strata", within);
}
divider.addEventListener("pointerdown", (event) => {
  event.preventDefault();
  const stop = new AbortController();
  window.addEventListener("pointermove", (next) => setHeight(work.getBoundingClientRect().bottom - next.clientY), { signal: stop.signal });
  window.addEventListener("pointerup", () => stop.abort(), { signal: stop.signal });
});
divider.addEventListener("keydown", (event) => {
  const by = { ArrowUp: 20, ArrowDown: -20 }[event.key];
  if (by) { event.preventDefault(); setHeight(Number(divider.getAttribute("aria-valuenow")) + by); }
});
if (localStorage.getItem("lazzik-strata")) setHeight(Number(localStorage.getItem("lazzik-strata")));

const press = (name, on) => document.querySelector(`[data-act=${name}]`)?.setAttribute("aria-pressed", on);
action("play", ["Space"], () => transport.toggle(), "Play or pause");
action("back", ["ArrowLeft"], () => transport.go(transport.frame - 1), "One frame back");
action("on", ["ArrowRight"], () => transport.go(transport.frame + 1), "One frame on");
action("first", ["Home"], () => transport.go(facts.first), "To the first frame");
action("last", ["End"], () => transport.go(facts.last), "To the last frame");
action("key", ["K"], () => putKey(strata, transport.frame), "Put a key at the playhead");
action("remove-keys", ["Delete"], () => removeKeys(strata), "Remove the chosen keys");
action("layer", ["L"], () => (document.getElementById("add-layer") ?? document.getElementById("add-deformer"))?.click(), "Add a layer or a deformer");
action("shape", ["S"], () => choose(`${chosenNode()}/shape`), "The shape of the chosen object");
action("add-object", ["A"], () => sheet("object-form"), "Add an object");
action("duplicate", ["Ctrl+D"], () => sheet("duplicate-form", { node: chosenNode() }), "Duplicate the chosen object");
action("hide", ["H"], () => document.querySelector("[data-eye]")?.click(), "Hide or show the chosen object");
action("isolate", ["I"], () => press("isolate", stage?.isolate(chosenNode())), "Look at the chosen object alone");
action("permanent", [], () => form.permanent(), "Make the shape of this frame permanent");
action("paint", [], () => form.togglePaint(), "Paint where the open deformer acts");
action("wires", ["X"], () => press("wires", stage?.toggleWires()), "See surfaces as wires");
action("where", ["Z"], () => form.toggleWhere(), "Shade where the open deformer acts");
action("height", [], () => form.toggleWhere("lift"), "Shade how far the open deformer pushes, up and down");
action("why", ["W"], () => sheet("why", { at: facts.at }), "Why does it not show?");
action("fit", ["F"], () => { wholeRange(); strata.fitValues(); }, "Fit the view to the range and all values");
action("closer", ["+", "="], () => zoom(0.7, transport.frame), "Zoom the time in, about the playhead");
action("wider", ["-"], () => zoom(1 / 0.7, transport.frame), "Zoom the time out");
action("desk", ["E"], () => desk.toggle(), "Open or close the key desk");
action("choose-keys", ["Ctrl+A"], () => { desk.toggle(true); chooseAll(strata); }, "Choose all keys");
action("auto-key", ["Q"], () => press("auto-key", autoKeys(true)), "Put keys by themselves while posing");
action("move-handles", ["M"], () => gizmo?.toggle("move"), "Move the chosen object on the stage");
action("turn-handles", ["T"], () => gizmo?.toggle("turn"), "Turn the chosen object on the stage");
action("snap", ["N"], () => press("snap", gizmo?.toggleSnap()), "Snap moves and turns on the stage");
action("poses", ["B"], () => sheet("poses", { at: channelAddress() ?? facts.at, also: facts.also, frame: transport.frame }), "Poses and clips");
action("copy-layer", ["Ctrl+C"], () => copy(false), "Copy the chosen keys or layer");
action("copy-stack", ["Ctrl+Shift+C"], () => copy(true), "Copy the whole stack");
action("paste", ["Ctrl+V"], () => paste("on-top", transport.frame), "Paste keys at the playhead, or layers on top");
action("paste-instead", [], () => paste("instead"), "Paste layers in the place of the stack");
action("stagger", ["G"], stagger, "Stagger a number over the choice");
action("save-recipe", [], () => sheet("recipe-form", { at: channelAddress() }), "Save the stack as a recipe");
action("recipes", [], () => { location.href = `${sceneUrl()}/recipes?at=${encodeURIComponent(channelAddress())}`; }, "Choose a recipe for this number");
action("dial", ["D"], () => sheet("dial-form"), "Add a dial");
action("seams", [], () => sheet("seams"), "Check all seams");
// Escape closes what is open first, and only then ends a choice of several
let closes = false;
window.addEventListener("keydown", (event) => {
  if (event.key === "Escape") closes = Boolean(document.querySelector(".feel, .dropdown-menu.show, dialog[open], .dragging"));
}, true);
action("alone", ["Escape"], () => { if (facts.also.length && !closes) alone(); }, "Choose the shown number alone");
action("reset", ["R"], () => stage?.reset(), "Reset the view");
action("camera", ["C"], () => press("camera", stage?.toggleCamera()), "Look through the scene's camera");
action("path", ["P"], () => press("path", stage?.togglePath()), "Show the path of the chosen object");
action("smooth", [], () => {
  localStorage.setItem("lazzik-smooth", smoothEdges() ? "no" : "yes");
  location.reload();
}, "Smooth or plain edges on the stage");
document.addEventListener("theme", () => { stage?.dress(); stage?.select(stage.chosen); });

paintSliders();
showChosen();
transport.go(facts.first);
// for measuring from outside
window.lazzik = { previews, transport, stage, strata, surfaces, choose, gizmo };
try {
  await fetchCurves();
  if (desk.wanted()) desk.toggle(true);
  keysChanged(strata);
  await fetchMotion();
  stage?.select(chosenNode());
  form.changed();
  gizmo?.show(chosenNode());
  press("auto-key", autoKeys());
  if (stage) note.textContent = "";
  document.body.dataset.ready = "true";
} catch (error) {
  note.textContent = error.message;
  toast(error.message, ["Try again", () => location.reload()]);
}
