"""What numbers of a scene are over a clock, asked for by their addresses."""

from __future__ import annotations

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.alike import work_out_alike
from lazzik.core.evaluate.evaluator import value_at
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


def evaluate(scene: Scene, addresses: list[str], clock: Clock, memo: Memo | None = None) -> dict[str, Samples]:
    """Values of each address on the clock.

    Returns
    -------
    dict of (frames,) arrays
        By address, each in its number's unit.

    Raises
    ------
    UnknownAddress
        If one leads nowhere.
    BadFormula
        If one has no value.
    """
    scope = Scope(scene, memo).running()
    places = {text: scope.place(text) for text in addresses}
    work_out_alike(((place.home, place.number) for place in places.values()), clock, scope)
    values = {text: value_at(place, clock, scope) for text, place in places.items()}
    return {text: np.full(len(clock.frames), v) if isinstance(v, float | int) else v for text, v in values.items()}
