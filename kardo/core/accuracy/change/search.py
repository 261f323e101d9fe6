"""Which few of many places serve best as targets: exact updates of the map's covariance, greedily, then by exchange.

Over a solved network every candidate is a misclosure (misclosures.py). To take one as a target is a change of rank
three,

    K = (H Q H' + R)^-1,     P <- P - P_i K C_i.,     C <- C - C_.i K C_i.,     E <- E - F_i (P_i K)'

P the covariance of the map with every candidate, C that of the candidates among themselves, E and F what the cameras'
pattern does to map and misclosures; with R turned negative it is given up again. Each step is exact, so that places are
compared as the full computation would, but for what a target's rays tie together. Source: Woodbury (1950); greedy
choice and exchange after Fedorov (1972)."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field

import numpy as np

from kardo.core.accuracy.change.whatif import Kept
from kardo.core.accuracy.figures.judged import geoid_sigma, heights_of_surface
from kardo.core.accuracy.images.misclosures import Misclosures, misclosures
from kardo.core.accuracy.images.planned import ControlRays
from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.plan.model import Plan

BLOCK = 120  # candidates solved at a time
ON_MAP = 140  # places of the map that layouts are compared by; figures are of all
DROPPABLE = 1e-3  # of a survey's variance that must be left unexplained by the others, before a target can be given up
SWEEPS = 2  # of exchange
NEXT_BEST = 12  # places that an exchange on the probability of passing tries for each target
BESIDE = 1 / 8  # of the site's extent, by which these lie apart at first
SURER = 0.002  # of probability that such an exchange must bring
WITHIN = 0.3  # of the probability that is wanted: farther away, no exchange of places reaches it
EXCHANGES = 3  # sweeps of them


@dataclass(frozen=True)
class Field:
    """c candidates over a solved network of m map points: y (n, 3c) and border (b, 3c), by which any two are compared;
    noise (c, 3, 3); which are seen by enough images; and the state of the map before any of them is a target."""

    y: Floats
    border: Floats
    noise: Floats
    usable: Bools
    state: "State"
    rows: dict[int, Floats] = dataclass_field(default_factory=dict)

    def row(self, i: int) -> Floats:
        """Covariance (3, c, 3) of candidate i with every candidate before any change; remembered."""
        if i not in self.rows:
            own = slice(3 * i, 3 * i + 3)
            of_band = (self.y[:, own].T @ self.y).astype(np.float64)
            self.rows[i] = (of_band + self.border[:, own].T @ self.border).reshape(3, -1, 3)
        return self.rows[i]


@dataclass(frozen=True)
class State:
    """The map with some candidates as targets. with_map (3m, c, 3); own (c, 3, 3) of H Q H'; pattern (s, 3m) and of (s,
    c, 3) of the cameras' pattern; variance (3m,) of the network, without the pattern; rows and k of every change so
    far; taken: the targets."""

    with_map: Floats
    own: Floats
    pattern: Floats
    of: Floats
    variance: Floats
    rows: tuple[tuple[Floats, Floats], ...]
    taken: tuple[int, ...]


@dataclass(frozen=True)
class Objective:
    """What a layout is judged by: the mean variance that is allowed H and V, and what comes on top of the network's
    own, both in m2."""

    h: float
    v: float
    added_h: float
    added_v: float


def field(kept: Kept, control: ControlRays, taken: Ints) -> Field:
    """Candidates (c) over a kept network; taken (t,): those of them that are targets in it already, by number."""
    kept = _thinned(kept)
    blocks, parts = range(0, len(control.x), BLOCK), []
    y, border = [], []
    rows = 3 * len(kept.on_map.covariances)
    with_map = np.empty((rows, len(control.x), 3))
    for first in blocks:
        some = np.arange(first, min(first + BLOCK, len(control.x)))
        found = misclosures(kept.solution, control.take(some))
        with_map[:, some] = kept.with_map(found).reshape(rows, len(some), 3)
        y.append(found.y_band.astype(np.float32))
        border.append(found.h_border)
        parts.append(found)
    own = np.concatenate([_own(part) for part in parts])
    pattern = np.concatenate([part.h_pattern.reshape(len(part.h_pattern), -1, 3) for part in parts], axis=1)
    read = _read(kept)
    images = np.diff(control.rays.start)
    state = State(
        with_map=_turned(read, with_map.reshape(rows, -1)).reshape(with_map.shape),
        own=own,
        pattern=_turned(read, kept.on_map.pattern.T).T,
        of=pattern,
        variance=_variance(read, kept),
        rows=(),
        taken=tuple(int(k) for k in taken),
    )
    usable = np.concatenate([part.usable for part in parts]) & (images >= kept.planned.plan.policy["control-images"])
    noise = np.concatenate([part.noise for part in parts])
    return Field(y=np.hstack(y), border=np.hstack(border), noise=noise, usable=usable, state=state)


def _thinned(kept: Kept) -> Kept:
    """The network with every so many-th place of its map."""
    count = len(kept.on_map.covariances)
    some = np.unique(np.linspace(0, count - 1, min(count, ON_MAP)).astype(np.int64))
    columns = (3 * some[:, None] + np.arange(3)).ravel()
    on_map = kept.on_map
    assert on_map.rows_band is not None and on_map.rows_border is not None
    thinner = replace(
        on_map,
        covariances=on_map.covariances[some],
        pattern=on_map.pattern[:, columns],
        rows_band=on_map.rows_band[:, columns],
        rows_border=on_map.rows_border[:, columns],
    )
    planned = replace(kept.planned, map_places=kept.planned.map_places.take(some))
    return Kept(planned, kept.solution, thinner)


def _own(some: Misclosures) -> Floats:
    """H Q H' (k, 3, 3) of each misclosure alone."""
    band = some.y_band.reshape(len(some.y_band), -1, 3)
    border = some.h_border.reshape(len(some.h_border), -1, 3)
    return np.einsum("nka,nkb->kab", band, band, optimize=True) + np.einsum("nka,nkb->kab", border, border)


def _read(kept: Kept) -> Floats | None:
    """What a height read from the surface takes of a point's errors (m, 3), where heights are judged there."""
    return kept.planned.map_places.reading if heights_of_surface(kept.planned.plan.brief) else None


def _turned(read: Floats | None, rows: Floats) -> Floats:
    """Rows (3m, q) east, north, up of the map, with the height read from the surface where it is judged there."""
    if read is None:
        return rows
    out = rows.reshape(len(read), 3, -1).copy()
    out[:, 2] = np.einsum("ka,kaq->kq", read, out)
    return out.reshape(rows.shape)


def _variance(read: Floats | None, kept: Kept) -> Floats:
    """Variances (3m,) of the map as the network has them, without the pattern's part."""
    pattern = kept.on_map.pattern.T.reshape(len(kept.on_map.covariances), 3, -1)
    bare = kept.on_map.covariances - np.matmul(pattern, pattern.transpose(0, 2, 1))
    out = np.einsum("kaa->ka", bare).copy()
    if read is not None:
        out[:, 2] = np.einsum("ka,kab,kb->k", read, bare, read)
    return out.ravel()


def objective_of(plan: Plan, kept: Kept, limit_h: float, limit_v: float | None) -> Objective:
    """What layouts of a plan are judged by; limits of RMSE in metres, without one for single heights a tenth of a metre
    stands in."""
    places = kept.planned.map_places
    added_v = geoid_sigma(plan) ** 2
    if heights_of_surface(plan.brief):
        added_v += float((places.matching**2).mean())
    return Objective(limit_h**2, (limit_v or 0.1) ** 2, 2 * float((places.identify**2).mean()), added_v)


def means(state: State) -> tuple[float, float]:
    """Mean variances H (radial) and V of the map, the network's own and the pattern's."""
    total = (state.variance + (state.pattern**2).sum(axis=0)).reshape(-1, 3)
    east, north, up = total[np.isfinite(total).all(axis=1)].mean(axis=0)
    return float(east + north), float(up)


def cost(state: State, aim: Objective) -> float:
    """How far from what is allowed: the sum of H and V, each as a part of its allowance; smaller is better."""
    h, v = means(state)
    return (h + aim.added_h) / aim.h + (v + aim.added_v) / aim.v


def changed(field: Field, state: State, i: int, sign: float = 1.0) -> State | None:
    """The state with candidate i as a target, or for a negative sign without it; None where the rest does not hold the
    network well enough to be told what that would be."""
    row = _row(field, state, i)
    own, noise = state.own[i], field.noise[i]
    if sign < 0 and np.linalg.eigvals(np.linalg.solve(noise, noise - own)).real.min() < DROPPABLE:
        return None
    k = np.linalg.inv(own + sign * noise)
    gain = state.with_map[:, i] @ k
    flat = row.reshape(3, -1)
    shape = state.with_map.shape
    taken = (*state.taken, i) if sign > 0 else tuple(t for t in state.taken if t != i)
    return State(
        with_map=state.with_map - (gain @ flat).reshape(shape),
        own=state.own - np.einsum("aci,ab,bcj->cij", row, k, row, optimize=True),
        pattern=state.pattern - state.of[:, i] @ gain.T,
        of=state.of - ((state.of[:, i] @ k) @ flat).reshape(state.of.shape),
        variance=state.variance - np.einsum("ra,ra->r", gain, state.with_map[:, i]),
        rows=(*state.rows, (row, k)),
        taken=taken,
    )


def _row(field: Field, state: State, i: int) -> Floats:
    """Covariance (3, c, 3) of candidate i with every candidate, in this state."""
    row = field.row(i).reshape(3, -1).copy()
    for before, k in state.rows:
        row -= before[:, i].T @ k @ before.reshape(3, -1)
    return row.reshape(3, -1, 3)


def costs(field: Field, state: State, aim: Objective) -> Floats:
    """(c,): the cost with each candidate as one more target; infinite where it is one already, or too few images see
    it."""
    k = np.linalg.inv(state.own + field.noise)
    gain = np.einsum("rca,cab->rcb", state.with_map, k, optimize=True)
    less = (gain * state.with_map).sum(axis=2)
    known = np.asarray(np.isfinite(state.variance.reshape(-1, 3)).all(axis=1))
    of2 = np.einsum("sca,scb->cab", state.of, state.of, optimize=True)
    out = np.zeros(len(field.usable))
    for axes, allowed in (((0, 1), aim.h), ((2,), aim.v)):
        wanted = np.asarray(np.isin(np.arange(3), axes))
        which = np.flatnonzero((wanted & known[:, None]).ravel())
        crossed = np.tensordot(state.pattern[:, which], gain[which], axes=1)
        squared = np.einsum("rca,rcb->cab", gain[which], gain[which], optimize=True)
        pattern = np.einsum("cab,cab->c", of2, squared) - 2 * (crossed * state.of).sum(axis=(0, 2))
        out += (pattern - less[which].sum(axis=0)) / (known.sum() * allowed)
    out[~field.usable] = np.inf
    out[list(state.taken)] = np.inf
    return out + cost(state, aim)


def bared(field: Field, fixed: frozenset[int]) -> State:
    """The state without any target that can be given up, but those that are fixed."""
    state = field.state
    for i in [t for t in state.taken if t not in fixed]:
        state = changed(field, state, i, -1.0) or state
    return state


def layouts(field: Field, aim: Objective, fixed: frozenset[int], most: int) -> Iterator[State]:
    """States with more and more targets, from as few as hold the network on, each the best that greedy choice and
    exchange find of its size; ends with `most` targets, or where no place is left."""
    state = bared(field, fixed)
    yield state
    while len(state.taken) < most:
        values = costs(field, state, aim)
        best = int(np.argmin(values))
        if not np.isfinite(values[best]):
            return
        state = exchanged(field, changed(field, state, best) or state, aim, fixed)
        yield state


def exchanged(field: Field, state: State, aim: Objective, fixed: frozenset[int]) -> State:
    """The state after each target that is not fixed was given up for the best place there is, as long as that is
    better."""
    for _ in range(SWEEPS):
        before = state.taken
        for i in [t for t in state.taken if t not in fixed]:
            without = changed(field, state, i, -1.0)
            if without is None:
                continue
            values = costs(field, without, aim)
            best = int(np.argmin(values))
            if best != i and values[best] < cost(state, aim) * (1 - 1e-6):
                state = changed(field, without, best) or state
        if state.taken == before:
            break
    return renewed(field, state)


def surer(
    field: Field,
    state: State,
    aim: Objective,
    places: Floats,
    fixed: frozenset[int],
    chance: Callable[[State], float],
    wanted: float,
) -> State:
    """The state with targets exchanged for the probability of passing, until it is what is wanted or no more comes of
    it: the map's variance is a mean over all of it, the test asks at its checks, and where few places are tried the two
    part. For each target those of the candidates' places (c, 2) are tried that serve the map best, well apart from each
    other, and then those about the best. chance tells it of a state."""
    best, near = chance(state), float(np.ptp(places, axis=0).max()) * BESIDE
    for _ in range(EXCHANGES if wanted - WITHIN <= best < wanted else 0):
        before = state.taken
        for i in [t for t in state.taken if t not in fixed]:
            without = changed(field, state, i, -1.0)
            if without is None:
                continue
            values, at = costs(field, without, aim), i
            for about in (None, near):
                if about is not None and at == i:
                    break
                away = np.linalg.norm(places - places[at], axis=1)
                some = np.where(away <= about, values, np.inf) if about else values
                for k in _well_apart(places, some, about / 4 if about else near):
                    other = changed(field, without, k) if k != i else None
                    if other is not None and (told := chance(other)) > best + SURER:
                        state, best, at = other, told, k
            if best >= wanted:
                return renewed(field, state)
        if state.taken == before:
            break
    return renewed(field, state)


def _well_apart(places: Floats, values: Floats, metres: float) -> list[int]:
    """The best few of some places (c, 2) by their values (c,), none nearer to a better one than so many metres."""
    found: list[int] = []
    for k in np.argsort(values).tolist():
        if len(found) == NEXT_BEST or not np.isfinite(values[k]):
            break
        if all(math.dist(places[k], places[other]) >= metres for other in found):
            found.append(k)
    return found


def renewed(field: Field, state: State) -> State:
    """The same targets reached from the start in one go, so that what exchange went through is not carried along."""
    again = field.state
    for i in [t for t in state.taken if t not in again.taken]:
        again = changed(field, again, i) or again
    for i in [t for t in again.taken if t not in state.taken]:
        again = changed(field, again, i, -1.0) or again
    return replace(again, taken=tuple(sorted(again.taken)))
