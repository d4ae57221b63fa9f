"""States in memory: bounded by what they weigh."""

from __future__ import annotations

from lazzik.core.cache import BoundedCache
from lazzik.core.scene.scene import Scene
from lazzik.store.states import PER_LETTER, States


def test_states_are_forgotten_by_weight_and_the_newest_always_stays() -> None:
    states, scene = States(most=1000 * PER_LETTER), Scene(name="S")
    states.keep("a", 0, scene, document=600)
    states.keep("a", 1, scene, change=100)
    assert states.bytes == 700 * PER_LETTER
    states.keep("b", 0, scene, document=900)
    assert states.get("a", 0) is None
    assert states.get("a", 1) is None
    assert states.get("b", 0) is scene
    assert states.bytes == 900 * PER_LETTER
    states.keep("c", 0, scene, document=10**6)
    assert states.get("c", 0) is scene
    states.forget("c")
    assert (states.bytes, states.get("c", 0)) == (0, None)


def test_what_states_of_one_scene_share_is_weighed_once() -> None:
    states, scene = States(most=10**9), Scene(name="S")
    for number in range(20):
        states.keep("a", number, scene, document=500 if number == 0 else 0, change=10 if number else 0)
    assert states.bytes == (500 + 19 * 10) * PER_LETTER
    for _ in range(2):
        states.keep("a", 3, scene, change=10)
    assert states.bytes == (500 + 19 * 10) * PER_LETTER


def test_kept_values_go_by_weight_and_what_is_too_heavy_is_not_kept() -> None:
    kept: BoundedCache[str] = BoundedCache(10)
    assert kept.put("a", "A", 6) == "A"
    kept.put("b", "B", 4)
    assert kept.get("a") == "A"
    kept.put("c", "C", 3)
    assert (kept.get("a"), kept.get("b"), kept.get("c"), kept.bytes) == ("A", None, "C", 9)
    assert kept.put("d", "D", 11) == "D"
    assert (kept.get("d"), kept.bytes) == (None, 9)
