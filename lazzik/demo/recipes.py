"""The library: recipes of our own for the weather station and what is like it, built with the documents people make."""

from __future__ import annotations

from functools import cache
from typing import Any

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Layer
from lazzik.core.layers import BY_KIND, Recipe
from lazzik.core.layers.recipe import exposing
from lazzik.core.scene.address import find_at
from lazzik.core.scene.scene import Scene

ARRIVAL = (Key(frame=0, value=0.0), Key(frame=40, value=0.0, go="linear"), Key(frame=60, value=10.0))
"""What a recipe that answers to moves is shown on."""


@cache
def library() -> tuple[Recipe, ...]:
    """All recipes of the library."""
    return (*_restless(), *_arriving(), *_turning(), *_blowing())


def _restless() -> tuple[Recipe, ...]:
    """What never stands still."""
    return (
        _recipe(
            "gust_sway", "Gusty sway", "°", "Leans into gusts that come and go: masts, poles, signs.",
            _layer("noise", "gust", amplitude=4.8, period=1.6, octaves=2.0, gain=0.38, seed=7.0),
            _layer("noise", "tremble", amplitude=0.48, period=0.22, octaves=2.0, seed=3.0),
            expose=("gust.amplitude", "gust.period", "gust.seed", "tremble.amplitude"),
        ),
        _recipe(
            "lamp_flicker", "Lamp flicker", "", "An unsteady light: mostly on, with dips. For glow and intensity.",
            _layer("noise", "flicker", amplitude=0.62, period=0.18, octaves=3.0, side="below", bias=0.75, gain=0.35),
            expose=("flicker.amplitude", "flicker.period", "flicker.seed"), reach=1.0,
        ),
        _recipe(
            "beacon_pulse", "Beacon pulse", "", "A warning light: a short soft-edged pulse every two seconds.",
            _layer("wave", "pulse", amplitude=1.0, period=2.0, shape="pulse", width=0.2, softness=0.15),
            expose=("pulse.amplitude", "pulse.period", "pulse.width"), reach=1.0,
        ),
        _recipe(
            "hand_held", "Hand-held", "°", "A camera held by someone who breathes: slow drift, small tremor.",
            _layer("noise", "drift", amplitude=0.85, period=1.4, octaves=2.0, seed=11.0),
            _layer("noise", "tremor", amplitude=0.13, period=0.16, octaves=2.0, roughness=0.6, seed=12.0),
            _layer("wave", "breath", amplitude=0.35, period=3.4),
            expose=("drift.amplitude", "drift.period", "tremor.amplitude", "drift.seed"),
        ),
        _recipe(
            "idle_float", "Idle float", "m", "Rises and sinks without end, never quite the same: balloons, buoys.",
            _layer("wave", "bob", amplitude=0.12, period=3.2),
            _layer("noise", "wander", amplitude=0.043, period=2.4, seed=21.0),
            expose=("bob.amplitude", "bob.period", "wander.amplitude"), reach=0.15,
        ),
    )  # fmt: skip


def _arriving() -> tuple[Recipe, ...]:
    """What answers to a move."""
    return (
        _recipe(
            "ring_on_arrival", "Ring on arrival", "°", "Overshoots after each move below and rings until it rests.",
            _layer("settle", "ring", frequency=2.2, damping=0.16, strength=1.0, when="arrivals"),
            expose=("ring.frequency", "ring.damping", "ring.strength"), keys=ARRIVAL,
        ),
        _recipe(
            "lag_behind", "Lag behind", "°", "Trails what it is told with a soft overshoot: aerials, hoses, tails.",
            _layer("follow", "lag", frequency=1.3, damping=0.45),
            expose=("lag.frequency", "lag.damping"), keys=ARRIVAL,
        ),
        _recipe(
            "elastic_entrance", "Elastic entrance", "m", "Comes in from below and rings into its place.",
            _layer("travel", "enter", begin=-1.0, finish=0.0, start=10.0, length=45.0, ease="elastic", way="out"),
            expose=("enter.begin", "enter.start", "enter.length", "enter.amount"), reach=0.3,
        ),
    )  # fmt: skip


def _turning() -> tuple[Recipe, ...]:
    """What turns, works and breathes."""
    return (
        _recipe(
            "orbit", "Orbit", "°", "Turns for ever at one speed, with a gentle wobble on top.",
            _layer("turn", "round", rate=24.0),
            _layer("noise", "wobble", amplitude=1.4, period=2.2, seed=31.0),
            expose=("round.rate", "wobble.amplitude"),
        ),
        _recipe(
            "rotor", "Rotor in the wind", "°", "Spins fast and slower with the gusts and never jumps: cups, vanes.",
            _layer("turn", "spin", rate=Channel(value=260.0, layers=(
                _layer("noise", "lull", amplitude=74, period=1.8, octaves=2.0, seed=41.0),
            ))),
            expose=("spin.rate", "spin.rate#lull.amplitude", "spin.rate#lull.period"),
        ),
        _recipe(
            "needle", "Nervous needle", "°", "A gauge that hunts: readings in steps, each one overshot.",
            _layer("noise", "reading", amplitude=26, period=0.9, character="steps", seed=51.0),
            _layer("smooth", "slew", cutoff=2.4),
            _layer("settle", "swing", frequency=3.4, damping=0.18, strength=0.9),
            expose=("reading.amplitude", "reading.period", "swing.damping", "reading.seed"),
        ),
        _recipe(
            "stop_motion", "Stop motion", "°", "Whatever moves below, held on twos and a little unsure each time.",
            _layer("noise", "boil", amplitude=0.7, period=0.1, character="white", seed=61.0),
            _layer("hold", "twos", every=2.0),
            expose=("twos.every", "boil.amplitude"), keys=ARRIVAL,
        ),
        _recipe(
            "flutter", "Flutter", "°", "Cloth in a stiff wind: a quick wave that swells and thins.",
            _layer("wave", "flap", period=0.45, amplitude=Channel(value=5.0, layers=(
                _layer("noise", "swell", amplitude=2.8, period=1.1, seed=71.0),
            ))),
            expose=("flap.amplitude", "flap.period", "flap.phase"),
        ),
        _recipe(
            "breathing", "Breathing", "×", "Swells and sinks slowly: envelopes, canopies, sleeping things.",
            _layer("wave", "breath", amplitude=0.06, period=3.0),
            _layer("noise", "unevenly", amplitude=0.012, period=2.3, seed=81.0),
            expose=("breath.amplitude", "breath.period", "unevenly.amplitude"), reach=0.06,
        ),
    )  # fmt: skip


def _blowing() -> tuple[Recipe, ...]:
    """How a wind, or another field, rises and falls: for its speed."""
    return (
        _recipe(
            "breezy_meadow", "Breezy meadow", "m/s", "A wind that breathes: for the speed of a wind over grass.",
            _layer("noise", "swell", amplitude=1.6, period=3.0, octaves=2.0, seed=31.0),
            _layer("wave", "breath", amplitude=0.7, period=6.0),
            expose=("swell.amplitude", "swell.period", "swell.seed"), reach=2.0,
        ),
        _recipe(
            "gusty_ridge", "Gusty ridge", "m/s", "Hard squalls out of a steady wind: for the speed of a wind.",
            _layer("noise", "squalls", amplitude=4.0, period=1.8, octaves=2.0, character="ridged", side="above",
                   gain=0.4, seed=33.0),
            _layer("noise", "ragged", amplitude=0.6, period=0.4, octaves=2.0, seed=34.0),
            expose=("squalls.amplitude", "squalls.period", "squalls.seed", "ragged.amplitude"), reach=2.0,
        ),
        _recipe(
            "lull_before_storm", "Lull before a storm", "m/s", "Dies away, holds its breath, and comes back hard.",
            _layer("travel", "storm", begin=-4.5, finish=7.0, start=60.0, length=90.0, ease="cubic", way="in"),
            _layer("noise", "ragged", amplitude=0.8, period=0.9, octaves=3.0, seed=36.0),
            expose=("storm.begin", "storm.finish", "ragged.amplitude"), reach=2.0,
        ),
        _recipe(
            "door_draught", "Draught from a door", "m/s", "A door opened now and then: short puffs of cold air.",
            _layer("wave", "puff", amplitude=1.5, period=4.0, shape="pulse", width=0.25, softness=0.5),
            _layer("noise", "leak", amplitude=0.3, period=0.8, seed=38.0),
            expose=("puff.amplitude", "puff.period", "puff.width"), reach=1.0,
        ),
        _recipe(
            "passing_wake", "Wake of a passing vehicle", "m/s", "Pushed aside, drawn after, and settled: for a push.",
            _layer("wave", "pass", amplitude=3.0, period=6.0, shape="pulse", width=0.08, softness=0.6),
            _layer("settle", "wake", frequency=0.7, damping=0.3, strength=0.9),
            expose=("pass.amplitude", "pass.period", "wake.strength"), reach=2.0,
        ),
    )  # fmt: skip


def _layer(kind: str, layer_id: str, **fields: Any) -> Layer:
    label = layer_id.replace("-", " ").capitalize()
    return BY_KIND[kind].model_validate({"kind": kind, "id": layer_id, "label": label} | fields)


def _recipe(
    name: str, label: str, unit: str, note: str, *layers: Layer, expose: tuple[str, ...], reach: float = 8.0,
    keys: tuple[Key, ...] = (),
) -> Recipe:  # fmt: skip
    stack = Channel(keys=keys, layers=layers)
    plain = Recipe(id=name, label=label, note=note, unit=unit, reach=reach, stack=stack)
    # exposed numbers are shown as they are where they stand, which only a scene can tell
    scene = Scene(name="Library", recipes=(plain,))
    exposed: list[dict[str, Any]] = []
    for target in expose:
        layer_id, _, number = target.rpartition("#")[2].partition(".")
        taken = {item["name"] for item in exposed}
        shown = f"{layer_id.replace('-', ' ').capitalize()} {number}"
        quantity = find_at(scene, f"recipes/{name}#{target}").quantity
        exposed.append(exposing(number if number not in taken else f"{layer_id}_{number}", shown, target, quantity))
    return plain.replaced(exposed=exposed)
