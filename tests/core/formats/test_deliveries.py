"""Deliveries read back by other readers between frames: random scenes in four formats, steps, pointers, reports."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation as Turn

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.shapes import shapes_over_time
from lazzik.core.evaluate.transforms import world
from lazzik.core.evaluate.triples import triple
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.base import moving_addresses
from lazzik.core.formats.csv_curves import write_csv
from lazzik.core.formats.gltf import Gltf, write_glb
from lazzik.core.formats.gltf_write import SHAPES_WITHIN
from lazzik.core.formats.usd import write_usd
from lazzik.core.geometry.primitives import Ball, Box, Sheet
from lazzik.core.progress import Progress, Stopped
from lazzik.core.scene.node import Camera, Color, Light, Look, Node, Position, Rotation, Scale
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.draped import surface_seen
from tests.conftest import edited, turned
from tests.core.formats.gltf_player import Player

PLACE, ANGLE, SIZE = 1e-4, 0.05, 1e-3
Validate = Callable[[Path], dict[str, Any]]


NUMBERS: dict[str, dict[str, Callable[[Any, float], Any]]] = {
    "settle": {}, "follow": {}, "turn": {"rate": lambda amount, _: amount},
    "travel": {"finish": lambda amount, _: amount, "start": lambda *_: 3.0, "length": lambda *_: 12.0},
    "limit": {"lowest": lambda _, reach: -reach / 2, "highest": lambda _, reach: reach / 2},
    "smooth": {"cutoff": lambda *_: 4.0}, "hold": {"every": lambda *_: 3.0},
}  # fmt: skip


class Draw:
    """A scene of nested layers and deformers, drawn by a seed."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)

    def one_of(self, *items: Any) -> Any:
        return items[int(self.rng.integers(len(items)))]

    def within(self, low: float, high: float) -> float:
        return float(self.rng.uniform(low, high))

    def keys(self, low: float, high: float) -> tuple[Key, ...]:
        frames = sorted(self.rng.choice(24, int(self.rng.integers(0, 4)), replace=False).tolist())
        ways = ("cubic", "linear", "step")
        return tuple(Key(frame=float(f), value=self.within(low, high), go=self.one_of(*ways)) for f in frames)

    def layer(self, place: int, reach: float, depth: int) -> dict[str, Any]:
        kind = self.one_of("noise", "noise", "wave", "wave", *NUMBERS)
        row: dict[str, Any] = {"kind": kind, "id": f"l{place}", "label": kind}
        amount: Any = self.within(0.1, 1.0) * reach
        if depth and self.rng.random() < 0.4:
            amount = {"value": amount, "layers": [self.layer(0, reach / 2, depth - 1)]}
        if kind == "noise":
            row |= {"amplitude": amount, "period": self.within(0.15, 1), "seed": float(self.rng.integers(99))}
            row |= {"character": self.one_of("smooth", "ridged", "steps")}
        elif kind == "wave":
            row |= {"amplitude": amount, "period": self.within(0.2, 1)}
            row |= {"shape": self.one_of("sine", "square", "triangle")}
        else:
            row |= {name: value(amount, reach) for name, value in NUMBERS[kind].items()}
        if self.rng.random() < 0.3:
            row["window"] = {"start": 4.0, "end": 17.0, "fade_in": self.one_of(0.0, 3.0)}
        return row

    def number(self, base: float, reach: float, depth: int = 2) -> Any:
        if self.rng.random() < 0.45:
            return base
        layers = [self.layer(i, reach, depth) for i in range(int(self.rng.integers(0, 3)))]
        keys = [key.model_dump() for key in self.keys(base - reach, base + reach)]
        return {"value": base, "keys": keys, "layers": layers}

    def node(self, place: int) -> dict[str, Any]:
        shape: Any = self.one_of(
            None,
            {"kind": "box", "height": self.number(1.0, 0.2), "cuts_y": 4},
            {"kind": "ball", "around": 8, "along": 6},
            {"kind": "sheet", "rows": 4, "columns": 4, "standing": True},
        )
        row: dict[str, Any] = {"id": f"n{place}", "label": f"N{place}"}
        row["position"] = {axis: self.number(self.within(-2, 2), 0.5) for axis in "xyz"}
        row["rotation"] = {axis: self.number(self.within(-90, 90), 60.0) for axis in "xyz"}
        row["rotation"]["order"] = self.one_of("xyz", "zyx", "yxz")
        row["scale"] = {axis: self.number(1.0, 0.3) for axis in "xyz"}
        if place and self.rng.random() < 0.5:
            row["parent"] = f"n{int(self.rng.integers(place))}"
        if shape:
            row |= {"shape": shape, "look": {"glow": self.number(0.5, 0.4), "color": {"g": self.number(0.5, 0.3)}}}
            row["deform"] = [self.deformer(kind) for kind in self.deformers()]
        elif self.rng.random() < 0.5:
            row["light"] = {"intensity": self.number(3.0, 2.0), "color": {"r": self.number(0.5, 0.4)}}
        else:
            row["camera"] = {"view": self.number(40.0, 10.0)}
        return row

    def deformers(self) -> list[str]:
        kinds = ("bend", "twist", "taper", "stretch", "undulate", "rumple", "sway")
        return [str(kind) for kind in self.rng.choice(kinds, int(self.rng.integers(0, 3)), replace=False)]

    def deformer(self, kind: str) -> dict[str, Any]:
        fields = {"kind": kind, "id": kind, "label": kind, "start": -0.5, "end": 0.5}
        return fields | {"fade": self.one_of("none", "end"), "weight": self.number(0.6, 0.3, 1)}

    def scene(self) -> Scene:
        nodes = [self.node(i) for i in range(int(self.rng.integers(1, 4)))]
        fields = {"name": "Drawn", "fps": self.one_of(24, 30), "first": self.one_of(0, 7), "last": 31}
        return Scene.model_validate(fields | {"nodes": nodes})


def apart(q: Any, turn: Turn) -> float:
    return float(np.degrees((Turn.from_quat(q) * turn.inv()).magnitude()).max())


def orientation(node: Node, clock: Clock, scope: Scope) -> Turn:
    angles, order = triple(node.rotation, clock, scope), node.rotation.order
    return Turn.from_euler(order.upper(), angles[:, ["xyz".index(a) for a in order]], degrees=True)


def check_gltf(scene: Scene, content: bytes) -> None:
    player, clock, scope = Player(content), scene.clock(4), Scope(scene)
    seconds = (clock.frames - scene.first) / scene.fps
    for node in scene.nodes:
        row = next(r for r in player.json["nodes"] if r["name"] == node.label)

        def moved(path: str, row: Any = row, node: Node = node) -> Any:
            sampler = player.channel(node.label, path)
            if sampler is None:
                return np.repeat(np.array([row[path]], dtype=float), len(seconds), axis=0)
            return player.play(sampler, seconds, path == "rotation")

        assert np.linalg.norm(moved("translation") - triple(node.position, clock, scope), axis=1).max() <= PLACE * 1.01
        assert np.linalg.norm(moved("scale") - triple(node.scale, clock, scope), axis=1).max() <= SIZE * 1.01
        assert apart(moved("rotation"), orientation(node, clock, scope)) <= ANGLE * 1.02
        if node.shape is not None:
            check_points(scene, node, player, row)
        if node.light is not None:
            check_light(scene, node, player, row)


def check_points(scene: Scene, node: Node, player: Player, row: Any) -> None:
    clock, scope = scene.clock(4), Scope(scene)
    part = player.json["meshes"][row["mesh"]]["primitives"][0]
    base = player.array(part["attributes"]["POSITION"])
    if not shapes_over_time(scene, node):
        np.testing.assert_allclose(base, node.shape.mesh(scene.assets).points, atol=1e-6)  # type: ignore[union-attr]
        return
    targets = [player.array(target["POSITION"]) for target in part.get("targets", [])]
    sampler = player.channel(node.label, "weights")
    weights = np.zeros((len(clock.frames), len(targets)))
    if sampler is not None:
        weights = player.play(sampler, (clock.frames - scene.first) / scene.fps, width=len(targets))
    true = surface_seen(scene, node, clock, scope)
    for index in range(0, len(clock.frames), 3):
        now = base + sum((w * t for w, t in zip(weights[index], targets, strict=True)), np.zeros_like(base))
        assert np.linalg.norm(now - true.points(index), axis=1).max() <= SHAPES_WITHIN * 1.05


def check_light(scene: Scene, node: Node, player: Player, row: Any) -> None:
    place = row["extensions"]["KHR_lights_punctual"]["light"]
    clock = scene.clock(4)
    true = np.broadcast_to(value_of(node.light, "intensity", clock, Scope(scene)), clock.frames.shape)  # type: ignore[arg-type]
    sampler = player.pointed(f"/extensions/KHR_lights_punctual/lights/{place}/intensity")
    if sampler is None:
        assert np.ptp(true) <= 1e-9
        return
    now = player.play(sampler, (clock.frames - scene.first) / scene.fps)[:, 0]
    assert np.abs(now - true).max() <= 1.01e-3 * np.ptp(true) + 1e-6 * np.abs(true).max()
    assert now.min() >= -1e-3 * np.ptp(true)


def check_usd(scene: Scene, file: Path) -> None:
    from pxr import Usd, UsdGeom

    stage, clock, scope = Usd.Stage.Open(str(file)), scene.clock(), Scope(scene)
    prims = {prim.GetCustomDataByKey("lazzik:id") or prim.GetName(): prim for prim in stage.Traverse()}
    for node in scene.nodes:
        prim = next(p for name, p in prims.items() if name in (node.id, node.label))
        matrices = world(scene, node, clock, scope)
        for index in range(0, len(clock.frames), 4):
            when = Usd.TimeCode(float(clock.frames[index]))
            found = np.array(UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(when)).T
            np.testing.assert_allclose(found, matrices[index], atol=2e-5 * max(1.0, np.abs(matrices[index]).max()))
        if node.shape is not None and shapes_over_time(scene, node):
            mesh = next(UsdGeom.Mesh(p) for p in Usd.PrimRange(prim) if p.IsA(UsdGeom.Mesh))
            true = surface_seen(scene, node, clock, scope)
            for index in (0, 11):
                points = np.array(mesh.GetPointsAttr().Get(Usd.TimeCode(float(clock.frames[index]))))
                np.testing.assert_allclose(points, true.points(index), atol=1e-5)


@pytest.mark.parametrize(
    "start", [*range(0, 30, 10), *(pytest.param(n, marks=pytest.mark.slow) for n in range(30, 200, 10))]
)
def test_random_scenes_come_out_as_they_move(start: int, tmp_path: Path, validate: Validate) -> None:
    for seed in range(start, start + 10):
        scene = Draw(seed).scene()
        glb = Gltf().write(scene)
        check_gltf(scene, glb)
        if seed % 10 == 0:
            (tmp_path / "one.glb").write_bytes(glb)
            report = validate(tmp_path / "one.glb")
            assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]
        text = Gltf(form="gltf").write(scene) if seed % 5 == 0 else None
        if text is not None:
            check_gltf(scene, text)
        (tmp_path / f"{seed}.usdc").write_bytes(write_usd(scene, "usdc").content)
        check_usd(scene, tmp_path / f"{seed}.usdc")
        addresses = moving_addresses(scene)
        if addresses:
            table = list(csv.reader(io.StringIO(write_csv(scene, addresses, scene.clock()))))
            values = evaluate(scene, addresses, scene.clock())
            for column, address in enumerate(table[0][1:], 1):
                got = [float(row[column]) for row in table[1:]]
                np.testing.assert_allclose(got, values[address], rtol=1e-9, atol=1e-9)


def test_steps_leave_as_steps_and_jumps_have_no_ramp(tmp_path: Path, validate: Validate) -> None:
    steps = Channel(keys=tuple(Key(frame=f, value=v, go="step") for f, v in ((0, 0), (10, 3), (20, -1))))
    mixed = Channel(
        keys=(Key(frame=0, value=0, go="linear"), Key(frame=10, value=5, go="step"), Key(frame=20, value=9))
    )
    node = Node(id="a", label="A", position=Position(x=steps, y=1.0), rotation=Rotation(z=mixed))
    scene = Scene(name="Steps", fps=30, last=30, nodes=(node,))
    content = Gltf().write(scene)
    player = Player(content)
    place, turn = player.channel("A", "translation"), player.channel("A", "rotation")
    assert place is not None
    assert turn is not None
    assert (place["interpolation"], len(player.array(place["input"]))) == ("STEP", 3)
    moments = np.array([9.99, 10.0, 19.999, 20.0, 25.0]) / 30
    np.testing.assert_allclose(player.play(place, moments)[:, 0], [0, 3, 3, -1, -1], atol=1e-6)
    angles = Turn.from_quat(player.play(turn, np.array([5.0, 10, 15, 19.999, 20, 28]) / 30, True)).as_euler("xyz", True)
    np.testing.assert_allclose(angles[:, 2], [2.5, 5, 5, 5, 9, 9], atol=0.05)
    file = tmp_path / "steps.glb"
    file.write_bytes(content)
    report = validate(file)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]


@pytest.mark.parametrize("degrees", [90, 700, 3000, 20_000])
def test_fast_turning_takes_the_way_it_was_evaluated(degrees: float) -> None:
    spin = Channel(keys=(Key(frame=0, value=0, go="linear"), Key(frame=30, value=degrees)))
    scene = turned(spin, last=30)
    written = Gltf().deliver(scene)
    player = Player(written.content)
    sampler = player.channel("Post", "rotation")
    assert sampler is not None
    fine = scene.clock(4).frames
    asked = Turn.from_euler("z", (degrees * fine / 30)[:, None], degrees=True)
    assert apart(player.play(sampler, fine / 30, True), asked) <= ANGLE * 1.01
    if degrees == 90:
        assert len(player.array(sampler["input"])) <= 4, "an even turn needs hardly a key"
    assert "1 tracks" in written.summary
    assert "° off" in written.details[0]


def test_a_looser_tolerance_needs_fewer_keys() -> None:
    swing = Channel.model_validate(
        {"layers": [{"kind": "noise", "id": "n", "label": "N", "amplitude": 2.0, "period": 0.4}]}
    )
    scene = Scene(name="Loose", nodes=(Node(id="a", label="A", position=Position(x=swing)),))
    sizes = [len(Gltf(place=place).write(scene)) for place in (0.01, 0.1, 1.0, 10.0)]
    assert sizes == sorted(sizes, reverse=True)
    assert sizes[0] > 1.5 * sizes[-1]


def test_looks_lights_and_cameras_move_by_pointers(tmp_path: Path, validate: Validate) -> None:
    flicker = Channel.model_validate(
        {"value": 1.0, "layers": [{"kind": "wave", "id": "w", "label": "W", "amplitude": 3.0}]}
    )
    share = Channel(keys=(Key(frame=0, value=0.2), Key(frame=30, value=0.9)))
    nodes = (
        Node(id="lamp", label="Lamp", light=Light(intensity=flicker, color=Color(r=share, g=0.5, b=0.1))),
        Node(
            id="sign",
            label="Sign",
            shape=Box(kind="box"),
            look=Look(glow=flicker, color=Color(r=share), roughness=share),
        ),
        Node(
            id="eye", label="Eye", camera=Camera(view=Channel(keys=(Key(frame=0, value=30), Key(frame=30, value=60))))
        ),
        Node(id="still", label="Still", shape=Ball(kind="ball")),
    )
    scene = Scene(name="Looks", fps=30, last=60, nodes=nodes)
    content = Gltf().write(scene)
    player = Player(content)
    assert "KHR_animation_pointer" in player.json["extensionsUsed"]
    frames = scene.clock(4).frames
    true = np.maximum(0.0, 1 + 3 * np.sin(2 * np.pi * frames / 30))
    lamp = player.pointed("/extensions/KHR_lights_punctual/lights/0/intensity")
    material = player.json["meshes"][player.json["nodes"][1]["mesh"]]["primitives"][0]["material"]
    glow = player.pointed(f"/materials/{material}/extensions/KHR_materials_emissive_strength/emissiveStrength")
    for sampler in (lamp, glow):
        assert sampler is not None
        np.testing.assert_allclose(player.play(sampler, frames / 30)[:, 0], true, atol=4.1e-3)
    assert (
        player.json["materials"][material]["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] == 1.0
    )
    ramp = np.interp(frames, [0, 60], [0, 1])
    for rest, width in (("pbrMetallicRoughness/baseColorFactor", 4), ("emissiveFactor", 3)):
        sampler = player.pointed(f"/materials/{material}/{rest}")
        assert sampler is not None
        red = player.play(sampler, frames / 30)
        assert red.shape[1] == width
        coded = np.where(red[:, 0] <= 0.0031308, 12.92 * red[:, 0], 1.055 * red[:, 0] ** (1 / 2.4) - 0.055)
        expected = evaluate(scene, ["sign/look.color.r"], scene.clock(4))["sign/look.color.r"]
        np.testing.assert_allclose(coded, expected, atol=4e-3)
    view = player.pointed("/cameras/0/perspective/yfov")
    assert view is not None
    angle = evaluate(scene, ["eye/camera.view"], scene.clock(4))["eye/camera.view"]
    np.testing.assert_allclose(np.degrees(player.play(view, frames / 30)[:, 0]), angle, atol=0.031)
    assert ramp[-1] == 1
    file = tmp_path / "looks.glb"
    file.write_bytes(content)
    report = validate(file)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report["messages"]
    plain = Player(Gltf(looks="stay").write(scene)).json
    assert "KHR_animation_pointer" not in plain.get("extensionsUsed", [])
    assert "animations" not in plain


def test_an_object_whose_size_moves_without_a_deformer_comes_out() -> None:
    tall = Channel(keys=(Key(frame=0, value=1.0), Key(frame=20, value=2.5)))
    scene = Scene(name="Grows", fps=30, last=20, nodes=(Node(id="b", label="B", shape=Box(kind="box", height=tall)),))
    check_gltf(scene, write_glb(scene))


def test_a_failure_names_the_object_and_stop_is_heard_in_every_phase() -> None:
    wild = {"kind": "rumple", "id": "r", "label": "R", "height": 0.4, "size": 0.02, "drift": 30.0, "octaves": 5.0}
    sheet = Sheet(kind="sheet", rows=40, columns=40, standing=True)
    scene = Scene.model_validate({"name": "Wild", "last": 250, "nodes": [{"id": "s", "label": "Flag", "deform": [wild],
                                  "shape": sheet.model_dump()}]})  # fmt: skip
    with pytest.raises(InvalidEdit, match="Flag: Flag would need more than"):
        write_glb(scene)
    swaying = edited(Scene(name="S", nodes=(Node(id="s", label="Flag", shape=sheet, scale=Scale(x=2.0)),)),
                     {"do": "add-deformer", "node": "s", "kind": "undulate"},
                     {"do": "add-layer", "address": "s/position.x", "kind": "noise"})  # fmt: skip
    phases: list[str] = []
    write_glb(swaying, progress=Progress(lambda _, said: phases.append(said)))
    wanted = {"shapes of Flag", "points of each frame", "the fewest shapes", "keys of the weights", "motion of Flag"}
    assert wanted <= set(phases)
    for phase in wanted:

        def stop(_: float, said: str, phase: str = phase) -> None:
            if said == phase:
                raise Stopped

        with pytest.raises(Stopped):
            write_glb(swaying, progress=Progress(stop))


def test_numbers_of_a_report_are_those_of_the_file() -> None:
    scene = Draw(3).scene()
    written = Gltf().deliver(scene)
    player = Player(written.content)
    keys = sum(len(player.array(sampler["input"])) for sampler in player.json["animations"][0]["samplers"])
    assert written.summary.startswith(f"{keys:,} keys in {len(written.details)} tracks")
    assert json.dumps(player.json).count('"sampler":') == len(written.details)
