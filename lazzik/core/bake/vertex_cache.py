"""Baking a deformation to points per frame: exact at whole frames, straight between them, as large as it is long."""

from __future__ import annotations

import numpy as np

from lazzik.core.bake.morph_targets import bakeable
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import hangs_as_cloth
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.geometry.assets import pack_frames
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.morph_targets import ShapeFrames
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen

LARGEST = 64 * 2**20
"""Bytes of points in one bake."""


def bake_frames(
    scene: Scene, node: Node, first: int, last: int, scope: Scope, progress: Progress = UNHEARD
) -> ShapeFrames:
    """An object's deformation over a range as points per frame; its own deformers are what they stand for.

    Raises InvalidEdit if there is nothing to bake, or too much, and Stopped.
    """
    own = bakeable(scene, node, first, last)
    clock = Clock.over(scene.fps, scene.first, last, start=first, per_frame=PER_FRAME)
    motion = surface_seen(scene, node, clock, scope, own=True, progress=progress)
    count = len(motion.rest.points)
    if 4 * 3 * count * (last - first + 1) > LARGEST:
        raise InvalidEdit(
            f"{count:,} points over {last - first + 1:,} frames take more than {LARGEST >> 20} MB; bake fewer frames",
            "range",
        )
    offsets = np.empty((last - first + 1, count, 3), np.float32)
    worst, between = 0.0, []
    every = motion.each() if not motion.still else ((i, motion.points(0)) for i in range(len(clock.frames)))
    for index, points in every:
        progress.report(index / len(clock.frames), "points of each frame")
        moved = points - motion.rest_plain(index)
        frame, part = divmod(index, PER_FRAME)
        if part:
            between.append(moved)
            continue
        offsets[frame] = moved
        for k, true in enumerate(between, 1):
            line = offsets[frame - 1] + (offsets[frame] - offsets[frame - 1]) * (k / PER_FRAME)
            worst = max(worst, float(np.linalg.norm(line - true, axis=1).max(initial=0.0)))
        worst = max(worst, float(np.linalg.norm(offsets[frame] - moved, axis=1).max(initial=0.0)))
        between = []
    name = scene.assets.put(pack_frames(offsets))
    return ShapeFrames(
        asset=name, first=first, last=last, worst=worst, points=count, switched_off=own,
        was_cloth=hangs_as_cloth(node),
    )  # fmt: skip
