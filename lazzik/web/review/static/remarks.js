// Remarks at frames: written here, saved to a file, opened in the studio as marks on the ruler.

import { content, one } from "./parts.js";

/** @typedef {{ frame: number, text: string, of: string }} Remark */

export class Remarks {
  /** @type {Remark[]} */
  rows = [];
  saved = true;

  /**
   * @param {() => number} now the frame that is seen
   * @param {(frame: number) => void} go
   * @param {() => string} of what is seen
   */
  constructor(now, go, of) {
    Object.assign(this, { now, go, of });
    this.now = now;
    this.go = go;
    this.of = of;
    this.text = one("#remark", HTMLTextAreaElement);
    one("#remark-form").addEventListener("submit", (event) => {
      event.preventDefault();
      this.add();
    });
    this.text.addEventListener("keydown", (event) => {
      if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) this.add();
      if (event.key === "Escape") this.text.blur();
    });
    one("#save").addEventListener("click", () => this.save());
    addEventListener("beforeunload", (event) => { if (!this.saved) event.preventDefault(); });
    this.show();
  }

  begin() { this.text.focus(); }

  add() {
    const text = this.text.value.trim();
    if (!text) return this.begin();
    this.rows.push({ frame: this.now(), text, of: this.of() });
    this.rows.sort((a, b) => a.frame - b.frame);
    this.text.value = "";
    this.saved = false;
    return this.show();
  }

  show() {
    one("#remarks").replaceChildren(...this.rows.map((row) => {
      const item = document.createElement("li");
      const to = document.createElement("button");
      to.textContent = String(row.frame);
      to.title = "Go to this frame";
      to.addEventListener("click", () => this.go(row.frame));
      const text = document.createElement("span");
      text.textContent = row.text;
      const off = document.createElement("button");
      off.textContent = "×";
      off.setAttribute("aria-label", `Remove the remark at ${row.frame}`);
      off.addEventListener("click", () => {
        this.rows = this.rows.filter((other) => other !== row);
        this.saved = !this.rows.length;
        this.show();
      });
      item.append(to, text, off);
      return item;
    }));
    one("#save", HTMLButtonElement).disabled = !this.rows.length;
    one("#no-remarks").hidden = this.rows.length > 0;
  }

  /** Give the remarks to the person as a file. */
  save() {
    const by = one("#by", HTMLInputElement).value.trim();
    const file = { format: "lazzik-remarks", version: 1, scene: content.scene, ...(by && { by }), remarks: this.rows };
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([JSON.stringify(file, null, 1)], { type: "application/json" }));
    const letters = content.scene.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "") || "scene";
    link.download = `${letters}-remarks.json`;
    link.click();
    URL.revokeObjectURL(link.href);
    this.saved = true;
  }
}
