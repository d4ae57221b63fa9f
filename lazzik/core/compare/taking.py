"""Taking over: what was chosen of another scene, put into this one with what it can't be without.

What comes along because it must: the objects that a part hangs under or aims at, the dials, recipes, clips, sheaves and
numbers that it reads and that are not here. Where something goes that others need, they take over what makes them do
without. With `whole`, all that is read comes as it is there, also where this scene has it otherwise, and objects bring
what hangs under them.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass

from pydantic import ValidationError

from lazzik.core.channel.airflow import AIR
from lazzik.core.compare.paths import part_of, path_of
from lazzik.core.errors import InvalidEdit, plain
from lazzik.core.scene.address import exists
from lazzik.core.scene.bundle import assets_of
from lazzik.core.scene.differences import ABSENT, ORDER, Difference, Path, differences, under, with_differences
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import PLACES, circle, circle_said, readers, reads_at
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import without_empty_sheaves


@dataclass(frozen=True)
class Taken:
    """What came of taking over."""

    scene: Scene
    chosen: tuple[Difference, ...]
    along: tuple[Difference, ...]
    """What came with it, without being chosen."""


def take_over(scene: Scene, other: Scene, keys: Collection[str], *, whole: bool = False) -> Taken:
    """A scene with parts of another one. A key is that of a difference, or of whatever holds some: an object, a number,
    a layer.

    Raises InvalidEdit if a key leads to nothing that differs, or the outcome would be no scene.
    """
    found = differences(scene, other)
    chosen = _found(found, keys)
    taking = _Taking(scene, other, found, set(chosen))
    if whole:
        taking.read()
    taking.complete()
    made = taking.made()
    along = tuple(difference for difference in found if difference in taking.taken and difference not in chosen)
    return Taken(made, tuple(chosen), along)


def _found(found: list[Difference], keys: Collection[str]) -> dict[Difference, None]:
    chosen: dict[Difference, None] = {}
    for key in keys:
        rows = [row for row in found if row.key == key or row.key.startswith(f"{key}/")]
        if not rows:
            raise InvalidEdit(f"Nothing differs at '{key[:200]}' any more", key[:200])
        chosen |= dict.fromkeys(rows)
    return chosen


class _Taking:
    def __init__(self, scene: Scene, other: Scene, found: list[Difference], taken: set[Difference]) -> None:
        self.scene, self.other, self.found, self.taken = scene, other, found, taken

    def take(self, wanted: Callable[[Difference], bool]) -> bool:
        """Take more; whether there was any."""
        more = {row for row in self.found if row not in self.taken and wanted(row)}
        self.taken |= more
        return bool(more)

    def at(self, path: Path) -> bool:
        """Take all that differs at a part, in it, or that it came with."""
        return self.take(lambda row: under(row.path, path) or under(path, row.path))

    def read(self) -> None:
        """Take all that what is taken reads in the other scene, at any depth, and what hangs under what came."""
        new = [row.path for row in self.taken if row.before is ABSENT]
        came = {path[1] for path in new if path[0] == "nodes" and len(path) == 2}
        below = {node.id for node in self.other.nodes if came.intersection(up.id for up in self.other.lineage(node))}
        self.take(lambda row: row.before is ABSENT and row.path[0] == "nodes" and row.path[1] in below)
        known: set[str] = set()
        ahead = {
            read
            for address, reads in readers(self.other)
            if any(_touches(row.path, path_of_reader(address)) for row in self.taken)
            for read in reads
        }
        while ahead:
            address = ahead.pop()
            known.add(address)
            if address != AIR:
                self.at(part_of(address))
            ahead |= reads_at(self.other, address) - known

    def complete(self) -> None:
        """Take what the rest can't be without."""
        more = True
        while more:
            while self._hangs():
                pass
            mended = [self._mend(reader, read) for reader, read in self._loose()]
            more = any(mended)

    def _hangs(self) -> bool:
        """Take the objects that are hung under or aimed at, and let go of those that go; whether that was any."""
        nodes = {row.path[1]: row for row in self.found if len(row.path) == 2 and row.path[0] == "nodes"}
        gone = {slug for slug, row in nodes.items() if row.after is ABSENT and row in self.taken}
        more = False
        for slug in {row.path[1] for row in self.taken if row.path[0] == "nodes" and row.path[1] != ORDER}:
            node = self.other.by_id.get(slug)
            for needed in _needs(node) if node is not None else ():
                if needed not in self.scene.by_id:
                    more |= self.take(lambda row, needed=needed: row is nodes.get(needed))  # type: ignore[misc]
        for node in self.scene.nodes:
            if node.id in gone or not gone.intersection(_needs(node)):
                continue
            path = ("nodes", node.id)
            if node.parent in gone:
                more |= self.take(lambda row, path=path: row.path in (path, (*path, "parent")))  # type: ignore[misc]
            if node.aim is not None and node.aim.target in gone:
                more |= self.take(lambda row, path=path: row.path == path or under(row.path, (*path, "aim")))  # type: ignore[misc]
        return more

    def _loose(self) -> list[tuple[str, str]]:
        """(reader, what it reads) where there is nothing to read, though both scenes have no such."""
        made = self.made(check=False)
        known = {(a, r) for scene in (self.scene, self.other) for a, r in _dangling(scene)}
        return [pair for pair in _dangling(made) if pair not in known]

    def _mend(self, reader: str, read: str) -> bool:
        """Take what is read, or what makes the reader do without; whether there was any of it."""
        if _is_there(self.other, read):
            return self.at(path_of(read))
        return self.at(path_of_reader(reader))

    def made(self, *, check: bool = True) -> Scene:
        """The outcome so far. Raises InvalidEdit where it is no scene."""
        rows = [row for row in self.found if row in self.taken]
        try:
            made = with_differences(self.scene, rows)
        except ValidationError as error:
            said = plain(error.errors(include_url=False)[0]["msg"])
            raise InvalidEdit(f"This can't be taken over without more of it: {said}", rows[0].key) from None
        if self.other.assets is not made.assets:
            for name in sorted({name for node in made.kept_nodes for name in assets_of(node)}):
                if made.assets.get(name) is None:
                    made.assets.put(self.other.assets.content(name))
        if check:
            made = without_empty_sheaves(made)
        if check and (members := circle(made)):
            raise InvalidEdit(f"This can't be taken over without more of it: {circle_said(made, members)}", members[0])
        return made


def path_of_reader(address: str) -> Path:
    """Where what reads stands in the document: a number, or for 'vane/rotation' what turns the object."""
    slug, _, part = address.partition("/")
    return ("nodes", slug, "aim") if part == "rotation" else path_of(address)


def _touches(one: Path, other: Path) -> bool:
    return under(one, other) or under(other, one)


def _needs(node: Node) -> Iterable[str]:
    """Objects without which one can't be."""
    if node.parent is not None:
        yield node.parent
    if node.aim is not None and node.aim.target is not None:
        yield node.aim.target
    for part in (node.scatter, node.carried):
        if part is not None:
            yield from part.refers


def _dangling(scene: Scene) -> Iterable[tuple[str, str]]:
    for reader, reads in readers(scene):
        for read in sorted(reads):
            if not _is_there(scene, read):
                yield reader, read


def _is_there(scene: Scene, address: str) -> bool:
    if address == AIR:  # there is always some
        return True
    slug, _, part = address.partition("/")
    return slug in scene.by_id if part in PLACES else exists(scene, address)
