"""Keys as a daily tool: each edit does what it says, insertion leaves the curve alone, and all can be taken back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.key_ops import inserted
from lazzik.core.channel.keys import Beyond, Key
from lazzik.core.errors import InvalidEdit, LazzikError
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.store.database import Database
from lazzik.store.scenes import SceneStore
from tests.conftest import edited, turned
from tests.strategies import keys, numbers

Z = "post/rotation.z"
X = "post/position.x"
FPS = 30.0
BEYOND = ("hold", "straight", "repeat", "alternate", "accumulate")
RAMP = (Key(frame=0, value=0), Key(frame=10, value=4), Key(frame=20, value=1))


def base(scene: Scene) -> Channel:
    number = scene.by_id["post"].rotation.z
    assert isinstance(number, Channel)
    return number


def on_ramp(*edits: dict[str, Any], before: Beyond = "hold", after: Beyond = "hold") -> Channel:
    scene = turned(Channel(keys=RAMP, before=before, after=after))
    return base(edited(scene, *({"address": Z} | edit for edit in edits)))


@given(keys().filter(bool), numbers(-30, 160), st.sampled_from(BEYOND[:2]), st.sampled_from(BEYOND[:2]))
@example((Key(frame=0, value=0), Key(frame=1, value=1, go="step")), 2.0, "hold", "straight")
def test_inserting_on_the_curve_leaves_it_as_it_is(
    row: tuple[Key, ...], frame: float, before: Beyond, after: Beyond
) -> None:
    channel = Channel(keys=row, before=before, after=after)
    more = channel.replaced(keys=inserted(channel, frame, FPS))
    x = np.linspace(-40, 170, 2101)
    was, now = channel.curve(FPS).at(x, FPS), more.curve(FPS).at(x, FPS)
    steps = [k.frame for k in row if k.go == "step"]
    clear = np.all([np.abs(x - step) > 1e-9 for step in steps], axis=0) if steps else np.ones(len(x), bool)
    np.testing.assert_allclose(now[clear], was[clear], rtol=0, atol=1e-9)
    assert len(more.keys) == len(row) + (frame not in [k.frame for k in row])


@given(keys().filter(lambda row: len(row) > 1), st.sampled_from(BEYOND[2:]), st.floats(0.02, 0.98))
def test_inserting_within_a_stretch_that_is_played_again_changes_no_round(
    row: tuple[Key, ...], way: Beyond, u: float
) -> None:
    channel = Channel(keys=row, before=way, after=way)
    frame = round(row[0].frame + u * (row[-1].frame - row[0].frame), 3)
    more = channel.replaced(keys=inserted(channel, frame, FPS))
    x = np.linspace(-200, 300, 1777)
    np.testing.assert_allclose(more.curve(FPS).at(x, FPS), channel.curve(FPS).at(x, FPS), rtol=0, atol=1e-9)


def test_a_key_where_the_stretch_is_played_again_needs_a_value() -> None:
    with pytest.raises(InvalidEdit, match="frame 25 the keys are played again"):
        on_ramp({"do": "put-key", "frame": 25}, after="repeat")
    assert on_ramp({"do": "put-key", "frame": 25, "value": 3}, after="repeat").keys[-1].frame == 25


def test_beyond_the_ends() -> None:
    linear = tuple(key.replaced(go="linear", slope_in="straight", slope_out="straight") for key in RAMP)
    x = np.array([-15.0, -5.0, 20.0, 25.0, 35.0, 45.0])
    wanted: dict[Beyond, list[float]] = {
        "hold": [0, 0, 1, 1, 1, 1],
        "straight": [-6, -2, 1, -0.5, -3.5, -6.5],
        "repeat": [2, 2.5, 1, 2, 2.5, 2],
        "alternate": [2.5, 2, 1, 2.5, 2, 2],
        "accumulate": [1, 1.5, 1, 3, 3.5, 4],
    }
    for way, values in wanted.items():
        channel = Channel(keys=linear, before=way, after=way)
        np.testing.assert_allclose(channel.curve(FPS).at(x, FPS), values, atol=1e-9, err_msg=way)


def test_automatic_slopes_meet_themselves_where_the_stretch_is_played_again() -> None:
    wave = (Key(frame=0, value=0), Key(frame=8, value=3), Key(frame=20, value=-2), Key(frame=30, value=0))
    h = 1e-4
    for way, row in (("repeat", wave), ("accumulate", (*wave[:-1], Key(frame=30, value=1.5)))):
        curve = Channel(keys=row, before=way, after=way).curve(FPS)
        ends = curve.at(np.array([30 - h, 30.0, 30 + h]), FPS)
        assert (ends[1] - ends[0]) / h == pytest.approx((ends[2] - ends[1]) / h, abs=1e-3)
        assert abs(curve.slopes_out[-1]) > 0.5


def test_scaling_about_a_frame_and_a_value() -> None:
    sloped = {"do": "shape-keys", "frames": [10], "slope": 6}
    got = on_ramp(sloped, {"do": "scale-keys", "frames": [0, 10, 20], "frame": 20, "value": 1, "stretch": 0.5,
                           "height": 3}).keys  # fmt: skip
    assert [(k.frame, k.value) for k in got] == [(10, -2), (15, 10), (20, 1)]
    assert got[1].slope_in == got[1].slope_out == 36.0
    moved = on_ramp({"do": "scale-keys", "frames": [10, 20], "frame": 10, "stretch": 2, "by": 1, "rise": -1}).keys
    assert [(k.frame, k.value) for k in moved] == [(0, 0), (11, 3), (31, 0)]
    snapped = on_ramp({"do": "scale-keys", "frames": [10, 20], "stretch": 0.33, "snap": True}).keys
    assert [k.frame for k in snapped] == [0, 3, 7]
    with pytest.raises(InvalidEdit, match=r"(?i)stretch"):
        read_edits([{"do": "scale-keys", "address": Z, "frames": [0], "stretch": 0}])


def test_snapping_to_whole_frames_keeps_the_later_of_two_that_meet() -> None:
    got = on_ramp({"do": "put-key", "frame": 10.4, "value": 9}, {"do": "snap-keys", "frames": [10, 10.4]}).keys
    assert [(k.frame, k.value) for k in got] == [(0, 0), (10, 9), (20, 1)]


def test_slopes() -> None:
    def at_ten(**asked: Any) -> Key:
        return on_ramp({"do": "shape-keys", "frames": [10], **asked}).keys[1]

    assert (at_ten(slope="flat").slope_in, at_ten(slope="flat").slope_out) == (0.0, 0.0)
    assert at_ten(slope="-4*3", side="out").slope_out == -12.0
    assert at_ten(slope="-4*3", side="out").slope_in is None
    straight = Channel(keys=(RAMP[0], at_ten(slope="straight"), RAMP[2])).curve(FPS)
    assert (straight.slopes_in[1], straight.slopes_out[1]) == (12.0, -9.0)
    joined = on_ramp({"do": "shape-keys", "frames": [10], "slope": "straight"},
                     {"do": "shape-keys", "frames": [10], "slope": "join"}).keys[1]  # fmt: skip
    assert joined.slope_in == joined.slope_out == 1.5
    assert at_ten(go="step").go == "step"
    assert on_ramp({"do": "shape-keys", "frames": [10], "slope": 7},
                   {"do": "shape-keys", "frames": [10], "slope": "auto"}).keys[1].slope_in is None  # fmt: skip


def test_thinning_out_keeps_the_ends_and_the_tolerance() -> None:
    x = np.arange(0.0, 121.0)
    row = tuple(Key(frame=f, value=float(v)) for f, v in zip(x, 5 * np.sin(x / 9) + 0.02 * x, strict=True))
    scene = turned(Channel(keys=row))
    whole = base(edited(scene, {"do": "thin-keys", "address": Z, "frames": [0, 120], "tolerance": 0.05}))
    fine = np.linspace(0, 120, 481)
    off = np.abs(whole.curve(FPS).at(fine, FPS) - Channel(keys=row).curve(FPS).at(fine, FPS))
    assert off.max() <= 0.05 + 1e-9
    assert len(whole.keys) < 24
    assert (whole.keys[0].value, whole.keys[-1].value) == (row[0].value, row[-1].value)
    part = base(edited(scene, {"do": "thin-keys", "address": Z, "frames": [30, 40, 60], "tolerance": 0.05}))
    assert [k for k in part.keys if k.frame < 30 or k.frame > 60] == [k for k in row if k.frame < 30 or k.frame > 60]
    assert len(part.keys) < 100
    again = edited(turned(part), {"do": "thin-keys", "address": Z, "frames": [30, 60], "tolerance": 1e-6})
    assert len(base(again).keys) == len(part.keys)


def test_thinning_a_hold_leaves_its_two_ends() -> None:
    row = (Key(frame=0, value=0), *(Key(frame=float(f), value=2) for f in range(10, 31)), Key(frame=40, value=0))
    held = base(edited(turned(Channel(keys=row)), {"do": "thin-keys", "address": Z, "frames": [10, 30],
                                                   "tolerance": 0.01}))  # fmt: skip
    assert [k.frame for k in held.keys] == [0, 10, 30, 40]
    assert np.ptp(held.curve(FPS).at(np.linspace(10, 30, 50), FPS)) < 1e-15


def test_smoothing_draws_toward_the_neighbours() -> None:
    assert [k.value for k in on_ramp({"do": "smooth-keys", "frames": [0, 10, 20], "amount": 1}).keys] == [0, 0.5, 1]
    assert [k.value for k in on_ramp({"do": "smooth-keys", "frames": [10], "amount": 0.5}).keys] == [0, 2.25, 1]


def test_pasting_also_on_another_number() -> None:
    copied = [key.model_dump(mode="json") for key in RAMP[1:]]
    got = on_ramp({"do": "paste-keys", "keys": copied, "frame": 5}).keys
    assert [(k.frame, k.value) for k in got] == [(0, 0), (5, 4), (15, 1), (20, 1)]
    among = on_ramp({"do": "paste-keys", "keys": copied, "frame": 5, "how": "among"}).keys
    assert [k.frame for k in among] == [0, 5, 10, 15, 20]
    other = edited(turned(0.0), {"do": "paste-keys", "address": X, "keys": copied, "frame": 0})
    assert [k.value for k in other.by_id["post"].position.x.keys] == [4, 1]  # type: ignore[union-attr]
    with pytest.raises(InvalidEdit, match="must be at most 10"):
        edited(
            turned(Channel(keys=RAMP)),
            {"do": "add-layer", "address": Z, "kind": "noise"},
            {"do": "paste-keys", "address": f"{Z}#noise.octaves", "keys": [{"frame": 0, "value": 99}], "frame": 0},
        )


def test_a_nudge_moves_a_constant_or_puts_a_key() -> None:
    still = turned(10.0)
    assert edited(still, {"do": "nudge", "address": Z, "by": 4, "frame": 8}).by_id["post"].rotation.z == 14.0
    keyed = base(edited(still, {"do": "nudge", "address": Z, "by": 4.4, "frame": 8, "key": True, "snap": 5}))
    assert [(k.frame, k.value) for k in keyed.keys] == [(8, 15)]
    got = on_ramp({"do": "nudge", "by": 1, "frame": 10}, {"do": "nudge", "by": -1, "frame": 20})
    assert [(k.frame, k.value) for k in got.keys] == [(0, 0), (10, 5), (20, 0)]


CHOICES = st.sampled_from(
    [
        {"do": "put-key"}, {"do": "move-keys", "by": 3, "rise": -1.5}, {"do": "move-keys", "by": -0.5},
        {"do": "scale-keys", "frame": 12, "value": 2, "stretch": 1.5, "height": -0.7}, {"do": "snap-keys"},
        {"do": "shape-keys", "slope": "straight", "side": "in"}, {"do": "shape-keys", "slope": 9, "go": "linear"},
        {"do": "remove-keys"}, {"do": "thin-keys", "tolerance": 0.3}, {"do": "smooth-keys"},
        {"do": "paste-keys", "keys": [{"frame": 3, "value": 1}, {"frame": 9, "value": -4, "go": "step"}]},
        {"do": "beyond", "before": "straight", "after": "accumulate"}, {"do": "beyond", "after": "hold"},
        {"do": "nudge", "by": 2.5, "key": True},
    ]
)  # fmt: skip


def _made(scene: Scene, kind: dict[str, Any], places: list[int]) -> dict[str, Any]:
    """An edit of some of the keys that are there, or at a frame."""
    rows = base(scene).keys if isinstance(scene.by_id["post"].rotation.z, Channel) else ()
    edit = {"address": Z} | kind
    if kind["do"] in ("put-key", "paste-keys", "nudge"):
        return edit | {"frame": places[0] * 1.5}
    if kind["do"] == "beyond":
        return edit
    return edit | {"frames": sorted({rows[p % len(rows)].frame for p in places})} if rows else edit | {"frames": []}


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> SceneStore:
    folder: Path = tmp_path_factory.mktemp("keys")
    return SceneStore(Database(folder))


@given(keys(5), st.lists(st.tuples(CHOICES, st.lists(st.integers(0, 40), min_size=1, max_size=4)), max_size=12))
def test_any_sequence_of_key_edits_can_be_undone_and_redone(
    store: SceneStore, row: tuple[Key, ...], steps: list[tuple[dict[str, Any], list[int]]]
) -> None:
    state = store.create(turned(Channel(value=1.0, keys=row) if row else 1.0), "new")
    seen = [state.scene]
    for kind, places in steps:
        try:
            state = store.edit(state.id, state.revision, read_edits([_made(state.scene, kind, places)]))
        except LazzikError:  # refused, and nothing is stored
            assert store.open(state.id).scene == seen[-1]
            continue
        seen.append(state.scene)
    for past in reversed(seen[:-1]):
        state = store.undo(state.id, state.revision)
        assert state.scene == past
    for later in seen[1:]:
        state = store.redo(state.id, state.revision)
        assert state.scene == later


@pytest.mark.parametrize(
    "edit",
    [
        {"do": "move-keys", "rise": 1}, {"do": "scale-keys", "height": 2}, {"do": "shape-keys", "slope": "flat"},
        {"do": "smooth-keys"}, {"do": "remove-keys"},
    ],
)  # fmt: skip
def test_many_keys_are_never_compared_each_with_each(edit: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    """A baked curve of a key on each frame is dragged like any other."""
    many = 600
    scene = turned(Channel(keys=tuple(Key(frame=float(f), value=float(f % 7)) for f in range(many))), last=many)
    compared = 0
    equal = Key.__eq__

    def counting(self: Key, other: object) -> bool:
        nonlocal compared
        compared += 1
        return equal(self, other)

    monkeypatch.setattr(Key, "__eq__", counting)
    edited(scene, edit | {"address": Z, "frames": [float(f) for f in range(1, many)]})
    assert compared < 4 * many
