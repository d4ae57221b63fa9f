"""What tests of shapes have in common."""

from __future__ import annotations

from typing import Any

import numpy as np
from playwright.sync_api import Page

from tests.browser.conftest import Studio


def points(studio: Studio, node: str = "post") -> Any:
    """What the stage draws of an object."""
    values = studio.page.evaluate(
        "id => [...window.lazzik.stage.nodes.get(id).mesh.geometry.attributes.position.array]", node
    )
    return np.array(values).reshape(-1, 3)


def scene_of(studio: Studio) -> Any:
    """The document as it is delivered."""
    return studio.page.evaluate("async () => (await fetch(location.pathname + '/deliver/scene')).json()")


def node_of(studio: Studio, name: str = "post") -> Any:
    return next(node for node in scene_of(studio)["nodes"] if node["id"] == name)


def add(studio: Studio, kind: str, step: int) -> None:
    studio.page.click("#add-deformer")
    studio.page.click(f"[data-add-deformer={kind}]")
    studio.lands(step)
    studio.page.wait_for_selector("#strip")


def cut(studio: Studio, segments: int) -> None:
    """Give the post so many segments upward, as the first step."""
    studio.unfolded("#n-cuts_y").fill(str(segments))
    studio.page.press("#n-cuts_y", "Enter")
    studio.lands(1)


def on_the_post(page: Page) -> Any:
    """A place of the page where the post is seen, near its top."""
    return page.evaluate(
        """() => { const s = window.lazzik.stage, b = s.canvas.getBoundingClientRect();
        for (let y = b.top + 20; y < b.bottom; y += 6) for (let x = b.left + 20; x < b.right; x += 6)
          if (s.pick(x, y) === 'post') return [x + 4, y + 30]; }"""
    )


def waits(studio: Studio, was: Any, node: str = "post") -> None:
    """Until the stage draws other points."""
    studio.page.wait_for_function(
        "([id, was]) => { const a = window.lazzik.stage.nodes.get(id).mesh.geometry.attributes.position.array;"
        " return a.length !== was.length || a.some((v, i) => Math.abs(v - was[i]) > 1e-4); }",
        arg=[node, was.ravel().tolist()],
    )
