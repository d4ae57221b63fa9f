// Short messages at the corner, with what can be done about them.

export function toast(sentence, ...choices) {
  const box = document.createElement("div");
  box.className = "toast show";
  const text = document.createElement("div");
  text.className = "toast-body";
  text.textContent = sentence;
  const row = document.createElement("div");
  row.className = "row-of mt-2";
  for (const [label, act] of [...choices, ["Close", () => {}]]) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn btn-sm";
    button.textContent = label;
    button.addEventListener("click", () => { box.remove(); act(); });
    row.append(button);
  }
  text.append(row);
  box.append(text);
  const shown = document.getElementById("toasts");
  shown.replaceChildren(box);
  if (!choices.length) setTimeout(() => box.remove(), 7000);
}
