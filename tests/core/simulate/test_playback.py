"""A run as it is seen: slower, faster, backwards, between its frames, locked, thinned, and turned."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.between import between
from lazzik.core.simulate.looks import turns_of
from lazzik.core.simulate.particles import Moment, Particles
from lazzik.core.simulate.playback import Playback, run_frames, stretches_read
from lazzik.core.simulate.run import FolderStorage, run_key, run_played
from tests.conftest import edited
from tests.core.simulate.test_particles import AT_ONCE, STILL, dusty, run


def at(moment: Moment) -> dict[int, tuple[float, ...]]:
    return {n: tuple(place) for n, place in zip(moment.ids.tolist(), moment.places.tolist(), strict=True)}


def played(scene: Scene, folder: Path, *frames: float) -> list[Moment]:
    return list(Playback(scene, "dust", FolderStorage(folder)).moments(np.array(frames)))


def test_the_frame_that_is_seen_is_the_integral_of_the_tempo() -> None:
    frames = np.arange(0, 61, dtype=float)
    np.testing.assert_array_equal(run_frames(dusty(), "dust", frames), frames)
    np.testing.assert_allclose(run_frames(dusty(tempo=0.5), "dust", frames), frames / 2)
    np.testing.assert_allclose(run_frames(dusty(tempo=2.0), "dust", frames + 0.25), 2 * frames + 0.5)
    np.testing.assert_allclose(run_frames(dusty(tempo=-1.0), "dust", frames), 60 - frames)
    np.testing.assert_allclose(run_frames(dusty(tempo=-4.0), "dust", frames[40:]), 0.0)  # before it begins: its first
    # keys from 1 to 0 straight over 60 frames: f − f²/120
    keys: list[dict[str, Any]] = [
        {
            "do": "put-key",
            "address": "dust/emitter.tempo",
            "frame": f,
            "value": v,
            "slope_in": "straight",
            "slope_out": "straight",
        }
        for f, v in ((0, 1.0), (60, 0.0))
    ]
    until = np.minimum(frames + 0.5, 60)
    np.testing.assert_allclose(run_frames(dusty(*keys), "dust", frames + 0.5), until - until**2 / 120, atol=1e-9)
    assert stretches_read(dusty(tempo=3.0), "dust", 0, 60) == 8


def test_backwards_is_the_same_run_seen_from_its_end(tmp_path: Path) -> None:
    scene = dusty(AT_ONCE, STILL, amount=20, push=2.0, spread=90.0, gravity=0.5)
    forward = run(scene)
    back = played(edited(scene, {"do": "set", "address": "dust/emitter.tempo", "value": -1}), tmp_path, 0, 10, 60)
    for moment, frame in zip(back, (60, 50, 0), strict=True):
        np.testing.assert_array_equal(moment.places.astype(np.float32), forward[frame].places.astype(np.float32))


def test_between_frames_are_the_places_that_a_finer_rate_has(tmp_path: Path) -> None:
    """In free fall every moment is known."""
    scene = dusty(STILL, AT_ONCE, amount=5, push=3.0, spread=60.0, gravity=1.0)
    for frame, moment in zip((1.5, 20.25, 33.75), played(scene, tmp_path, 1.5, 20.25, 33.75), strict=True):
        t, first = (frame - 1) / 30, run(scene, 1)[1]
        expected = first.places + first.speeds * t + np.array([0, -9.81 / 2 * t * t, 0])
        np.testing.assert_allclose(moment.places, expected, atol=4e-6)
        np.testing.assert_allclose(moment.speeds, first.speeds + np.array([0, -9.81 * t, 0]), atol=1e-4)
        np.testing.assert_allclose(moment.ages, frame / 30, atol=1e-6)


def test_between_frames_some_end_and_some_begin() -> None:
    scene = dusty(STILL, rate=90.0, life=0.4, life_varies=0.5, push=2.0, gravity=0.0)
    moments = run(scene, 40)
    for share in (0.2, 0.5, 0.9):
        seen = between(moments[30], moments[31], share, 30.0)
        births = 30 + share  # frames; each rises from its birth on at two metres a second
        heights = 3 + 2.0 * seen.ages
        np.testing.assert_allclose(seen.places[:, 1], heights, atol=1e-9)
        assert (seen.ages >= 0).all()
        assert (seen.ages < seen.lives).all()
        born = births / 30 - seen.ages
        assert born.max() > (births - 0.5) / 30  # the newest are there
        both = set(moments[30].ids) | set(moments[31].ids)
        assert set(seen.ids) <= both
        assert len(seen.ids) == len(set(seen.ids.tolist()))


def test_in_a_loop_the_same_number_of_two_rounds_is_two_particles() -> None:
    scene = edited(
        dusty(STILL, rate=30.0, life=3.0, push=1.0, gravity=0.0),
        {"do": "change-emitter", "node": "dust", "loop": 30},
    )
    a, b = run(scene, 41)[40:]
    assert len(set(a.ids.tolist())) < len(a)
    seen = between(a, b, 0.5, 30.0)
    np.testing.assert_allclose(seen.places[:, 1], 3 + seen.ages, atol=1e-9)
    assert abs(len(seen) - len(a)) <= 1


def test_a_locked_run_stays_whatever_changes_and_says_where_it_is_not_there(tmp_path: Path) -> None:
    scene = dusty(rate=40.0)
    before = played(scene, tmp_path, 10)
    lock = {"do": "change-emitter", "node": "dust", "locked": run_key(scene, "dust")}
    changed = edited(scene, lock, {"do": "set", "address": "dust/emitter.push", "value": 9})
    assert run_key(changed, "dust") != run_key(scene, "dust")
    assert run_played(changed, "dust") == run_key(scene, "dust")
    np.testing.assert_array_equal(played(changed, tmp_path, 10)[0].places, before[0].places)
    with pytest.raises(InvalidEdit, match="locked to is not there from its frame 25 on: unlock it"):
        played(changed, tmp_path, 55)
    with pytest.raises(UnknownAddress, match="not there yet"):
        list(Playback(scene, "dust", FolderStorage(tmp_path), makes=False).moments(np.array([55.0])))
    free = edited(changed, {"do": "change-emitter", "node": "dust", "locked": None})
    assert run_played(free, "dust") == run_key(free, "dust") != run_key(scene, "dust")


@pytest.mark.parametrize("every", [3, 7])
def test_a_thinned_run_is_some_of_the_same_particles(every: int) -> None:
    scene = dusty(
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies"}},
        {"do": "put-key", "address": "dust/emitter.rate", "frame": 0, "value": 30},
        {"do": "put-key", "address": "dust/emitter.rate", "frame": 50, "value": 200},
        life=0.8, life_varies=0.3, spread=40.0,
    )  # fmt: skip
    whole = at(run(scene, 55, 55)[0])
    thin = Particles(scene, "dust", every=every, block=400)
    begun = thin.resumed(55, thin.longest())
    assert begun.step > 0
    few = at(next(moment for moment, _ in thin.frames(55, 55, begun)))
    assert set(few) == {n for n in whole if n % every == 0}
    assert len(few) > 5
    for n, place in few.items():
        np.testing.assert_allclose(place, whole[n], atol=1e-9)


def test_copies_turn_along_their_way_or_by_the_integral_of_their_spin() -> None:
    from scipy.spatial.transform import Rotation as Turn

    scene = dusty(AT_ONCE, amount=200, spread=180.0, push=2.0, spin=90.0, spin_varies=0.0)
    moment = run(scene, 30)[30]
    ways = moment.speeds / np.linalg.norm(moment.speeds, axis=1, keepdims=True)
    emitter = scene.node("dust").emitter
    assert emitter is not None
    turn = Turn.from_quat(turns_of(scene, "dust", emitter, 0, moment))
    np.testing.assert_allclose(turn.apply([1, 0, 0]), ways, atol=1e-9)
    np.testing.assert_allclose(turn.apply([0, 0, 1])[:, 1], 0.0, atol=1e-9)  # z stays level
    assert (turn.apply([0, 1, 0])[:, 1] >= -1e-9).all()  # and y up
    spun = emitter.replaced(turned="spin")
    rows = [Turn.from_quat(turns_of(scene, "dust", spun, 0, m)) for m in run(scene, 40)[30:41:10]]
    np.testing.assert_allclose(np.degrees((rows[1] * rows[0].inv()).magnitude()), 30.0, atol=1e-6)  # 90° a second
    axes = (rows[1] * rows[0].inv()).as_rotvec()
    assert np.abs(axes.mean(axis=0)).max() < 0.1  # all ways alike
    # keyed to stand still from frame 10 on: nothing jumps back
    keys: list[dict[str, Any]] = [
        {"do": "put-key", "address": "dust/emitter.spin", "frame": f, "value": v}
        for f, v in ((0, 90), (10, 90), (11, 0))
    ]
    keyed = edited(scene, {"do": "change-emitter", "node": "dust", "settings": {"turned": "spin"}}, *keys)
    own = keyed.node("dust").emitter
    assert own is not None
    held = [Turn.from_quat(turns_of(keyed, "dust", own, 0, m)) for m in run(keyed, 40)[20:41:20]]
    np.testing.assert_allclose((held[1] * held[0].inv()).magnitude(), 0.0, atol=1e-9)


def test_looks_are_finite_whatever_a_formula_says() -> None:
    from lazzik.core.simulate.looks import colors_of, sizes_of

    scene = edited(dusty(rate=60.0), {"do": "change-emitter", "node": "dust", "settings": {"turned": "spin"}})
    emitter = scene.node("dust").emitter
    assert emitter is not None
    bad = Channel(layers=(BY_KIND["formula"].model_validate({"kind": "formula", "id": "bad", "label": "Bad",
                                                           "text": "sqrt(0 - 1)", "combine": "replace"}),))  # fmt: skip
    worse = emitter.replaced(size=bad, spin=bad, tempo=bad, size_varies=bad)
    nasty = scene.with_node(scene.node("dust").replaced(emitter=worse))
    frames = run_frames(nasty, "dust", np.arange(60.0))
    assert np.isfinite(frames).all()
    moment = run(nasty, 30)[30]
    for values in (
        sizes_of(nasty, "dust", worse, 0, moment), turns_of(nasty, "dust", worse, 0, moment), colors_of(worse, moment),
    ):  # fmt: skip
        assert np.isfinite(values).all()
