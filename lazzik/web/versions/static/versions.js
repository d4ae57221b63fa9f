// The page of versions: what was kept, and two states beside each other.

import { act, pressed } from "lazzik/lib/actions.js";
import { post, Refused } from "lazzik/lib/api.js";
import { all, maybe, one, over, untilReleased } from "lazzik/lib/dom.js";
import { guard } from "lazzik/lib/guard.js";
import { clamp } from "lazzik/lib/numbers.js";
import { store } from "lazzik/lib/store.js";
import { tellTimes } from "lazzik/lib/times.js";
import { toast } from "lazzik/lib/toasts.js";
import { offerMarks } from "lazzik/marks/marks.js";
import { begunStage } from "lazzik/stage/stage.js";
import { offerViews } from "lazzik/stage/views.js";
import { offerTime } from "lazzik/timeline/steps.js";
import { wholeRange } from "lazzik/timeline/timeaxis.js";
import { Transport } from "lazzik/timeline/transport.js";
import { listenToDivider } from "lazzik/studio/divider.js";
import { onChange, send } from "lazzik/studio/history.js";
import { factsIn } from "lazzik/studio/session.js";
import { sheet, sheetForm } from "lazzik/studio/sheets.js";
import { Comparison } from "./comparison.js";
import { BothCurves } from "./curves.js";
import { PICTURE, shootWith } from "./keeping.js";
import { listenToTaking } from "./taking.js";

/** @import { Look } from "./comparison.js" */

const LOOK = "lazzik-look";
const STEP = 0.02; // of the width, for a key

const main = one("#main");
const { a = "now", b = "now", on = "0" } = main.dataset;
const state = { a, b, on };
await store.set({ facts: factsIn(document), frame: factsIn(document).first });

const note = one("#stage-note");
const handle = one("#wipe-handle");
const canvas = one("#canvas", document, HTMLCanvasElement);

const stage = begunStage(canvas, note);
const comparison = stage && new Comparison(stage);
const transport = new Transport();
const curves = new BothCurves(() => transport.place());

/** @param {string} look */
function seeAs(look) {
  localStorage.setItem(LOOK, look);
  comparison?.seeAs(/** @type {Look} */ (look));
  for (const button of all("[data-act=look]")) button.setAttribute("aria-pressed", String(button.dataset.look === look));
  one("#stage").dataset.look = look;
  part(look === "wipe" ? comparison?.share ?? 0.5 : 0.5);
}

/** Where the two states meet. @param {number} share of the width */
function part(share) {
  comparison?.part(share);
  const shown = clamp(share, 0, 1);
  handle.style.left = `${shown * 100}%`;
  handle.setAttribute("aria-valuenow", String(Math.round(shown * 100)));
}

handle.addEventListener("pointerdown", (event) => {
  const box = canvas.getBoundingClientRect();
  event.preventDefault();
  handle.focus();
  untilReleased((next) => part((next.clientX - box.left) / box.width));
});
handle.addEventListener("keydown", (event) => {
  const by = { ArrowLeft: -STEP, ArrowRight: STEP, PageDown: -5 * STEP, PageUp: 5 * STEP, Home: -1, End: 1 }[event.key];
  if (by === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  part((comparison?.share ?? 0.5) + by);
});

/** The curves of a number. @param {string} address */
async function see(address) {
  for (const row of all(".differs")) row.classList.toggle("chosen", row.dataset.address === address);
  const url = new URL(location.href);
  url.searchParams.set("at", address);
  history.replaceState(null, "", url);
  await guard(() => curves.see({ ...state, address }));
}

// another state goes where it was chosen
for (const select of all(".state-choice", main, HTMLSelectElement)) {
  select.addEventListener("change", () => {
    const [first, second] = all(".state-choice", main, HTMLSelectElement).map((each) => each.value);
    location.assign(`${store.url}/versions?${new URLSearchParams({ a: first, b: second, at: store.facts.at })}`);
  });
}

/** Forget a version: it can be kept again as long as its step is there, which is always. @param {HTMLElement | null} button */
const removeVersion = (button) => guard(async () => {
  const { version = "" } = button?.dataset ?? {};
  const gone = await post(`${store.url}/versions/${version}/remove`, {});
  maybe(`#version-${version}`)?.remove();
  const again = () => guard(async () => {
    await post(`${store.url}/versions`, { revision: gone.revision, name: gone.name, note: gone.note });
    location.reload();
  });
  toast(`${gone.name} is removed from the list; its step stays.`, ["Keep it again", again]);
});

act(
  { name: "fit", keys: ["F"], run: wholeRange, label: "Fit the view to the range" },
  { name: "look", run: (button) => seeAs(button?.dataset.look ?? "wipe") },
  { name: "see-wipe", run: () => seeAs("wipe"), label: "Both states, parted by a handle" },
  { name: "see-ghost", run: () => seeAs("ghost"), label: "The first state drawn faintly over the second" },
  { name: "see-sides", run: () => seeAs("sides"), label: "Both states side by side" },
  { name: "see", run: (button) => see(button?.dataset.see ?? "") },
  { name: "sheet", run: (button) => sheet(button?.dataset.sheet ?? "") },
  { name: "go-back", run: (button) => guard(() => send(`versions/${button?.dataset.version}/back`)) },
  { name: "go-to-step", run: (button) => guard(() => send(`versions/steps/${button?.dataset.step}`)) },
  { name: "remove-version", run: removeVersion },
);
sheetForm("change-version", {
  land: async (form, fields) => {
    await post(`${store.url}/versions/${form.dataset.version}`, { name: fields.get("name"), note: fields.get("note") });
    location.reload();
    return true;
  },
});
shootWith(() => (comparison && b === "now" ? comparison.picture(PICTURE) : null));
offerViews(stage, () => []);
offerTime(transport);
offerMarks(transport, { changes: false });
listenToDivider(one("#work"));
listenToTaking(a);
onChange(() => location.reload());
tellTimes();
document.addEventListener("htmx:afterSettle", () => tellTimes());
document.addEventListener("theme", () => { stage?.dress(); comparison?.dress(); });
// a press on a row sees its number, wherever it has none of its own to do
maybe("#differs")?.addEventListener("click", (event) => {
  const row = over(event, ".differs[data-address]");
  if (row && !over(event, "input, button")) see(row.dataset.address ?? "");
});

window.lazzik = { stage, transport, comparison, curves };
seeAs(localStorage.getItem(LOOK) ?? "wipe");
transport.go(store.facts.first);
try {
  if (store.facts.at) await see(store.facts.at);
  await comparison?.load(a, b, on);
  if (stage) note.textContent = "";
  pressed("play", false);
  if (comparison && b === "now") {
    const picture = await comparison.picture(PICTURE);
    if (picture) one("#now-picture").style.backgroundImage = `url(${URL.createObjectURL(picture)})`;
  }
  document.body.dataset.ready = "true";
} catch (error) {
  if (!(error instanceof Refused)) throw error;
  note.textContent = error.message;
  toast(error.message, ["Try again", () => location.reload()]);
}
