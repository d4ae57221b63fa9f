"""One sub-step of cloth: extended position-based dynamics with small steps.

Each constraint C with compliance α (metres per newton) and multiplier λ, over a sub-step of h seconds:

    Δλ = −(C + α̃ λ) / (Σ wᵢ |∇Cᵢ|² + α̃),   α̃ = α / h²,   xᵢ ← xᵢ + wᵢ ∇Cᵢ Δλ

(M. Macklin, M. Müller, N. Chentanez, 'XPBD', MIG 2016; M. Macklin et al., 'Small steps in physics simulation', SCA
2019). Edges are gone through one after the other, there and back in turn; multipliers add up over these sweeps. Bends,
orders softer, once a sub-step: they are linear in the places, so that they never gain energy.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lazzik.core.kernels import kernel
from lazzik.core.simulate.motion import FARTHEST, FASTEST
from lazzik.core.types import Points, Samples

Ints = NDArray[np.int64]

AIR_DENSITY = 1.2
"""Kilograms per cubic metre."""

FAST = 1.0 - 1e-9
"""Strength from which a point is held fast."""

SOFT = 2.0
"""Hertz at which a point that is half held is drawn back."""

PER_PUSH = 4
"""Sub-steps after which the air pushes anew, for all of them at once."""

BEYOND = 1.4
"""Times the step that a sweep takes along edges: successive over-relaxation, under 2, so that long waves die sooner."""


@kernel(
    "void(float64[:, ::1], float64[:, ::1], int64[:, ::1], float64[:, ::1], float64, float64, float64, float64[:, ::1],"
    " float64[::1])"
)
def push_by_air(
    places: Points, speeds: Points, triangles: Ints, air: Points, across: float, along: float, load: float,
    pushed: Points, shares: Samples,
) -> None:  # fmt: skip
    """Add what the air does to the speeds in a sub-step, triangle by triangle.

    With w the air's speed beside that of the triangle and n its normal, the force is ½ρA(cₙ|w·n|(w·n)n + cₜ|wₜ|wₜ).
    Each part is solved exactly as long as the air stays: w' = −k|w|w, so w(h) = w/(1 + k|w|h); nothing is ever blown
    faster than the air goes. What moves a triangle is shared by its points.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    speeds : (n, 3) array
        Metres per second; changed.
    triangles : (m, 3) array
        Numbers of points.
    air : (n, 3) array
        Metres per second at the points.
    across, along : float
        cₙ and cₜ.
    load : float
        ½ρh divided by the weight of a square metre: seconds per metre.
    pushed : (n, 3) array
        Written over.
    shares : (n,) array
        Square metres that belong to each point.
    """
    pushed[:] = 0.0
    w = np.empty(3)
    n = np.empty(3)
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ex, ey, ez = places[b, 0] - places[a, 0], places[b, 1] - places[a, 1], places[b, 2] - places[a, 2]
        fx, fy, fz = places[c, 0] - places[a, 0], places[c, 1] - places[a, 1], places[c, 2] - places[a, 2]
        n[0], n[1], n[2] = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
        twice = np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
        if not twice > 1e-18:
            continue
        toward = 0.0
        for k in range(3):
            n[k] /= twice
            w[k] = (air[a, k] + air[b, k] + air[c, k] - speeds[a, k] - speeds[b, k] - speeds[c, k]) / 3.0
            toward += w[k] * n[k]
        flat = 0.0
        for k in range(3):
            w[k] -= toward * n[k]
            flat += w[k] * w[k]
        flat = np.sqrt(flat)
        gain_n = load * across * abs(toward)
        gain_t = load * along * flat
        gain_n /= 1.0 + gain_n
        gain_t /= 1.0 + gain_t
        for k in range(3):
            push = (gain_n * toward * n[k] + gain_t * w[k]) * twice / 6.0
            pushed[a, k] += push
            pushed[b, k] += push
            pushed[c, k] += push
    for p in range(places.shape[0]):
        if shares[p] > 0.0:
            for k in range(3):
                speeds[p, k] += pushed[p, k] / shares[p]


@kernel("void(float64[:, ::1], float64[:, ::1], float64[::1], float64, float64, float64, float64[:, ::1])")
def set_off(
    places: Points, speeds: Points, inverse: Samples, seconds: float, fall: float, calm: float, to: Points
) -> None:
    """Where points would go in a sub-step if nothing held them.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    speeds : (n, 3) array
        Metres per second; changed by gravity and by what calms them.
    inverse : (n,) array
        One by kilograms; 0 where a point is held.
    seconds, fall, calm : float
        Of a sub-step; what gravity adds along y, in metres per second squared; the share of the speed that stays.
    to : (n, 3) array
        Filled.
    """
    for p in range(places.shape[0]):
        swift = 0.0
        for k in range(3):
            speeds[p, k] = speeds[p, k] * calm + (fall * seconds if k == 1 else 0.0)
            swift += speeds[p, k] * speeds[p, k]
        slower = FASTEST / np.sqrt(swift) if swift > FASTEST * FASTEST else 1.0
        if not swift < np.inf:
            slower = 0.0
            for k in range(3):
                speeds[p, k] = 0.0
        for k in range(3):
            speeds[p, k] *= slower
            to[p, k] = places[p, k] + (speeds[p, k] * seconds if inverse[p] > 0.0 else 0.0)


@kernel("void(float64[:, ::1], float64[::1], int64[::1], float64[:, ::1], float64[::1], float64[:, ::1])")
def draw_to_pins(to: Points, inverse: Samples, pinned: Ints, targets: Points, give: Samples, pulls: Points) -> None:
    """Draw points toward where they are softly held.

    Parameters
    ----------
    to, inverse : (n, 3) and (n,) arrays
        Metres, changed; one by kilograms.
    pinned, targets : (k,) and (k, 3) arrays
        Points, and metres.
    give, pulls : (k,) and (k, 3) arrays
        α̃, below 0 for one that is not drawn; multipliers, changed.
    """
    for j in range(pinned.shape[0]):
        p = pinned[j]
        if give[j] < 0.0 or inverse[p] <= 0.0:
            continue
        for k in range(3):
            pull = -(to[p, k] - targets[j, k] + give[j] * pulls[j, k]) / (inverse[p] + give[j])
            pulls[j, k] += pull
            to[p, k] += inverse[p] * pull


@kernel(
    "void(float64[:, ::1], float64[::1], int64[::1], int64[::1], float64[::1], float64[::1], float64[::1],"
    " float64[:, ::1])"
)
def bend_back(
    to: Points, inverse: Samples, starts: Ints, bent: Ints, weights: Samples, give: Samples, curves: Samples,
    normals: Points,
) -> None:  # fmt: skip
    """Bring the Laplacian at each point toward what it is at rest, once.

    Parameters
    ----------
    to, inverse : (n, 3) and (n,) arrays
        Metres, changed; one by kilograms.
    starts, bent, weights, curves : (b + 1,), (all,), (all,) and (b,) arrays
        As in `Bends`.
    give : (b,) array
        α̃.
    normals : (n, 3) array
        Of unit length; read where something is curved at rest.
    """
    for j in range(curves.shape[0]):
        below = give[j]
        x, y, z = 0.0, 0.0, 0.0
        for i in range(starts[j], starts[j + 1]):
            p, w = bent[i], weights[i]
            below += inverse[p] * w * w
            x += w * to[p, 0]
            y += w * to[p, 1]
            z += w * to[p, 2]
        if curves[j] != 0.0:
            p = bent[starts[j]]
            x -= curves[j] * normals[p, 0]
            y -= curves[j] * normals[p, 1]
            z -= curves[j] * normals[p, 2]
        share = -1.0 / below
        for i in range(starts[j], starts[j + 1]):
            p = bent[i]
            step = inverse[p] * weights[i] * share
            to[p, 0] += step * x
            to[p, 1] += step * y
            to[p, 2] += step * z


@kernel("void(float64[:, ::1], float64[::1], int64[:, ::1], float64[::1], float64[::1], float64[::1], boolean)")
def keep_lengths(
    to: Points, inverse: Samples, edges: Ints, lengths: Samples, give: Samples, pulls: Samples, back: bool
) -> None:
    """One sweep over the edges.

    Parameters
    ----------
    to, inverse : (n, 3) and (n,) arrays
        Metres, changed; one by kilograms.
    edges, lengths : (e, 2) and (e,) arrays
        Numbers of points, and metres.
    give, pulls : (e,) arrays
        α̃; multipliers, changed.
    back : bool
        Whether from the last one to the first.
    """
    last = edges.shape[0] - 1
    for i in range(edges.shape[0]):
        j = last - i if back else i
        p, q = edges[j, 0], edges[j, 1]
        both = inverse[p] + inverse[q]
        if both <= 0.0:
            continue
        x, y, z = to[p, 0] - to[q, 0], to[p, 1] - to[q, 1], to[p, 2] - to[q, 2]
        long = np.sqrt(x * x + y * y + z * z)
        if not long > 1e-12:
            continue
        pull = -BEYOND * (long - lengths[j] + give[j] * pulls[j]) / (both + give[j])
        pulls[j] += pull
        pull /= long
        a, b = inverse[p] * pull, inverse[q] * pull
        to[p, 0] += a * x
        to[p, 1] += a * y
        to[p, 2] += a * z
        to[q, 0] -= b * x
        to[q, 1] -= b * y
        to[q, 2] -= b * z


@kernel("void(float64[:, ::1], float64[::1], int64[::1], int64[::1], float64[::1])")
def keep_near(to: Points, inverse: Samples, tethered: Ints, ends: Ints, reach: Samples) -> None:
    """Bring points back that are farther from a pin than they can be.

    Parameters
    ----------
    to, inverse : (n, 3) and (n,) arrays
        Metres, changed; one by kilograms.
    tethered, ends, reach : (t,) arrays
        A point, the pinned one that it is tethered to, and metres.
    """
    for j in range(tethered.shape[0]):
        p, q = tethered[j], ends[j]
        if inverse[q] > 0.0 or inverse[p] <= 0.0:  # let go, or held itself
            continue
        x, y, z = to[p, 0] - to[q, 0], to[p, 1] - to[q, 1], to[p, 2] - to[q, 2]
        far = x * x + y * y + z * z
        if far > reach[j] * reach[j]:
            share = reach[j] / np.sqrt(far)
            to[p, 0] = to[q, 0] + x * share
            to[p, 1] = to[q, 1] + y * share
            to[p, 2] = to[q, 2] + z * share


@kernel(
    "void(float64[:, ::1], float64[::1], int64[:, ::1], float64[::1], float64[::1], float64[::1], int64[::1],"
    " int64[::1], float64[::1], float64[::1], float64[::1], float64[:, ::1], int64[::1], int64[::1], float64[::1],"
    " int64[::1], float64[:, ::1], float64[::1], float64[:, ::1], int64)"
)
def hold_together(
    to: Points, inverse: Samples, edges: Ints, lengths: Samples, edge_give: Samples, edge_pull: Samples, starts: Ints,
    bent: Ints, weights: Samples, bend_give: Samples, curves: Samples, normals: Points, tethered: Ints, ends: Ints,
    reach: Samples, pinned: Ints, targets: Points, pin_give: Samples, pin_pull: Points, sweeps: int,
) -> None:  # fmt: skip
    """Sweeps over all constraints of a sub-step.

    Parameters
    ----------
    to : (n, 3) array
        Metres; changed.
    inverse : (n,) array
        One by kilograms; 0 where a point is held.
    edges, lengths : (e, 2) and (e,) arrays
        Numbers of points, and metres.
    edge_give, bend_give, pin_give : (e,), (b,), (k,) arrays
        α̃ of each: one by kilograms; bends by metres to the fourth.
    edge_pull, pin_pull : (e,), (k, 3) arrays
        Multipliers; written over.
    starts, bent, weights, curves : (b + 1,), (all,), (all,) and (b,) arrays
        As in `Bends`.
    normals : (n, 3) array
        Of unit length, at the points; read where something is curved at rest.
    tethered, ends, reach : (t,) arrays
        A point, the pinned one that it is tethered to, and metres.
    pinned, targets : (k,) and (k, 3) arrays
        Points that are held or drawn toward a place, and these. Those with an α̃ below 0 are not.
    sweeps : int
        How often.
    """
    edge_pull[:] = 0.0
    pin_pull[:] = 0.0
    draw_to_pins(to, inverse, pinned, targets, pin_give, pin_pull)
    bend_back(to, inverse, starts, bent, weights, bend_give, curves, normals)
    for sweep in range(sweeps):
        if sweep > 0:
            draw_to_pins(to, inverse, pinned, targets, pin_give, pin_pull)
        keep_lengths(to, inverse, edges, lengths, edge_give, edge_pull, sweep % 2 == 1)
        keep_near(to, inverse, tethered, ends, reach)


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64[:, ::1])")
def set_speeds(places: Points, to: Points, seconds: float, speeds: Points) -> None:
    """The speeds that a sub-step had, and nothing beyond the scene.

    Parameters
    ----------
    places, to : (n, 3) arrays
        Metres, at its beginning and its end; the latter changed where it is no number or too far.
    seconds : float
        Of the sub-step.
    speeds : (n, 3) array
        Filled, in metres per second.
    """
    for p in range(places.shape[0]):
        for k in range(3):
            if not abs(to[p, k]) < FARTHEST:
                to[p, k] = places[p, k]
            speeds[p, k] = (to[p, k] - places[p, k]) / seconds


@kernel("void(float64[:, ::1], int64[:, ::1], float64[:, ::1])")
def normals_at(places: Points, triangles: Ints, normals: Points) -> None:
    """The normals of points, by the areas of the triangles about them.

    Parameters
    ----------
    places : (n, 3) array
        Metres.
    triangles : (m, 3) array
        Numbers of points.
    normals : (n, 3) array
        Filled, of unit length; 0 where there is none.
    """
    normals[:] = 0.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ex, ey, ez = places[b, 0] - places[a, 0], places[b, 1] - places[a, 1], places[b, 2] - places[a, 2]
        fx, fy, fz = places[c, 0] - places[a, 0], places[c, 1] - places[a, 1], places[c, 2] - places[a, 2]
        x, y, z = ey * fz - ez * fy, ez * fx - ex * fz, ex * fy - ey * fx
        for k in range(3):
            p = triangles[t, k]
            normals[p, 0] += x
            normals[p, 1] += y
            normals[p, 2] += z
    for p in range(places.shape[0]):
        long = np.sqrt(normals[p, 0] ** 2 + normals[p, 1] ** 2 + normals[p, 2] ** 2)
        for k in range(3):
            normals[p, k] = normals[p, k] / long if long > 1e-18 else 0.0


@kernel("void(float64, float64[::1], int64[::1], float64[::1], float64, float64[::1], float64[::1])")
def weigh(
    weight: float, shares: Samples, pinned: Ints, strengths: Samples, seconds: float, inverse: Samples, give: Samples
) -> None:
    """What each point weighs in a sub-step, and how much pins give.

    Parameters
    ----------
    weight, seconds : float
        Kilograms per square metre; of the sub-step.
    shares : (n,) array
        Square metres that belong to each point.
    pinned, strengths : (k,) arrays
        Points, and how firmly they are held.
    inverse : (n,) array
        Filled: one by kilograms, 0 where a point is held fast.
    give : (k,) array
        Filled: α̃ of those that are softly held, below 0 of all others.
    """
    for p in range(shares.shape[0]):
        inverse[p] = 1.0 / (weight * shares[p]) if shares[p] > 0.0 else 0.0
    for j in range(pinned.shape[0]):
        give[j] = -1.0
        firm = strengths[j]
        if firm >= FAST:
            inverse[pinned[j]] = 0.0
        elif firm > 0.0:
            rate = 2.0 * np.pi * SOFT * firm / (1.0 - firm) * seconds
            give[j] = inverse[pinned[j]] / (rate * rate)


@kernel(
    "void(int64, float64, float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[::1], float64[:, ::1],"
    " int64, boolean, float64[:, ::1], int64[:, ::1], float64[::1], int64[:, ::1], float64[::1], float64[::1],"
    " float64[::1], float64[::1], int64[::1], int64[::1], float64[::1], float64[::1], float64[::1], float64[::1],"
    " boolean, float64[:, ::1], int64[::1], int64[::1], float64[::1], int64[::1], float64[:, ::1], float64[:, :, ::1],"
    " float64[::1], float64[:, ::1], int64)"
)
def step_on(
    steps: int, seconds: float, places: Points, speeds: Points, to: Points, inverse: Samples,
    numbers: NDArray[np.float64], phase: int, blown: bool, air: Points, triangles: Ints, shares: Samples, edges: Ints,
    lengths: Samples, springs: Samples, edge_give: Samples, edge_pull: Samples, starts: Ints, bent: Ints,
    weights: Samples, areas: Samples, curves: Samples, bend_give: Samples, curved: bool, normals: Points,
    tethered: Ints, ends: Ints, reach: Samples, pinned: Ints, strengths: NDArray[np.float64],
    targets: NDArray[np.float64], pin_give: Samples, pin_pull: Points, sweeps: int,
) -> None:  # fmt: skip
    """Some sub-steps after one another, the air as it is.

    Parameters
    ----------
    steps, seconds : int, float
        How many, and how long each is.
    places, speeds : (n, 3) arrays
        Metres, metres per second; changed.
    to, inverse : (n, 3) and (n,) arrays
        Written over; afterwards which points are held: 0 is one.
    numbers : (steps, 7) array
        Of each: kilograms per square metre, newtons per metre of stretch, newton metres of bend, cₙ and cₜ, metres per
        second squared along y, the share of the speed that stays.
    phase : int
        Sub-steps since the air pushed last.
    blown, air : bool, (n, 3) array
        Whether there is any, and metres per second.
    triangles, shares : (m, 3) and (n,) arrays
        As in `Fabric`.
    edges, lengths, springs : (e, 2), (e,) and (e,) arrays
        As in `Fabric`.
    starts, bent, weights, areas, curves : (b + 1,), (all,), (all,), (b,) and (b,) arrays
        As in `Bends`.
    tethered, ends, reach : (t,) arrays
        As in `Tethers`.
    edge_give, bend_give, pin_give, edge_pull, pin_pull, normals : arrays
        Written over.
    curved : bool
        Whether anything is at rest.
    pinned, strengths, targets : (k,), (steps, k) and (steps, k, 3) arrays
        Points that are held, how firmly, and where at the end of each.
    sweeps : int
        Over the edges, in each.
    """
    stretch, bend = -1.0, -1.0
    for s in range(steps):
        weight = max(numbers[s, 0], 1e-3)
        weigh(weight, shares, pinned, strengths[s], seconds, inverse, pin_give)
        if numbers[s, 1] != stretch:
            stretch = numbers[s, 1]
            for j in range(edges.shape[0]):
                edge_give[j] = 1.0 / (max(stretch * springs[j], 1e-6) * seconds * seconds)
        if numbers[s, 2] != bend:
            bend = numbers[s, 2]
            for j in range(areas.shape[0]):
                bend_give[j] = 1.0 / (max(bend, 1e-12) * areas[j] * seconds * seconds)
        if blown and (s + phase) % PER_PUSH == 0:
            load = 0.5 * AIR_DENSITY * seconds * PER_PUSH / weight
            push_by_air(places, speeds, triangles, air, numbers[s, 3], numbers[s, 4], load, to, shares)
        set_off(places, speeds, inverse, seconds, numbers[s, 5], numbers[s, 6], to)
        for j in range(pinned.shape[0]):
            if strengths[s, j] >= FAST:
                for k in range(3):
                    to[pinned[j], k] = targets[s, j, k]
        if curved:
            normals_at(to, triangles, normals)
        hold_together(
            to, inverse, edges, lengths, edge_give, edge_pull, starts, bent, weights, bend_give, curves, normals,
            tethered, ends, reach, pinned, targets[s], pin_give, pin_pull, sweeps,
        )  # fmt: skip
        set_speeds(places, to, seconds, speeds)
        places[:] = to
