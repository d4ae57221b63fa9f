// The feel pad: how far and how fast in one square, from calm (left) to nervous (right).

import { Change, follow } from "lazzik/studio/drags.js";
import { numberEdit } from "./knobs.js";
import { facts } from "lazzik/studio/session.js";
import { make } from "./strata.js";

const SIZE = 200;

export function openFeel(button, frame) {
  document.querySelector(".feel")?.remove();
  const address = button.dataset.feel;
  const [pace, reach] = facts.lanes.find((lane) => lane.address === address).feel;
  const knob = (name) => document.querySelector(`#strip .knob[data-address="${CSS.escape(`${address}.${name}`)}"]`);
  const scale = (name) => {
    const range = knob(name).querySelector("input[type=range]");
    return { low: Number(range.min), high: Number(range.max), step: Number(range.step), unit: knob(name).querySelector(".with-unit span").textContent };
  };
  const [along, up] = [scale(pace), scale(reach)];
  // a period is longer the calmer, a frequency lower; both are felt by ratio
  const slow = along.unit === "s";
  const least = Math.max(along.low, along.high / 80);
  const rate = (share) => least * (along.high / least) ** (slow ? 1 - share : share);
  const place = (value) => { const share = Math.log(Math.max(value, least) / least) / Math.log(along.high / least); return slow ? 1 - share : share; };
  const now = (name) => Number(knob(name).querySelector("input.num").value);

  const box = document.createElement("div");
  box.className = "feel";
  box.setAttribute("role", "dialog");
  box.setAttribute("aria-label", "Feel pad");
  const svg = make("svg", { viewBox: `0 0 ${SIZE} ${SIZE}`, tabindex: 0, role: "application", "aria-label": `Drag sideways from calm to nervous, upward for more ${reach}. Arrow keys work too.` });
  const dot = make("circle", { class: "dot", r: 7 });
  const lines = [0.25, 0.5, 0.75].flatMap((share) => [make("path", { class: "grid", d: `M${share * SIZE} 0V${SIZE}M0 ${share * SIZE}H${SIZE}` })]);
  svg.append(...lines, make("path", { class: "calm", d: `M8 ${SIZE - 10}q22-26 44 0t44 0` }), make("path", { class: "nervous", d: `M${SIZE - 62} 22l5-14 6 20 6-22 6 24 6-22 6 20 5-10` }), dot);
  const said = document.createElement("p");
  said.className = "num";
  box.append(svg, said);
  document.body.append(box);
  // over the stage, so that the curves stay in sight
  const lanes = document.getElementById("strata").getBoundingClientRect();
  box.style.left = `${lanes.left + 12}px`;
  box.style.top = `${Math.max(50, lanes.top - box.offsetHeight - 44)}px`;

  let [x, y] = [place(now(pace)), (now(reach) - up.low) / (up.high - up.low)].map((share) => Math.min(1, Math.max(0, share)));
  const draw = () => {
    dot.setAttribute("cx", x * SIZE);
    dot.setAttribute("cy", (1 - y) * SIZE);
    said.textContent = `${reach} ${values()[1]}${up.unit} · ${pace} ${values()[0]}${along.unit}`;
  };
  const values = () => [Number(rate(x).toPrecision(3)), Number((up.low + y * (up.high - up.low)).toPrecision(3))];
  const edits = () => values().map((value, i) => numberEdit(knob([pace, reach][i]), value, frame()));
  let change = null;
  const moveTo = (nx, ny) => {
    [x, y] = [nx, ny].map((share) => Math.min(1, Math.max(0, share)));
    draw();
    (change ??= new Change()).to(edits());
  };
  const land = async () => { const landing = change; change = null; await landing?.land(); };
  draw();

  svg.addEventListener("pointerdown", (event) => {
    const frameBox = svg.getBoundingClientRect();
    const share = (px, py) => [(px - frameBox.left) / frameBox.width, 1 - (py - frameBox.top) / frameBox.height];
    const before = [x, y];
    svg.focus();
    moveTo(...share(event.clientX, event.clientY));
    follow(event, {
      move: (_dx, _dy, next) => moveTo(...share(next.clientX, next.clientY)),
      done: land,
      gaveUp: async () => { [x, y] = before; draw(); const given = change; change = null; await given?.giveUp(); },
    });
  });
  svg.addEventListener("keydown", (event) => {
    const by = { ArrowLeft: [-0.02, 0], ArrowRight: [0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[event.key];
    if (event.key === "Escape") { event.stopPropagation(); return close(); }
    if (!by) return;
    event.preventDefault();
    moveTo(x + by[0], y + by[1]);
  });
  svg.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow")) land(); });
  const close = () => { box.remove(); document.removeEventListener("pointerdown", outside, true); document.removeEventListener("keydown", escape); button.focus(); };
  const outside = (event) => { if (!box.contains(event.target)) close(); };
  const escape = (event) => { if (event.key === "Escape" && !document.body.classList.contains("dragging")) close(); };
  document.addEventListener("pointerdown", outside, true);
  document.addEventListener("keydown", escape);
  svg.focus();
}
