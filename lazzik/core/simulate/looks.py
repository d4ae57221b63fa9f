"""How particles look at their ages: size and colour, from the emitter's numbers and its curves over life."""

from __future__ import annotations

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.emitter import Emitter
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.chance import SIZE, varied
from lazzik.core.simulate.particles import Moment
from lazzik.core.types import Points, Samples


def sizes_of(scene: Scene, slug: str, emitter: Emitter, seed: int, moment: Moment) -> Samples:
    """How large particles are.

    Returns
    -------
    (n,) array
        Metres.
    """
    clock = Clock(scene.fps, scene.first, np.array([float(moment.frame)]))
    scope = Scope(scene, None, []).at(slug)
    size, varies = (float(np.ravel(value_of(emitter, name, clock, scope))[0]) for name in ("size", "size_varies"))
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


def _shares(moment: Moment) -> Samples:
    """(n,) how much of its life each has had."""
    return np.asarray(np.clip(moment.ages / np.maximum(moment.lives, 1e-9), 0.0, 1.0))
