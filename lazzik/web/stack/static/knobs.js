// Number controls: a slider and fields that preview while they move and land as one step.

import { guard } from "lazzik/lib/guard.js";
import { Change, follow } from "lazzik/studio/drags.js";
import { autoKeys } from "lazzik/stage/gizmo.js";
import { commit } from "lazzik/studio/history.js";
import { facts } from "lazzik/studio/session.js";

export const numberEdit = (knob, value, frame) =>
  knob.dataset.keyed === "true" || autoKeys()
    ? { do: "put-key", address: knob.dataset.address, frame, value }
    : { do: "set", address: knob.dataset.address, value };

const part = (range) => {
  const share = (range.value - range.min) / (range.max - range.min);
  range.style.setProperty("--part", Math.min(1, Math.max(0, share)));
};

export const paintSliders = () => document.querySelectorAll(".knob input[type=range]").forEach((range) => {
  const typed = range.closest(".knob").querySelector("input.num");
  if (document.activeElement !== range) range.value = typed.value || range.closest(".knob").dataset.open || 0;
  part(range);
});

// say what was wrong at the control itself
export function wrong(knob, sentence) {
  knob.classList.toggle("wrong", Boolean(sentence));
  const said = knob.closest(".strip, .lane")?.querySelector(".field-error") ?? document.querySelector("#strip .field-error, #key-form .field-error");
  if (said) said.textContent = sentence;
  knob.querySelector("input.num, select")?.setAttribute("aria-invalid", Boolean(sentence));
}

// the edit that a typed field stands for, or null if it stands as it was
// 'ball', or a kind and what it is made from: 'weights:<asset>'
function maskOf(value) {
  const [kind, asset] = value.split(":");
  return value ? { kind, ...(asset && { asset }) } : null;
}

function typedEdit(knob, value, frame) {
  const { layer, field, setting, option, shape, deformer, choice } = knob.dataset;
  const node = document.getElementById("form")?.dataset.node;
  if ("pivot" in knob.dataset) return value ? { do: "set-pivot", node, box: value, stay: knob.dataset.stay } : null;
  if ("pivotAxis" in knob.dataset) {
    const point = [0, 0, 0];
    point[knob.dataset.pivotAxis] = Number(value) - Number(knob.querySelector("input").defaultValue);
    return { do: "set-pivot", node, point, stay: knob.dataset.stay };
  }
  if (shape === "text" || shape === "font") return { do: "change-shape", node, fields: { [shape]: value } };
  if (shape) return { do: "change-shape", node, fields: { [shape]: /^(true|false)$/.test(value) ? value === "true" : Number(value) } };
  if (choice) return { do: "change-deformer", node, deformer, settings: { [choice]: value } };
  if ("of" in knob.dataset) return { do: "change-deformer", node, deformer, of: value || null };
  if ("invert" in knob.dataset) return { do: "change-deformer", node, deformer, mask_invert: value === "true" };
  if ("mask" in knob.dataset) return { do: "change-deformer", node, deformer, mask: maskOf(value) };
  if (field) return { do: "change-layer", address: layer, [field]: value.trim() === "" ? (field.startsWith("fade") ? 0 : null) : value };
  if (setting) return { do: "change-layer", address: layer, settings: { [setting]: value } };
  if (option) return { do: "change-layer", address: layer, [option]: value };
  if ("open" in knob.dataset && value.trim() === "") value = knob.dataset.open;
  return numberEdit(knob, value, frame);
}

export function listenToKnobs(root, frame) {
  let change = null;
  const begin = (knob) => (change ??= new Change((sentence) => wrong(knob, sentence)));
  const finish = async () => { const landing = change; change = null; await landing?.land(); };

  root.addEventListener("input", (event) => {
    if (!event.target.matches(".knob input[type=range]")) return;
    const knob = event.target.closest(".knob");
    const value = Number(event.target.value);
    knob.querySelector("input.num").value = value;
    part(event.target);
    begin(knob).to([numberEdit(knob, value, frame())]);
  });

  root.addEventListener("change", async (event) => {
    const knob = event.target.closest(".knob");
    if (!knob || event.target.closest("#key-form, #key-table")) return;
    if (event.target.type === "range") return finish();
    const was = event.target.tagName === "SELECT" ? null : event.target.defaultValue;
    if (event.target.value === was) return wrong(knob, "");
    if (event.target.value === "pick" || /^(picture|painted) …$|^weights$|^picture$/.test(event.target.value)) {
      return knob.dispatchEvent(new CustomEvent("special", { bubbles: true, detail: event.target.value }));
    }
    const edit = typedEdit(knob, event.target.value, frame());
    if (!edit) return;
    await guard(async () => {
      if (await commit([edit], { quiet: true })) wrong(knob, "");
    }, (sentence) => wrong(knob, sentence));
  });

  root.addEventListener("keydown", (event) => {
    const field = event.target.closest(".knob input.num");
    if (!field || field.closest("#key-form")) return;
    if (event.key === "Enter") field.blur();
    if (event.key === "Escape") { field.value = field.defaultValue; wrong(field.closest(".knob"), ""); field.blur(); }
    const knob = field.closest(".knob");
    if ((event.key === "ArrowUp" || event.key === "ArrowDown") && knob.dataset.address) {
      event.preventDefault();
      const range = knob.querySelector("input[type=range]");
      const step = Number(range?.step ?? 0.05) * (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
      const value = Number((Number(field.value) + step).toFixed(6));
      if (!Number.isFinite(value)) return;
      field.value = value;
      begin(knob).to([numberEdit(knob, value, frame())]);
    }
  });
  root.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow") && event.target.matches(".knob input.num")) finish(); });

  // a field without a slider is dragged sideways
  root.addEventListener("pointerdown", (event) => {
    const field = event.target.closest(".knob.weight input, .knob.base-value input");
    if (!field || document.activeElement === field) return;
    const knob = field.closest(".knob");
    const from = Number(field.value);
    const scale = knob.classList.contains("weight") ? 0.01 : facts.step;
    follow(event, {
      move: (dx) => {
        const value = Number((from + dx * scale).toFixed(6));
        field.value = value;
        begin(knob).to([numberEdit(knob, value, frame())]);
      },
      done: (moved) => { if (moved) finish(); else { field.focus(); field.select(); } },
      gaveUp: () => { field.value = from; const given = change; change = null; given?.giveUp(); },
    });
  });
}
