"""When what a drag changes is seen on the page. A picture counts as seen once the frame of the page that it is in is
handed over, whose end waits for what draws the stage: without graphics hardware that takes longest of all."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Page

WATCH = """() => {
  const { previews, strata, stage } = window.lazzik;
  const push = previews.push.bind(previews), see = previews.see.bind(previews);
  const handedOver = () => new Promise((done) => {
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = done; // a task of its own, after the frame that is being made
    port2.postMessage(0);
  });
  let moved = null;
  window.seen = [];
  previews.push = (edits) => { moved ??= performance.now(); push(edits); };
  previews.see = async (edits) => {
    const began = moved;
    moved = null;
    await see(edits);
    requestAnimationFrame(() => handedOver().then(() => window.seen.push(performance.now() - began)));
  };
  window.redraw = () => new Promise((done) => requestAnimationFrame(() => {
    const began = performance.now();
    stage.draw(false); // what the drag changes, as it does itself
    strata.draw();
    handedOver().then(() => done(performance.now() - began));
  }));
}"""

REDRAWS = 30

SETTLE = 5
"""Moves at the beginning of a drag that are left out."""


def dragged(page: Page, knob: str, moves: int, pause: int) -> tuple[np.ndarray, float]:
    """Milliseconds from each move of a slider to what is seen of it; and how long the same takes to be drawn alone,
    meanwhile, in the median."""
    box = page.locator(f"{knob} input[type=range]").bounding_box()
    assert box
    page.evaluate(WATCH)
    y = box["y"] + 5
    page.mouse.move(box["x"] + 20, y)
    page.mouse.down()
    for n in range(moves):
        page.mouse.move(box["x"] + 20 + 30 * abs(np.sin(n / 9)) + n / 60, y)
        page.wait_for_timeout(pause)
    redraws = [float(page.evaluate("() => window.redraw()")) for _ in range(REDRAWS)]
    page.mouse.up()
    return np.array(page.evaluate("() => window.seen"))[SETTLE:], float(np.median(redraws))
