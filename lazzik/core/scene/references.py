"""Who reads whom. Links, formulas and recipes name other numbers; together they must make no circle.

A vertex is a written address; the number there reads whatever a layer on it names, or a layer on a number of that
layer, to any depth. Recipes stand in the graph under 'recipes/name', dials under 'dials/name',
the weights of sheaves under 'sheaves/name'.

What answers the air reads AIR, and where the object hangs. AIR reads the places and the numbers of all fields; an
object leaves out those fields that depend on it (`fields_for`), so no ring ever goes through the air.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from lazzik.core.channel.airflow import AIR, CARRIED_AIR
from lazzik.core.channel.channel import Channel
from lazzik.core.errors import UnknownAddress
from lazzik.core.layers import Clip
from lazzik.core.scene.address import Address, find_at, title
from lazzik.core.scene.aim import Aim
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.node import Node, channels_of
from lazzik.core.scene.scene import PARTS, Scene
from lazzik.core.scene.sheaf import Sheaf

NOTHING: frozenset[str] = frozenset()

PLACES = ("position", "rotation")
"""What of an object's place can be read."""


def reads_of(number: float | Channel) -> frozenset[str]:
    """Addresses that a number's layers read, at any depth. A channel never changes, so the answer is kept in it."""
    if not isinstance(number, Channel) or not number.layers:
        return NOTHING
    kept: frozenset[str] | None = number.__dict__.get("_reads")
    if kept is None:
        kept = NOTHING
        for layer in number.layers:
            shared = () if layer.sheaf is None else (f"sheaves/{layer.sheaf}",)
            air = (AIR,) if type(layer).needs == "air" else ()
            driven = (reads_of(own) for own in layer.stored() if isinstance(own, Channel))
            kept = kept.union(layer.references(), shared, air, *driven)
        number.__dict__["_reads"] = kept
    return kept


def node_reads(node: Node) -> dict[str, frozenset[str]]:
    """What of an object reads others: path -> addresses. Kept in the object, which never changes."""
    kept: dict[str, frozenset[str]] | None = node.__dict__.get("_node_reads")
    if kept is None:
        above = hangs(node)
        kept = {
            path: reads | above if AIR in reads else reads
            for path, number, _ in channels_of(node)
            if (reads := reads_of(number))
        }
        if node.aim is not None and node.aim.acts:
            kept["rotation"] = _aim_reads(node, node.aim)
        node.__dict__["_node_reads"] = kept
    return kept


def read_by(node: Node) -> frozenset[str]:
    """The addresses that any number of an object reads. Kept in the object, as `node_reads` are."""
    kept: frozenset[str] | None = node.__dict__.get("_read_by")
    if kept is None:
        kept = node.__dict__["_read_by"] = NOTHING.union(*node_reads(node).values())
    return kept


def hangs(node: Node) -> frozenset[str]:
    """The place of what an object hangs under: where whatever of it answers the air stands."""
    return frozenset(f"{node.parent}/{part}" for part in PLACES) if node.parent is not None else NOTHING


def answers(scene: Scene, reads: frozenset[str]) -> bool:
    """Whether what reads these addresses answers the air itself, by a layer of its own or of a recipe that it uses."""
    known: set[str] = set()
    ahead = list(reads)
    while ahead:
        address = ahead.pop()
        if address == AIR:
            return True
        recipe = scene.recipe(address.removeprefix("recipes/")) if address.startswith("recipes/") else None
        if recipe is not None and address not in known:
            known.add(address)
            ahead += reads_of(recipe.stack)
    return False


def _aim_reads(node: Node, aim: Aim) -> frozenset[str]:
    reads = {f"{node.id}/position"}
    if aim.target is not None:
        reads.add(f"{aim.target}/position")
        if aim.turned_target:
            reads.add(f"{aim.target}/rotation")
    if node.parent is not None:
        reads.add(f"{node.parent}/rotation")
    return frozenset(reads)


def _place_reads(node: Node, part: str) -> frozenset[str]:
    """What 'node/position' or 'node/rotation' reads: what its own numbers read, and where it hangs."""
    own = node_reads(node)
    parts = ("position.",) if part == "position" else ("rotation.", "scale.", "aim.")
    above = {f"{node.parent}/rotation"} if node.parent is not None else set()
    if part == "position" and node.parent is not None:
        above.add(f"{node.parent}/position")
    numbers = (reads for path, reads in own.items() if path.startswith(parts))
    return NOTHING.union(above, own.get(part, NOTHING), *numbers)


def readers(scene: Scene) -> Iterator[tuple[str, frozenset[str]]]:
    """Every number of the scene that reads others, as (address, addresses)."""
    for node in scene.nodes:
        yield from _numbers_of(scene, node)
    for recipe in scene.recipes:
        if reads := reads_of(recipe.stack):
            yield f"recipes/{recipe.id}", reads
    for part in _parts(scene):
        yield from _numbers_in(part)


def _parts(scene: Scene) -> tuple[Dial | Sheaf | Clip, ...]:
    """What may read others beside objects and recipes."""
    return (*scene.dials, *scene.sheaves, *scene.clips)


def _numbers_of(scene: Scene, node: Node) -> Iterator[tuple[str, frozenset[str]]]:
    for path, reads in node_reads(node).items():
        yield f"{node.id}/{path}", reads | hangs(node) if answers(scene, reads) else reads


def _numbers_in(part: Dial | Sheaf | Clip) -> Iterator[tuple[str, frozenset[str]]]:
    rows: list[tuple[str, float | Channel]]
    match part:
        case Dial():
            rows = [(f"dials/{part.id}", part.value)]
        case Sheaf():
            rows = [(part.address, part.weight)]
        case Clip():
            rows = [(part.address(track), track.motion) for track in part.tracks]
    for address, number in rows:
        if reads := reads_of(number):
            yield address, reads


def reads_at(scene: Scene, address: str) -> frozenset[str]:
    """What the number or the place at an address reads; nothing if there is none."""
    if address in (AIR, CARRIED_AIR):
        return NOTHING.union(*(_field_reads(node) for node in _moving(scene, address) if acts(node)))
    slug, _, part = address.partition("/")
    node = scene.by_id.get(slug)
    if part in PLACES:
        return _place_reads(node, part) if node else NOTHING
    try:
        reads = reads_of(find_at(scene, address).number)
    except UnknownAddress:
        return NOTHING
    return reads | hangs(node) if node is not None and answers(scene, reads) else reads


def _moving(scene: Scene, address: str) -> tuple[Node, ...]:
    """The fields that AIR or CARRIED_AIR stands for, muted ones too."""
    return scene.fields if address == CARRIED_AIR else scene.common_fields


def stirs_all(node: Node) -> bool:
    """Whether a field moves all that stands in the air, and not only what is carried by it."""
    return node.field is not None and node.field.stirs == "all"


def air_of(node: Node) -> frozenset[str]:
    """What stands for the air that a field is part of."""
    return frozenset({AIR if stirs_all(node) else CARRIED_AIR})


def _field_reads(node: Node) -> frozenset[str]:
    places = (f"{node.id}/{part}" for part in PLACES)
    numbers = (reads for path, reads in node_reads(node).items() if path.startswith("field."))
    return NOTHING.union(places, *numbers)


def acts(node: Node) -> bool:
    """Whether an object moves the air."""
    return node.field is not None and not node.field.muted


def fields_for(scene: Scene, home: str) -> tuple[Node, ...]:
    """The fields that what belongs to `home`, an object or a part of the scene, answers: those that act, on all that
    stands in the air, and do not depend on it themselves. Kept in the scene, which never changes."""
    kept: dict[str, tuple[Node, ...]] = scene.__dict__.setdefault("_fields_for", {})
    fields = kept.get(home)
    if fields is None:
        needs = _needs(scene)
        fields = tuple(node for node in scene.common_fields if acts(node) and home not in needs[node.id])
        kept[home] = fields
    return fields


def _needs(scene: Scene) -> dict[str, frozenset[str]]:
    """For each field the objects and parts of the scene that it depends on, the air itself counted in. Kept in the
    scene, which never changes."""
    kept: dict[str, frozenset[str]] | None = scene.__dict__.get("_needs")
    if kept is None:
        kept = {
            node.id: frozenset({node.id, *(_home(address) for address in closure(scene, _field_reads(node)))})
            for node in scene.fields
        }
        scene.__dict__["_needs"] = kept
    return kept


def _home(address: str) -> str:
    head, _, _ = address.partition("/")
    return address.partition("#")[0] if head in PARTS else head


def closure(scene: Scene, reads: frozenset[str]) -> set[str]:
    """All addresses that are read by whatever reads these, directly or through others."""
    found: set[str] = set()
    ahead = list(reads)
    while ahead:
        address = ahead.pop()
        if address not in found:
            found.add(address)
            ahead += reads_at(scene, address)
    return found


def circle(scene: Scene, before: Scene | None = None) -> list[str] | None:
    """Addresses of numbers that read each other in a ring, the first one again at the end; None if there are none.

    `before` is a scene without any, of which this one was made: a ring then goes through what is another by now.
    """
    if before is not None and before.recipes is scene.recipes:  # what a recipe reads may be read by all that use it
        return circle(scene) if _ring(scene, _changed(before, scene)) is not None else None
    return _ring(scene, readers(scene))


def _changed(before: Scene, scene: Scene) -> Iterator[tuple[str, frozenset[str]]]:
    """What reads others of all that is not the very same as before: numbers, and the places of objects."""
    for node in scene.others(before):
        yield from _numbers_of(scene, node)
        for place in PLACES:
            yield f"{node.id}/{place}", _place_reads(node, place)
    known = {id(part) for part in _parts(before)}
    for part in _parts(scene):
        if id(part) not in known:
            yield from _numbers_in(part)


def _ring(scene: Scene, starts: Iterable[tuple[str, frozenset[str]]]) -> list[str] | None:
    done: set[str] = set()
    for start, reads in starts:
        if start in done:
            continue
        way: list[str] = [start]
        ahead: list[Iterator[str]] = [iter(sorted(reads - {AIR, CARRIED_AIR}))]
        while ahead:
            after = next(ahead[-1], None)
            if after is None:
                ahead.pop()
                done.add(way.pop())
            elif after in way:
                return [*way[way.index(after) :], after]
            elif after not in done:
                way.append(after)
                ahead.append(iter(sorted(reads_at(scene, after) - {AIR, CARRIED_AIR})))
    return None


def circle_said(scene: Scene, members: list[str]) -> str:
    """A circle as a sentence that names its members."""
    names = [_title(scene, address) for address in members]
    if len(names) == 2:
        return f"'{names[0]}' would read itself"
    return f"'{names[0]}' would read itself, by way of {' → '.join(names[1:-1])}"


def _title(scene: Scene, address: str) -> str:
    slug, _, part = address.partition("/")
    if part not in PLACES:
        return title(scene, Address.parse(address))
    return f"{scene.called[slug] if slug in scene.by_id else slug} / {part}"


def seen_by(scene: Scene, reads: frozenset[str]) -> tuple[object, ...]:
    """All that is read by whatever reads these addresses, directly or through others: the very objects, in the order
    of their addresses. Of what answers the air it is kept in the scene, which never changes: it is much, and the same
    for all that hangs in one place."""
    if not reads:
        return ()
    kept: dict[frozenset[str], tuple[object, ...]] = scene.__dict__.setdefault("_seen_by", {})
    seen = kept.get(reads)
    if seen is None:
        seen = tuple(_held(scene, address) for address in sorted(closure(scene, reads)))
        if AIR in reads or CARRIED_AIR in reads:
            kept[reads] = seen
    return seen


def _held(scene: Scene, address: str) -> object:
    """What an address begins with; for the air all that moves it."""
    return _moving(scene, address) if address in (AIR, CARRIED_AIR) else scene.held_at(address)


def same_air(before: Scene, after: Scene) -> bool:
    """Whether the air of two scenes is the same: whatever it depends on is the very same."""
    return (not before.fields and not after.fields) or same_read(before, after, frozenset({AIR}))


def same_read(before: Scene, after: Scene, reads: frozenset[str]) -> bool:
    """Whether all that is read by whatever reads these addresses, at any depth, is the very same in both."""
    return same_rows(seen_by(before, reads), seen_by(after, reads))


def same_rows(a: tuple[object, ...], b: tuple[object, ...]) -> bool:
    """Whether two rows, as of `seen_by`, are of the very same objects."""
    return len(a) == len(b) and all(map(_same, a, b))


def affected(before: Scene, after: Scene) -> list[Node]:
    """Objects whose motion may differ: those that are not the very same, and those that read what is not."""
    known: dict[str, tuple[bool, frozenset[str]]] = {}

    def look(address: str) -> tuple[bool, frozenset[str]]:
        """Whether what stands at an address is another, and what it reads: the same for whoever reads it."""
        found = known.get(address)
        if found is None:
            other = not _same(_held(before, address), _held(after, address))
            found = known[address] = (other, NOTHING if other else reads_at(after, address))
        return found

    others = {node.id for node in after.others(before)}
    return [
        node
        for node in after.nodes
        if node.id in others or (read_by(node) and _reads_other(_own_reads(after, node), look))
    ]


def depends_on(scene: Scene, node: Node) -> tuple[object, ...]:
    """All that an object's motion and surface depend on, itself first: the very objects."""
    return (node, *seen_by(scene, _own_reads(scene, node)))


def _own_reads(scene: Scene, node: Node) -> frozenset[str]:
    """The addresses that an object reads, with where it hangs if it answers the air."""
    own = read_by(node)
    return own | hangs(node) if own and answers(scene, own) else own


def _reads_other(reads: frozenset[str], look: Callable[[str], tuple[bool, frozenset[str]]]) -> bool:
    """Whether one of some addresses, or what is read there at any depth, is another."""
    ahead, passed = set(reads), set[str]()
    while ahead:
        address = ahead.pop()
        passed.add(address)
        other, further = look(address)
        if other:
            return True
        ahead |= further - passed
    return False


def place_of(address: str) -> str:
    """The place that a number of an object is part of, as it stands in the graph: 'vane/rotation'; '' for any other."""
    node, _, path = address.partition("/")
    part = path.partition(".")[0]
    return f"{node}/{'rotation' if part == 'scale' else part}" if part in (*PLACES, "scale") else ""


def _same(a: object, b: object) -> bool:
    """Whether two are the very same, or rows of the very same objects."""
    if isinstance(a, tuple) and isinstance(b, tuple):
        return len(a) == len(b) and all(x is y for x, y in zip(a, b, strict=True))
    return a is b
