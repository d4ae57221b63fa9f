"""Where the copies of a scatter stand at rest, which source each is of, and how each differs.

Every copy has a number k. What it is follows from hashes of (k, seed, purpose) alone: the splitmix64 finaliser (Steele,
Lea, Flood, OOPSLA 2014). So one copy more moves no other, and none depends on how many there are.

Over a surface, candidates are thrown in the order of their numbers, even over its area (R. Osada et al., 'Shape
distributions', ACM Trans. Graphics 21, 2002): on triangle (a, b, c) at (1 − √r)a + √r(1 − s)b + √r·s·c. The mask keeps
each by its share; one that is nearer than `spacing` to one that stands already falls out (dart throwing: R. L. Cook,
'Stochastic sampling in computer graphics', ACM Trans. Graphics 5, 1986).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import base_value
from lazzik.core.channel.layer import numbers_of
from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import value_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.kernels import kernel
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import depends_on, same_rows
from lazzik.core.scene.rest_pose import placement
from lazzik.core.scene.scatter import MOST_COPIES, Scatter
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Quaternions, Samples

Ids = NDArray[np.int64]

TRIES = 12
"""Candidates that are thrown for each copy that is wanted, at most."""

PLACE, ALONG, ACROSS, DENSE, SIZE, TURN, LEAN, WAY, STIFF, SOURCE, VARIANT = range(11)
"""Purposes of random numbers."""


@dataclass(frozen=True, eq=False)
class Copies:
    """The copies of a scatter at rest, in its own space."""

    ids: Ids
    """(n,) their numbers, ascending."""
    places: Points
    """(n, 3) metres: where each stands."""
    turns: Quaternions
    """(n, 4) x, y, z, w."""
    sizes: Samples
    """(n,) times."""
    sources: Ids
    """(n,) which of the sources each is of."""
    variants: Ids
    """(n,) which shift of time each plays."""
    stiffness: Samples
    """(n,) times the frequency of each."""
    corners: tuple[Ids, Points] | None = None
    """Over a surface: (n,) the triangle, and (n, 3) the shares of its corners."""

    def __len__(self) -> int:
        return len(self.ids)

    def of(self, source: int, variant: int | None) -> Ids:
        """Which are of a source, in one of its shifts of time or in any.

        Returns
        -------
        (m,) array
            Their places here.
        """
        mine = self.sources == source
        return np.flatnonzero(mine if variant is None else mine & (self.variants == variant))

    def only(self, rows: Ids) -> Copies:
        """Some of them.

        Parameters
        ----------
        rows : (m,) array
            Which, by their places here.
        """
        corners = None if self.corners is None else (self.corners[0][rows], self.corners[1][rows])
        return Copies(
            self.ids[rows], self.places[rows], self.turns[rows], self.sizes[rows], self.sources[rows],
            self.variants[rows], self.stiffness[rows], corners,
        )  # fmt: skip


def chance(ids: Ids, seed: int, purpose: int) -> Samples:
    """Even random numbers.

    Parameters
    ----------
    ids : (n,) array
        Numbers of copies.

    Returns
    -------
    (n,) array
        From 0 up to 1.
    """
    with np.errstate(over="ignore"):
        z = (
            ids.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
            + np.uint64(seed & (2**63 - 1)) * np.uint64(0xD1342543DE82EF95)
            + np.uint64(purpose) * np.uint64(0xA0761D6478BD642F)
            + np.uint64(0x632BE59BD9B4E019)
        )
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z = z ^ (z >> np.uint64(31))
    return np.asarray((z >> np.uint64(11)).astype(np.float64) * 2.0**-53)


def copies_of(scene: Scene, node: Node, scope: Scope) -> Copies:
    """The copies of a scatter at rest. Kept in the object, which never changes, with what it was worked out from."""
    scatter = node.scatter
    assert scatter is not None
    surface = scene.by_id.get(scatter.surface or "")
    read = _laid_by(scene, node)
    kept: tuple[tuple[object, ...], Copies] | None = node.__dict__.get("_copies")
    if kept is None or not same_rows(kept[0], read):
        kept = node.__dict__["_copies"] = (read, _worked_out(scene, node, scatter, surface, scope.at(node.id)))
    return kept[1]


def _laid_by(scene: Scene, node: Node) -> tuple[object, ...]:
    """All that tells where the copies of a scatter stand: itself, what bears it, and what any of these read."""
    return tuple(row for here in (node, *borne_by(scene, node)) for row in depends_on(scene, here))


def borne_by(scene: Scene, node: Node) -> list[Node]:
    """What a scatter hangs under, the surface that its copies stand on, and what that hangs under."""
    assert node.scatter is not None
    surface = scene.by_id.get(node.scatter.surface or "")
    return [*tuple(scene.lineage(node))[1:], *(scene.lineage(surface) if surface is not None else ())]


def _worked_out(scene: Scene, node: Node, scatter: Scatter, surface: Node | None, scope: Scope) -> Copies:
    first = scene.clock().start
    number = {name: _first(scatter, name, first, scope) for name in NUMBERS}
    count, seed = min(int(number["count"]), MOST_COPIES), int(number["seed"])
    corners = None
    normals: Points | None = None
    if scatter.over == "surface" and surface is not None and surface.shape is not None:
        ids, places, normals, corners = _over_surface(scene, node, scatter, surface, count, seed, number["spacing"])
    else:
        ids, places = _in_order(scatter, count, seed, number)
    if scatter.gone:
        stays = ~np.isin(ids, np.array(scatter.gone))
        ids, places = ids[stays], places[stays]
        normals = None if normals is None else normals[stays]
        corners = None if corners is None else (corners[0][stays], corners[1][stays])
    two = {name: 2.0 * chance(ids, seed, purpose) - 1.0 for name, purpose in (("size", SIZE), ("turn", TURN),
           ("lean", LEAN), ("stiff", STIFF))}  # fmt: skip
    sources = np.minimum((chance(ids, seed, SOURCE) * len(scatter.sources)).astype(np.int64), len(scatter.sources) - 1)
    variants = np.minimum((chance(ids, seed, VARIANT) * scatter.variants).astype(np.int64), scatter.variants - 1)
    return Copies(
        ids,
        places,
        _turns(scatter, number, normals, two, 2 * np.pi * chance(ids, seed, WAY), len(ids)),
        number["size"] * (1.0 + number["size_varies"] * two["size"]),
        sources,
        variants,
        1.0 + number["frequency_varies"] * two["stiff"],
        corners,
    )


NUMBERS = (
    "count", "seed", "spacing", "length", "width", "height", "radius", "size", "size_varies", "turn", "turn_varies",
    "lean", "lean_varies", "frequency_varies",
)  # fmt: skip
"""What lays the copies out, each as it is on the first frame."""


def _first(scatter: Scatter, name: str, first: Clock, scope: Scope) -> float:
    return float(np.ravel(value_of(scatter, name, first, scope))[0])


def _in_order(scatter: Scatter, count: int, seed: int, number: dict[str, float]) -> tuple[Ids, Points]:
    """((n,), (n, 3)) numbers and places in a row, a grid, a ring or a space about the middle."""
    ids = np.arange(count)
    places = np.zeros((count, 3))
    if scatter.over == "row":
        places[:, 0] = number["length"] * (ids / max(1, count - 1) - 0.5)
    elif scatter.over == "ring":
        turn = 2 * np.pi * ids / max(1, count)
        places[:, 0], places[:, 2] = number["radius"] * np.sin(turn), number["radius"] * np.cos(turn)
    elif scatter.over == "grid":
        across = max(1, round(np.sqrt(count * max(number["length"], 1e-9) / max(number["width"], 1e-9))))
        line, place = np.divmod(ids, across)
        lines = max(1, -(-count // across))
        places[:, 0] = number["length"] * ((place + 0.5) / across - 0.5)
        places[:, 2] = number["width"] * ((line + 0.5) / lines - 0.5)
    else:
        many = np.arange(count * TRIES if number["spacing"] > 0 else count)
        places = np.stack([chance(many, seed, purpose) - 0.5 for purpose in (PLACE, ALONG, ACROSS)], axis=1)
        places *= [number["length"], number["height"], number["width"]]
        ids = _apart(places, number["spacing"], np.ones(len(many), dtype=bool), count)
        places = places[ids]
    return ids, places


def _over_surface(
    scene: Scene, node: Node, scatter: Scatter, surface: Node, count: int, seed: int, spacing: float
) -> tuple[Ids, Points, Points, tuple[Ids, Points]]:
    """((n,), (n, 3), (n, 3), …) numbers, places, normals, and the triangles that they lie on."""
    assert surface.shape is not None
    mesh = surface.shape.mesh(scene.assets)
    there = np.linalg.solve(placement(scene, node), placement(scene, surface))
    points = mesh.points @ there[:3, :3].T + there[:3, 3]
    a, b, c = (points[mesh.triangles[:, k]] for k in range(3))
    square = np.cross(b - a, c - a)
    area = np.linalg.norm(square, axis=1)
    up = square[:, 1] > FLAT * area  # what faces down or stands steep bears nothing
    area = np.where(up, area, 0.0)
    if area.sum() <= 0:
        nothing: Ids = np.empty(0, dtype=np.int64)
        return nothing, np.empty((0, 3)), np.empty((0, 3)), (nothing, np.empty((0, 3)))
    sparse = spacing > 0 or scatter.mask is not None
    many = np.arange(min(count * TRIES if sparse else count, MOST_COPIES * TRIES))
    on = np.searchsorted(np.cumsum(area) / area.sum(), chance(many, seed, PLACE), side="right")
    on = np.minimum(on, len(area) - 1)
    root, s = np.sqrt(chance(many, seed, ALONG)), chance(many, seed, ACROSS)
    shares = np.stack([1.0 - root, root * (1.0 - s), root * s], axis=1)
    places = np.einsum("nk,nkj->nj", shares, np.stack([a[on], b[on], c[on]], axis=1))
    dense = np.ones(len(many), dtype=bool)
    if scatter.mask is not None:
        corners = mesh.triangles[on]
        if scatter.mask.kind == "weights":  # painted on the points
            share = np.einsum("nk,nk->n", shares, density(scene, surface, scatter)[corners])
        else:
            share = density(scene, surface, scatter, np.einsum("nk,nkj->nj", shares, mesh.points[corners]))
        dense = chance(many, seed, DENSE) < share
    ids = _apart(places, spacing, dense, count)
    normals = square[on[ids]] / np.linalg.norm(square[on[ids]], axis=1, keepdims=True)
    return ids, places[ids], normals, (on[ids], shares[ids])


FLAT = 0.25
"""Upward part of a face's normal from which it bears copies: slopes up to about 75°."""


def density(scene: Scene, surface: Node, scatter: Scatter, points: Points | None = None) -> Samples:
    """How dense copies are at places of the surface at rest.

    Parameters
    ----------
    points : (n, 3) array
        Metres, in the surface's space; its own points if none are given.

    Returns
    -------
    (n,) array
        0 to 1.

    Raises
    ------
    UnknownAsset, InvalidAsset
        If what the mask is made from is not there, or damaged.
    """
    assert surface.shape is not None
    rest = surface.shape.mesh(scene.assets).points if points is None else points
    mask = scatter.mask
    if mask is None:
        return np.ones(len(rest))
    numbers = {name: np.full(1, base_value(getattr(mask, name))) for name in numbers_of(type(mask))}
    found: Samples = np.asarray(mask.at(np.ascontiguousarray(rest.T)[None], numbers, "x", scene.assets))[0]
    return found


def _turns(
    scatter: Scatter,
    number: dict[str, float],
    normals: Points | None,
    two: dict[str, Samples],
    ways: Samples,
    count: int,
) -> Quaternions:
    """(n, 4) turned about its height, leaning its own way, and raised from the surface."""
    from scipy.spatial.transform import Rotation as Turn

    if not count:
        return np.empty((0, 4))
    spin = np.radians(number["turn"] + number["turn_varies"] * two["turn"])
    lean = np.radians(number["lean"] + number["lean_varies"] * two["lean"])
    turned = Turn.from_rotvec(np.stack([np.zeros(count), spin, np.zeros(count)], axis=1))
    aside = np.stack([np.sin(ways) * lean, np.zeros(count), -np.cos(ways) * lean], axis=1)
    whole = Turn.from_rotvec(aside) * turned
    if scatter.upright == "normal" and normals is not None:
        axis = np.stack([normals[:, 2], np.zeros(count), -normals[:, 0]], axis=1)
        length = np.linalg.norm(axis, axis=1, keepdims=True)
        angle = np.arctan2(length[:, 0], normals[:, 1])[:, None]
        whole = Turn.from_rotvec(np.divide(axis, length, out=np.zeros_like(axis), where=length > 0) * angle) * whole
    q: Quaternions = whole.as_quat()
    return q


def _apart(places: Points, spacing: float, wanted: NDArray[np.bool_], count: int) -> Ids:
    """(n,) the first candidates that may stand, at most `count`."""
    if spacing <= 0:
        return np.flatnonzero(wanted)[:count]
    size = 1 << max(4, int(len(places)).bit_length())
    keeps = np.zeros(len(places), dtype=np.bool_)
    keep_apart(np.ascontiguousarray(places), spacing, wanted, count, np.full(size, -1, dtype=np.int64),
               np.full(len(places), -1, dtype=np.int64), keeps)  # fmt: skip
    return np.flatnonzero(keeps)


@kernel("void(float64[:, ::1], float64, boolean[::1], int64, int64[::1], int64[::1], boolean[::1])")
def keep_apart(
    places: Points,
    spacing: float,
    wanted: NDArray[np.bool_],
    count: int,
    heads: Ids,
    after: Ids,
    keeps: NDArray[np.bool_],
) -> None:
    """Let candidates stand, first come first served, where none stands nearer than `spacing`.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    wanted : (n,) array
        Which may stand at all.
    heads : (a power of two,) array
        −1: the table of cells of the size of `spacing`.
    after : (n,) array
        −1: the next in the same place of the table.
    keeps : (n,) array
        Filled: which stand.
    """
    mask = heads.shape[0] - 1
    stands = 0
    for n in range(places.shape[0]):
        if not wanted[n]:
            continue
        i = np.int64(np.floor(places[n, 0] / spacing))
        j = np.int64(np.floor(places[n, 1] / spacing))
        k = np.int64(np.floor(places[n, 2] / spacing))
        free = True
        for cell in range(27):
            a, b, c = i + cell % 3 - 1, j + (cell // 3) % 3 - 1, k + cell // 9 - 1
            other = heads[(a * 73856093 ^ b * 19349663 ^ c * 83492791) & mask]
            while other >= 0:
                x = places[other, 0] - places[n, 0]
                y = places[other, 1] - places[n, 1]
                z = places[other, 2] - places[n, 2]
                if x * x + y * y + z * z < spacing * spacing:
                    free = False
                    break
                other = after[other]
            if not free:
                break
        if free:
            place = (i * 73856093 ^ j * 19349663 ^ k * 83492791) & mask
            after[n] = heads[place]
            heads[place] = n
            keeps[n] = True
            stands += 1
            if stands >= count:
                return
