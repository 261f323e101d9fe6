"""The order in which the lines of a block are flown.

A site that is not convex cuts its flight lines into pieces. Pieces that lie side by side, flight line by flight line,
make a part that is flown there and back without a way between; the parts are put into the order, and each entered at
the corner, that makes the ways between them shortest. Source: Choset, Coverage of known spaces: the boustrophedon
cellular decomposition (2000)."""

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise, product

import numpy as np

from kardo.core.arrays import Floats

Span = tuple[float, float]
Row = tuple[float, list[Span]]
Piece = tuple[float, float, float]  # offset across the course, start and end along it
MOST_EXACT = 10  # parts up to which the shortest of all orders is found
MOST_ROUGHLY = 4  # the same where courses are compared
MOST_SOLVED = 24  # parts up to which the solver is asked
EFFORT = 3.0  # of the solver's own measure of work, so that the answer does not depend on the machine


@dataclass(frozen=True)
class Part:
    """Pieces side by side, (offset, low, high) in the order of the flight lines."""

    pieces: tuple[Piece, ...]

    def flown(self, backwards: bool, downwards: bool) -> list[Piece]:
        """There and back from one of its four corners: which end of the flight lines comes first, and which way the
        first is flown."""
        pieces = self.pieces[::-1] if backwards else self.pieces
        return [
            (x, high, low) if (k % 2 == 0) == downwards else (x, low, high) for k, (x, low, high) in enumerate(pieces)
        ]


def in_order(rows: list[Row], roughly: bool = False) -> list[Piece]:
    """All pieces of flight lines (offset, spans along) in the order flown: offset, start, end. roughly: many parts
    simply each to the nearest, for comparing courses.

    >>> in_order([(0.0, [(0.0, 9.0)]), (5.0, [(0.0, 9.0)])])
    [(0.0, 0.0, 9.0), (5.0, 9.0, 0.0)]
    """
    found = parts(rows)
    if len(found) <= 1:
        return found[0].flown(False, False) if found else []
    ways = [[part.flown(*corner) for corner in product((False, True), repeat=2)] for part in found]
    if len(found) <= (MOST_ROUGHLY if roughly else MOST_EXACT):
        return _shortest(ways)
    if roughly or len(found) > MOST_SOLVED:
        return [piece for pieces in _nearest_next(ways) for piece in pieces]
    return list(_solved(tuple(found)))


def parts(rows: list[Row]) -> list[Part]:
    """Pieces joined to those of the flight line before that they alone lie beside, and that lie beside them alone."""
    done: list[list[Piece]] = []
    open_: list[tuple[Span, list[Piece]]] = []
    for x, spans in rows:
        following = []
        for span in spans:
            beside = [(s, part) for s, part in open_ if _overlap(s, span)]
            alone = len(beside) == 1 and sum(_overlap(beside[0][0], other) for other in spans) == 1
            part = beside[0][1] if alone else []
            if not alone:
                done.append(part)
            part.append((x, *span))
            following.append((span, part))
        open_ = following
    return [Part(tuple(pieces)) for pieces in done]


def _overlap(a: Span, b: Span) -> bool:
    return a[0] < b[1] and b[0] < a[1]


def _shortest(ways: list[list[list[Piece]]]) -> list[Piece]:
    """The order of the parts, each from one of its corners, with the shortest ways between them, by dynamic programming
    over what is flown already (Held and Karp, A dynamic programming approach to sequencing problems, 1962)."""
    chains = [pieces for corners in ways for pieces in corners]
    metres = _metres_between(chains)
    shortest = np.full((1 << len(ways), len(chains)), np.inf)  # with these parts flown, this one last
    before = np.zeros(shortest.shape, dtype=int)
    for part in range(len(ways)):
        shortest[1 << part, 4 * part : 4 * part + 4] = 0.0
    for flown in range(1, 1 << len(ways)):
        for part in (k for k in range(len(ways)) if not flown >> k & 1):
            there = slice(4 * part, 4 * part + 4)
            along = shortest[flown][:, None] + metres[:, there]
            shortest[flown | 1 << part, there] = along.min(axis=0)
            before[flown | 1 << part, there] = along.argmin(axis=0)
    flown, order = (1 << len(ways)) - 1, [int(shortest[-1].argmin())]
    while left := flown & ~(1 << order[-1] // 4):
        order.append(int(before[flown, order[-1]]))
        flown = left
    return [piece for k in reversed(order) for piece in chains[k]]


def _nearest_next(ways: list[list[list[Piece]]]) -> list[list[Piece]]:
    """The parts as flown, from the first one on always to the corner that is nearest."""
    left, out = list(ways[1:]), [ways[0][0]]
    while left:
        last = out[-1][-1]
        of_part, pieces = min(((w, pieces) for w in left for pieces in w), key=lambda c: _between(last, c[1][0]))
        left.remove(of_part)
        out.append(pieces)
    return out


@lru_cache(maxsize=32)
def _solved(found: tuple[Part, ...]) -> tuple[Piece, ...]:
    """A travelling problem with one of four corners to choose in each part: the solver's best, from each to the nearest
    on."""
    from ortools.sat.python import cp_model

    ways = [[part.flown(*corner) for corner in product((False, True), repeat=2)] for part in found]
    chains = [pieces for corners in ways for pieces in corners]
    number = {id(pieces): k for k, pieces in enumerate(chains, 1)}  # not by what they are: parts may be alike
    nearest = [0, *(number[id(pieces)] for pieces in _nearest_next(ways)), 0]
    known = set(pairwise(nearest))
    metres = np.pad(np.rint(_metres_between(chains)).astype(int), (1, 0))  # nothing from and to 0, for the way is open
    model = cp_model.CpModel()
    arcs = {
        (a, b): model.new_bool_var("")
        for a, b in product(range(len(chains) + 1), repeat=2)
        if a == b > 0 or a == 0 != b or b == 0 != a or (a and b and (a - 1) // 4 != (b - 1) // 4)
    }
    model.add_circuit([(a, b, way) for (a, b), way in arcs.items()])
    for part in range(len(ways)):  # one of its four is flown: a node that leads to itself is left out
        model.add_exactly_one(~arcs[k, k] for k in range(4 * part + 1, 4 * part + 5))
    for (a, b), way in arcs.items():
        model.add_hint(way, (a, b) in known or (a == b and a not in nearest))
    model.minimize(sum(metres[a, b] * way for (a, b), way in arcs.items() if a != b))
    solver = cp_model.CpSolver()
    solver.parameters.num_workers, solver.parameters.max_deterministic_time = 1, EFFORT
    solved = solver.solve(model) in (cp_model.OPTIMAL, cp_model.FEASIBLE)
    after = (
        {a: b for (a, b), way in arcs.items() if a != b and solver.value(way)} if solved else dict(pairwise(nearest))
    )
    order, at = [], after[0]
    while at:
        order += chains[at - 1]
        at = after[at]
    return tuple(order)


def _metres_between(chains: list[list[Piece]]) -> Floats:
    """Metres (k, k) from the end of each way to fly a part to the start of each other."""
    ends, starts = np.array([c[-1] for c in chains])[:, [0, 2]], np.array([c[0] for c in chains])[:, [0, 1]]
    return np.linalg.norm(starts[None, :, :] - ends[:, None, :], axis=2)


def _between(before: Piece, after: Piece) -> float:
    """Metres from the end of one piece to the start of another."""
    return math.hypot(after[0] - before[0], after[1] - before[2])
