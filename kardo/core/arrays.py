"""Names for the arrays that the core passes about, and many short lists as one of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
Json = dict[str, Any]


@dataclass(frozen=True)
class Lists:
    """Many short lists of indices end to end: list j is values[start[j]:start[j + 1]]."""

    start: Ints
    values: Ints

    @classmethod
    def of(cls, lists: Sequence[Sequence[int]]) -> "Lists":
        """From lists of indices.

        >>> Lists.of([[4, 5], [], [6]]).start.tolist()
        [0, 2, 2, 3]
        """
        start = np.zeros(len(lists) + 1, dtype=np.int64)
        np.cumsum([len(one) for one in lists], out=start[1:])
        return cls(start, np.array([i for one in lists for i in one], dtype=np.int64))

    def __len__(self) -> int:
        return len(self.start) - 1

    def __getitem__(self, j: int) -> Ints:
        return self.values[self.start[j] : self.start[j + 1]]

    def owner(self) -> Ints:
        """For every value (r,), the list it belongs to."""
        return np.repeat(np.arange(len(self)), np.diff(self.start))

    def keep(self, wanted: Bools) -> "Lists":
        """The same lists with only the values where wanted (r,) is true."""
        counts = np.zeros(len(self) + 1, dtype=np.int64)
        np.add.at(counts, self.owner()[wanted] + 1, 1)
        return Lists(np.cumsum(counts), self.values[wanted])

    def take(self, which: Ints) -> "Lists":
        """Lists number `which` (k,), in that order."""
        counts = np.diff(self.start)[which]
        return Lists(np.r_[0, np.cumsum(counts)].astype(np.int64), self.values[self.places(which)])

    def places(self, which: Ints) -> Ints:
        """Where the values of lists number `which` (k,) stand, one list after another.

        >>> Lists.of([[4, 5], [], [6]]).places(np.array([2, 0])).tolist()
        [2, 0, 1]
        """
        counts = np.diff(self.start)[which]
        within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
        return np.asarray(np.repeat(self.start[which], counts) + within, dtype=np.int64)

    @classmethod
    def end_to_end(cls, parts: "Sequence[Lists]") -> "Lists":
        """All lists of the parts, one part after another."""
        offsets = np.cumsum([0, *(part.start[-1] for part in parts)])
        starts = [part.start[1:] + offset for part, offset in zip(parts, offsets, strict=False)]
        return cls(np.concatenate([[0], *starts]).astype(np.int64), np.concatenate([part.values for part in parts]))

    @classmethod
    def side_by_side(cls, parts: "Sequence[Lists]") -> "Lists":
        """List j of every part joined to one list j, in the order of the parts, which are equally many."""
        owner = np.concatenate([part.owner() for part in parts])
        order = np.argsort(owner, kind="stable")
        start = np.sum([part.start for part in parts], axis=0).astype(np.int64)
        return cls(start, np.concatenate([part.values for part in parts])[order])


Triple = tuple[float, float, float]


def triple(values: Floats) -> Triple:
    """Three numbers of a row (3,)."""
    a, b, c = (float(v) for v in values)
    return a, b, c
