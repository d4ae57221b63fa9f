// The shape of an object: deformers added, muted and removed, their handles on the stage, and where they act.

import { guard } from "lazzik/lib/guard.js";
import { floats, packed, Refused, upload } from "lazzik/lib/api.js";
import { Change } from "lazzik/studio/drags.js";
import { commit, sceneUrl, send } from "lazzik/studio/history.js";
import { Handles } from "lazzik/stage/handles.js";
import { choose, facts } from "lazzik/studio/session.js";
import { toast } from "lazzik/lib/toasts.js";

const base64 = (numbers) => {
  let text = "";
  const bytes = new Uint8Array(numbers.buffer);
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return btoa(text);
};

const chooseFile = (accept) => new Promise((done) => {
  const field = Object.assign(document.createElement("input"), { type: "file", accept });
  field.addEventListener("change", () => done(field.files[0]));
  field.addEventListener("cancel", () => done(null));
  field.click();
});

export function listenToForm(root, stage, frame) {
  const handles = stage && new Handles(stage, () => new Change());
  let where = ""; // what the stage shades: "counts", "lift", or nothing
  const node = () => document.getElementById("form")?.dataset.node;

  root.addEventListener("click", async (event) => {
    const button = event.target.closest("button");
    if (!button || !node()) return;
    if (button.dataset.addDeformer) {
      const before = new Set([...root.querySelectorAll(".lane.form")].map((row) => row.dataset.deformer));
      if (!(await commit([{ do: "add-deformer", node: node(), kind: button.dataset.addDeformer }]))) return;
      const added = [...root.querySelectorAll(".lane.form")].find((row) => !before.has(row.dataset.deformer));
      if (added) await choose(`${node()}/shape#${added.dataset.deformer}`);
    } else if (button.dataset.mute) {
      commit([{ do: "change-deformer", node: node(), deformer: button.dataset.mute, muted: button.getAttribute("aria-pressed") !== "true" }]);
    } else if ("removeDeformer" in button.dataset) {
      commit([{ do: "remove-deformer", node: node(), deformer: facts.shape.deformer }]);
    } else if (button.dataset.mend) {
      commit(JSON.parse(button.dataset.mend));
    }
  });

  // what needs more than a value: a point picked on the stage, a picture from a file, weights to paint
  root.addEventListener("special", async (event) => {
    const what = event.detail;
    const { shape } = facts;
    try {
      if (what === "pick") {
        toast("Press the place on the object that it should turn about.");
        const point = await stage.pickPoint(node());
        if (point) await commit([{ do: "set-pivot", node: node(), point, stay: root.querySelector("[data-pivot]").dataset.stay }]);
      } else if (what === "picture") {
        const file = await chooseFile(".png,.jpg,.jpeg");
        if (!file) return;
        const { asset, label } = await upload(file);
        await commit([{ do: "change-deformer", node: shape.node, deformer: shape.deformer, mask: { kind: "picture", asset, label } }]);
      } else {
        const count = stage.nodes.get(shape.node)?.mesh?.geometry.attributes.position.count ?? 0;
        await send("paint", { node: shape.node, deformer: shape.deformer, weights: base64(new Float32Array(count)) });
        where = "counts";
        paint(true);
      }
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      toast(error.message);
    } finally {
      event.target.querySelector("select").value = event.target.querySelector("option[selected]")?.value ?? "";
    }
  });

  // painting: the brush adds weight to the points near where it passes, and lands as one step
  let painting = false;
  function paint(on) {
    painting = on;
    document.querySelector("[data-act=paint]")?.setAttribute("aria-pressed", on);
    if (stage) stage.controls.enabled = !on;
    return shade();
  }
  stage?.canvas.addEventListener("pointerdown", (event) => {
    if (!painting || event.button || !stage.counts) return;
    event.preventDefault();
    const { shape } = facts;
    const weights = stage.counts.slice();
    const brush = (at) => stage.brush(shape.node, at.clientX, at.clientY, weights, at.shiftKey ? -0.25 : 0.25);
    brush(event);
    const stop = new AbortController();
    window.addEventListener("pointermove", brush, { signal: stop.signal });
    window.addEventListener("pointerup", async () => {
      stop.abort();
      await guard(() => send("paint", { node: shape.node, deformer: shape.deformer, weights: base64(weights) }));
    }, { signal: stop.signal });
  });

  const press = () => ["counts", "lift"].forEach((what) =>
    document.querySelector(`[data-act=${what === "lift" ? "height" : "where"}]`)?.setAttribute("aria-pressed", where === what));

  let newest = 0; // an answer that comes late must not cover a newer one
  async function shade() {
    if (!stage) return;
    const mine = ++newest;
    const { shape } = facts;
    if (!where || !shape?.deformer) return stage.shade(null);
    try {
      const what = where === "lift" && shape.pushes ? "lift" : "counts";
      const told = await packed(`${sceneUrl()}/counts?node=${shape.node}&deformer=${shape.deformer}&frame=${frame()}&what=${what}`);
      if (mine === newest) stage.shade(Object.entries(told[what]).map(([id, values]) => [id, floats(values)]), what === "lift");
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      if (mine !== newest) return;
      stage.shade(null);
      toast(error.message);
    }
  }

  return {
    changed() {
      handles?.show(facts.shape);
      if (painting && !document.querySelector("[data-act=paint]")) paint(false);
      document.querySelector("[data-act=paint]")?.setAttribute("aria-pressed", painting);
      press();
      document.querySelector("[data-act=wires]")?.setAttribute("aria-pressed", Boolean(stage?.wires));
      return shade();
    },
    toggleWhere(what = "counts") { where = where === what ? "" : what; press(); return shade(); },
    togglePaint: () => { where = "counts"; press(); return paint(!painting); },
    async permanent() {
      await guard(() => send("permanent", { node: facts.shape.node, frame: frame() }));
    },
  };
}
