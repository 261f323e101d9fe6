"""The order in which the lines of a block are flown.

A site that is not convex cuts its strips into pieces. Pieces that lie side by side, strip by strip, make a part that is flown
there and back without a way between; the parts are put into the order, and each entered at the corner, that makes the ways
between them shortest. Source: Choset, Coverage of known spaces: the boustrophedon cellular decomposition (2000).
"""

import math
from dataclasses import dataclass
from itertools import pairwise, permutations, product

Span = tuple[float, float]
Row = tuple[float, list[Span]]
Piece = tuple[float, float, float]  # offset across the course, start and end along it
MOST_EXACT = 4  # parts up to which every order is tried


@dataclass(frozen=True)
class Part:
    """Pieces side by side, (offset, low, high) in the order of the strips."""

    pieces: tuple[Piece, ...]

    def flown(self, backwards: bool, downwards: bool) -> list[Piece]:
        """There and back from one of its four corners: which end of the strips comes first, and which way the first is flown."""
        pieces = self.pieces[::-1] if backwards else self.pieces
        return [
            (x, high, low) if (k % 2 == 0) == downwards else (x, low, high) for k, (x, low, high) in enumerate(pieces)
        ]


def in_order(rows: list[Row]) -> list[Piece]:
    """All pieces of strips (offset, spans along) in the order flown: offset, start, end.

    >>> in_order([(0.0, [(0.0, 9.0)]), (5.0, [(0.0, 9.0)])])
    [(0.0, 0.0, 9.0), (5.0, 9.0, 0.0)]
    """
    found = parts(rows)
    if len(found) <= 1:
        return found[0].flown(False, False) if found else []
    ways = [[part.flown(*corner) for corner in product((False, True), repeat=2)] for part in found]
    return _shortest(ways) if len(found) <= MOST_EXACT else _nearest_next(ways)


def parts(rows: list[Row]) -> list[Part]:
    """Pieces joined to those of the strip before that they alone lie beside, and that lie beside them alone."""
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
    """Every order of the parts, each from every corner: the one with the shortest ways between them."""
    chains = (chosen for order in permutations(ways) for chosen in product(*order))
    best = min(chains, key=lambda chain: sum(_between(a[-1], b[0]) for a, b in pairwise(chain)))
    return [piece for pieces in best for piece in pieces]


def _nearest_next(ways: list[list[list[Piece]]]) -> list[Piece]:
    """From the first part on always to the corner that is nearest."""
    left, out = list(ways[1:]), list(ways[0][0])
    while left:
        of_part, pieces = min(((w, pieces) for w in left for pieces in w), key=lambda c: _between(out[-1], c[1][0]))
        left.remove(of_part)
        out += pieces
    return out


def _between(before: Piece, after: Piece) -> float:
    """Metres from the end of one piece to the start of another."""
    return math.hypot(after[0] - before[0], after[1] - before[2])
