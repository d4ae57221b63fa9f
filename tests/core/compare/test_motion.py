"""Two states in motion: in step, how far apart, and nothing worked out of what is equal in both."""

from __future__ import annotations

import numpy as np
import pytest

from lazzik.core.compare.motion import apart, farthest_apart, in_step, moving_apart
from lazzik.core.errors import UnknownAddress
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.scene.scene import Scene
from tests.conftest import edited
from tests.core.compare.edits import MAST

CALMER = {"do": "set", "address": f"{MAST}#gust.amplitude", "value": 3}
LINKED = {"do": "add-layer", "address": "sign/rotation.z", "kind": "link", "settings": {"source": MAST}}


def test_the_difference_is_that_of_two_evaluations(demo: Scene) -> None:
    calmer = edited(demo, CALMER)
    found = apart(Scope(demo), Scope(calmer), MAST, calmer.clock())
    values = [evaluate(scene, [MAST], scene.clock())[MAST] for scene in (demo, calmer)]
    np.testing.assert_array_equal(found.before, values[0])
    np.testing.assert_array_equal(found.after, values[1])
    np.testing.assert_array_equal(found.difference, values[1] - values[0])


def test_what_is_in_one_of_them_only_has_no_difference(demo: Scene) -> None:
    without = edited(demo, {"do": "remove-layer", "address": f"{MAST}#gust"})
    found = apart(Scope(demo), Scope(without), f"{MAST}#gust.amplitude", demo.clock())
    assert (found.after, found.difference) == (None, None)
    assert found.before is not None
    assert set(found.before) == {4.8}
    with pytest.raises(UnknownAddress, match="in either of them"):
        apart(Scope(demo), Scope(without), "mast/position.w", demo.clock())


def test_states_of_two_rates_are_compared_at_the_same_seconds(demo: Scene) -> None:
    slower = edited(demo, {"do": "change-scene", "fps": 15, "keep": "seconds"})
    clock = slower.clock()
    own = in_step(demo, clock)
    np.testing.assert_allclose(own.frames / demo.fps, clock.frames / slower.fps)
    found = apart(Scope(demo), Scope(slower), "anemometer/rotation.y", clock)
    assert found.difference is not None
    assert found.after is not None
    assert np.abs(found.difference).max() < 1e-6 * max(1.0, np.abs(found.after).max())
    assert in_step(demo, demo.clock()).key is not None  # kept results serve


def test_the_number_that_is_farthest_apart_comes_first_and_readers_count(demo: Scene) -> None:
    evaluate(demo, ["aerial/deform.whip.angle"], demo.clock())  # what was worked out before changes nothing
    linked = edited(demo, LINKED)
    calmer = edited(linked, CALMER, {"do": "set", "address": "mast/position.x", "value": 0.31})
    rows = farthest_apart(Scope(linked), Scope(calmer))
    sizes = dict(rows)
    plates = {f"guy-plate-{i}/deform.wring.angle" for i in (1, 2, 3)}  # they follow the mast
    blown = {"aerial/deform.whip.angle", "rotor/rotation.y", "ribbon/deform.stream.height"}  # with it, in other air
    assert set(sizes) == plates | blown | {MAST, "sign/rotation.z", "mast/position.x"}
    assert [address for address, _ in rows[:2]] == [MAST, "mast/position.x"]  # what was changed, then what follows it
    for some in (rows[:2], rows[2:]):
        assert [size for _, size in some] == sorted((size for _, size in some), reverse=True)
    assert sizes[MAST] == pytest.approx(sizes["sign/rotation.z"], rel=0.2)


def test_a_change_that_comes_to_nothing_is_not_among_them(demo: Scene) -> None:
    muted = edited(demo, {"do": "add-layer", "address": "sign/rotation.z", "kind": "noise"})
    muted = edited(muted, {"do": "change-layer", "address": "sign/rotation.z#noise", "muted": True})
    assert moving_apart(demo, muted) == ["sign/rotation.z"]
    assert farthest_apart(Scope(demo), Scope(muted)) == []


def test_nothing_is_worked_out_of_what_is_equal_in_both(demo: Scene) -> None:
    memo, whole = Memo(), Memo()
    calmer = edited(demo, CALMER)
    farthest_apart(Scope(demo, memo), Scope(calmer, memo))
    everything = [f"{node.id}/{path}" for node in demo.nodes for path, _ in node.moving]
    evaluate(demo, everything, demo.clock(), whole)
    assert 0 < memo.computed < whole.computed / 2
    assert moving_apart(demo, calmer)[0] == MAST
    assert moving_apart(demo, demo) == []
