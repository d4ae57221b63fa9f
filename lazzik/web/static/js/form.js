// The shape of an object: deformers added, muted and removed, their handles on the stage, and where they act.

import { floats, packed, Refused } from "./api.js";
import { Change } from "./drags.js";
import { commit, sceneUrl } from "./history.js";
import { Handles } from "./handles.js";
import { choose, facts } from "./session.js";
import { toast } from "./toasts.js";

export function listenToForm(root, stage, frame) {
  const handles = stage && new Handles(stage, () => new Change());
  let where = false;
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

  async function shade() {
    if (!stage) return;
    const { shape } = facts;
    if (!where || !shape?.deformer) return stage.shade(null);
    try {
      const { counts } = await packed(`${sceneUrl()}/counts?node=${shape.node}&deformer=${shape.deformer}&frame=${frame()}`);
      stage.shade(shape.node, floats(counts));
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      stage.shade(null);
      toast(error.message);
    }
  }

  return {
    changed() {
      handles?.show(facts.shape);
      document.querySelector("[data-act=where]")?.setAttribute("aria-pressed", where);
      document.querySelector("[data-act=wires]")?.setAttribute("aria-pressed", Boolean(stage?.wires));
      return shade();
    },
    toggleWhere() { where = !where; document.querySelector("[data-act=where]")?.setAttribute("aria-pressed", where); return shade(); },
    where: () => where,
  };
}
