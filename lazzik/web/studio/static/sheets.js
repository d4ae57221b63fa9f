// Sheets over the studio: fragments from the server, whose buttons carry the edits that they stand for.

import { guard } from "lazzik/lib/guard.js";
import { post, Refused, text, upload } from "lazzik/lib/api.js";
import { members } from "./choice.js";
import { Change } from "./drags.js";
import { commit, sceneUrl, send } from "./history.js";
import { follow } from "lazzik/lib/jobs.js";
import { choose, facts } from "./session.js";
import { toast } from "lazzik/lib/toasts.js";

let dialog = null;

export async function sheet(name, asked = {}) {
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(asked)) for (const item of [value].flat()) query.append(key, item);
  await guard(async () => {
    show(await text(`${sceneUrl()}/${name}?${query}`), name);
  });
}

// the object that a step added, its shape open if it has one
async function openNew(state) {
  const [added] = state?.added ?? [];
  const shaped = added && document.querySelector(`#row-${CSS.escape(added)} svg use[href$="#diagram-3"]`) === null;
  if (added) await choose(shaped ? `${added}/shape` : `${added}/rotation.z`, { moving: false });
}

function show(content, name) {
  if (!dialog?.open) {
    dialog = document.createElement("dialog");
    dialog.addEventListener("close", () => { dialog.remove(); dialog.dispatchEvent(new Event("gone")); });
    dialog.addEventListener("click", (event) => { if (event.target === dialog) dialog.close(); });
    document.body.append(dialog);
    listen(dialog);
  }
  dialog.className = `sheet-dialog sheet-${name}`;
  // the fragment is the server's own page part, every value in it escaped there
  const page = new DOMParser().parseFromString(content, "text/html");
  const close = Object.assign(document.createElement("button"), { type: "button", className: "close", title: "Close (Escape)" });
  close.setAttribute("aria-label", "Close");
  close.append("×");
  close.addEventListener("click", () => dialog.close());
  dialog.replaceChildren(close, ...page.body.children);
  dialog.setAttribute("aria-label", dialog.querySelector("h2")?.textContent ?? name);
  if (!dialog.open) dialog.showModal();
  prepare[dialog.querySelector("form")?.id]?.(dialog.querySelector("form"));
}

function listen(box) {
  box.addEventListener("click", async (event) => {
    const button = event.target.closest("button");
    if (button?.dataset.edits) {
      const edits = JSON.parse(button.dataset.edits);
      box.close();
      const state = await commit(edits);
      if ("thenNew" in button.dataset) await openNew(state);
    } else if (button?.dataset.go) {
      box.close();
      await choose(button.dataset.go);
    } else if (button?.dataset.formulaExample) {
      box.close();
      const field = document.querySelector("[data-formula] input");
      if (!field) return;
      field.value = button.dataset.formulaExample;
      field.focus();
      field.dispatchEvent(new Event("input", { bubbles: true }));
    }
  });
  box.addEventListener("change", async (event) => {
    if (event.target.id !== "bring-file") return;
    const said = box.querySelector(".field-error");
    said.textContent = "Reading …";
    await guard(async () => {
      const files = [...event.target.files];
      const content = new FormData();
      for (const file of files) content.append("file", file);
      let state;
      if (/\.(ttf|otf)$/i.test(files[0].name)) {
        const { label, asset } = await upload(files[0]);
        state = await commit([{ do: "add-object", label, shape: { kind: "lettering", font: asset } }], { quiet: true });
      } else if (/\.csv$/i.test(files[0].name)) {
        content.set("at", facts.channel);
        content.set("fitted", box.querySelector("[name=fitted]").checked);
        state = await send("bring-curves", content);
      } else {
        content.set("depth", box.querySelector("[name=depth]").value || "0");
        state = await send("bring", content);
      }
      box.close();
      if (state?.notes?.length) toast(state.notes.join(" "));
      await openNew(state);
    }, (sentence) => { said.textContent = sentence; });
    event.target.value = "";
  });
  box.addEventListener("submit", async (event) => {
    event.preventDefault();
    const form = event.target;
    const fields = new FormData(form);
    await guard(async () => {
      await landing[form.id || form.dataset.form](form, fields, box);
    }, (sentence) => { form.querySelector(".field-error").textContent = sentence; });
  });
}

// the fields of a form that say something; lists are written as JSON
const filled = (form, fields) => Object.fromEntries([...fields].filter(([, value]) => value !== "").map(([name, value]) =>
  [name, form.elements[name].dataset?.list !== undefined ? JSON.parse(value) : value === "true" ? true : value]));

// what a form's button does; a refusal is said in the form, and the sheet stays
const landing = {
  // a form that is one edit with the fields' values in it
  edit: async (form, fields, box) => {
    if (await commit([{ ...JSON.parse(form.dataset.edit), ...filled(form, fields) }], { quiet: true })) box.close();
  },
  // a form that is a request of its own
  send: async (form, fields, box) => {
    const button = form.querySelector("[type=submit]");
    button.disabled = true;
    try { await send(form.dataset.send, filled(form, fields)); box.close(); } finally { button.disabled = false; }
  },
  "dial-form": async (form, fields, box) => {
    const dial = form.dataset.dial;
    const content = Object.fromEntries(fields);
    const done = await commit([dial ? { do: "change-dial", dial, ...content } : { do: "add-dial", ...content }], { quiet: true });
    if (done) box.close();
  },
  "recipe-form": async (form, fields, box) => {
    const expose = fields.getAll("expose").map((target) => ({ target }));
    const edit = { do: "save-recipe", address: form.dataset.address, label: fields.get("label"), note: fields.get("note"), expose };
    if (await commit([edit], { quiet: true })) box.close();
  },
  "duplicate-form": async (form, fields, box) => {
    const n = (name) => fields.get(name);
    const edit = { do: "duplicate", node: form.dataset.node, count: n("count"), how: n("how"), move: [n("mx"), n("my"), n("mz")],
      turn: [n("tx"), n("ty"), n("tz")], scale: [n("scale"), n("scale"), n("scale")], radius: n("radius"), across: n("across") };
    if (await commit([edit], { quiet: true })) box.close();
  },
  "shape-bake-form": async (form, fields, box) => {
    const button = form.querySelector("[type=submit]");
    const content = { node: form.dataset.node, how: fields.get("how"), first: Number(fields.get("first")), last: Number(fields.get("last")), tolerance: Number(fields.get("tolerance")) / 1000 };
    button.disabled = true;
    form.querySelector(".field-error").textContent = "";
    try {
      await send("bake-shape", content, async (news) => {
        const closed = () => post(`/jobs/${news.id}/stop`, {});
        dialog.addEventListener("gone", closed);
        const over = await follow(news);
        dialog.removeEventListener("gone", closed);
        if (over?.state !== "done") throw new Refused(422, over?.said ?? "");
        return JSON.parse(await text(`/jobs/${news.id}/result`));
      });
      box.close();
    } finally { button.disabled = false; }
  },
  "stagger-form": async (form, _fields, box) => {
    const change = form.change;
    form.change = null;
    if (!change) return box.close();
    await change.land();
    if (!form.querySelector(".field-error").textContent) box.close();
  },
};

// what a form needs once it is shown
const prepare = {
  "duplicate-form": (form) => form.addEventListener("input", () => {
    for (const part of form.querySelectorAll("[data-for]")) part.hidden = !part.dataset.for.split(" ").includes(form.elements.how.value);
  }),
  "shape-bake-form": (form) => form.elements.how.addEventListener("change", () => {
    form.querySelector("[data-tolerance]").hidden = form.elements.how.value === "frames";
  }),
  "stagger-form": (form) => {
    const said = form.querySelector(".field-error");
    const members = JSON.parse(form.dataset.members);
    const preview = () => {
      const by = form.elements.by.value;
      for (const label of form.querySelectorAll("[data-for]")) label.hidden = label.dataset.for !== by;
      form.querySelector("[data-amount]").textContent = by === "step" ? "each later by" : "over";
      const edit = {
        do: "stagger", by, addresses: members.map((member) => `${member}#${form.dataset.layerId}.${form.elements.number.value}`),
        start: form.elements.start.value, amount: form.elements.amount.value, axis: form.elements.axis.value,
      };
      if (by === "random") edit.seed = form.elements.seed.value;
      if (by === "distance" && form.elements.origin.value) edit.origin = form.elements.origin.value;
      form.change ??= new Change((sentence) => { said.textContent = sentence; });
      form.change.to([edit]);
    };
    form.addEventListener("input", preview);
    dialog.addEventListener("gone", () => form.change?.giveUp(), { once: true });
    preview();
  },
};

export function stagger() {
  const lane = facts.lanes.find((item) => item.chosen);
  if (!lane) return toast("Choose a layer first: its numbers are what is spread.");
  if (members().length < 2) return toast("Choose more numbers first: hold Ctrl and press other objects at the left.");
  return sheet("stagger", { at: lane.address, also: facts.also });
}
