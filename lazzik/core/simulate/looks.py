"""How particles look: size, colour and turn; of what an emitter sends out by its curves over life."""

from __future__ import annotations

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.document import Frozen
from lazzik.core.evaluate.copies import chance
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.geometry.quaternions import quaternions_of
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.node import Look
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.chance import ABOUT, AXIS, BEGUN, SIZE, SPIN, varied
from lazzik.core.simulate.particles import Moment, Particles
from lazzik.core.simulate.swarm import SwarmRun
from lazzik.core.types import Points, Quaternions, Samples


def looks_of(run: Particles | SwarmRun, moment: Moment) -> tuple[Samples, Points]:
    """How large the particles of a run are, and what colour they have.

    Returns
    -------
    (n,) array, (n, 4) array
        Metres; red, green and blue as screens code them, and how solid, each 0 to 1.
    """
    scene, slug = run.scene, run.node.id
    if isinstance(run, Particles):
        return sizes_of(scene, slug, run.emitter, run.seed, moment), colors_of(run.emitter, moment)
    color = (run.node.look or Look()).color
    tint = [min(max(_now(scene, slug, color, name, moment.frame), 0.0), 1.0) for name in ("r", "g", "b")]
    across = max(_now(scene, slug, run.swarm, "size", moment.frame), 0.0) * run.spacing
    return np.full(len(moment), across), np.tile([*tint, 1.0], (len(moment), 1))


def sizes_of(scene: Scene, slug: str, emitter: Emitter, seed: int, moment: Moment) -> Samples:
    """How large particles are.

    Returns
    -------
    (n,) array
        Metres.
    """
    size, varies = (_now(scene, slug, emitter, name, moment.frame) for name in ("size", "size_varies"))
    over = np.array(emitter.size_over_life)
    times = np.interp(_shares(moment), over[:, 0], over[:, 1])
    return np.asarray(max(size, 0.0) * varied(moment.ids, seed, SIZE, min(max(varies, 0.0), 1.0)) * times)


def colors_of(emitter: Emitter, moment: Moment) -> Points:
    """What colour particles have, and how solid they are.

    Returns
    -------
    (n, 4) array
        Red, green and blue as screens code them, and how solid, each 0 to 1.
    """
    over = np.array(emitter.color_over_life)
    shares = _shares(moment)
    return np.stack([np.interp(shares, over[:, 0], over[:, k]) for k in range(1, 5)], axis=1)


def turns_of(scene: Scene, slug: str, emitter: Emitter, seed: int, moment: Moment) -> Quaternions:
    """How copies are turned: their x along their way with y as upright as that allows, or each about an axis of its
    own, by the integral of the spin since it was born.

    Returns
    -------
    (n, 4) array
        x, y, z, w, of unit length.
    """
    if emitter.turned == "way":
        return _along(moment.speeds)
    varies = min(max(_now(scene, slug, emitter, "spin_varies", moment.frame), 0.0), 1.0)
    begun = 2.0 * np.pi * chance(moment.ids, seed, BEGUN)
    angle = begun + np.radians(_spun(scene, slug, emitter, moment)) * varied(moment.ids, seed, SPIN, varies)
    z = 2.0 * chance(moment.ids, seed, AXIS) - 1.0  # even over the sphere
    about, flat = 2.0 * np.pi * chance(moment.ids, seed, ABOUT), np.sqrt(np.maximum(0.0, 1.0 - z * z))
    axes = np.stack([flat * np.cos(about), flat * np.sin(about), z], axis=1)
    return np.concatenate([axes * np.sin(0.5 * angle)[:, None], np.cos(0.5 * angle)[:, None]], axis=1)


def _spun(scene: Scene, slug: str, emitter: Emitter, moment: Moment) -> Samples:
    """(n,) degrees that each has turned since it was born, but for its own share of them."""
    if not len(moment):
        return np.zeros(0)
    born = moment.frame - moment.ages * scene.fps
    grid = np.arange(np.floor(born.min()), np.ceil(moment.frame) + 1.0)
    scope = Scope(scene, None, []).at(slug)
    value = np.asarray(value_of(emitter, "spin", Clock(scene.fps, scene.first, grid), scope), dtype=float)
    spin = np.broadcast_to(np.nan_to_num(value), grid.shape)
    turned = np.concatenate([[0.0], np.cumsum(0.5 * (spin[1:] + spin[:-1]))]) / scene.fps
    return np.asarray(np.interp(moment.frame, grid, turned) - np.interp(born, grid, turned))


def _along(ways: Points) -> Quaternions:
    """(n, 4) x along each way, z level (along the scene's z for a way straight up or down)."""
    length = np.linalg.norm(ways, axis=1)
    x = np.where((length > 1e-9)[:, None], ways / np.maximum(length, 1e-9)[:, None], [1.0, 0.0, 0.0])
    z = np.stack([-x[:, 2], np.zeros(len(x)), x[:, 0]], axis=1)
    level = np.linalg.norm(z, axis=1)
    z = np.where((level > 1e-6)[:, None], z / np.maximum(level, 1e-6)[:, None], [0.0, 0.0, 1.0])
    y = np.cross(z, x)
    y /= np.maximum(np.linalg.norm(y, axis=1, keepdims=True), 1e-12)
    z = np.cross(x, y)
    return quaternions_of(np.stack([x, y, z], axis=2))


def _now(scene: Scene, slug: str, part: Frozen, name: str, frame: float) -> float:
    clock = Clock(scene.fps, scene.first, np.array([float(frame)]))
    value = float(np.ravel(value_of(part, name, clock, Scope(scene, None, []).at(slug)))[0])
    return value if np.isfinite(value) else 0.0


def _shares(moment: Moment) -> Samples:
    """(n,) how much of its life each has had."""
    return np.asarray(np.clip(moment.ages / np.maximum(moment.lives, 1e-9), 0.0, 1.0))
