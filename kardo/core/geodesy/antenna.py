"""Antenna heights: from what the tape touched to what the device wants typed."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from kardo.core.errors import PlanError


class Antenna(Protocol):
    """What heights need of an antenna. Metres: disc radius, height of the disc's edge above the ARP, phase centre above
    the ARP."""

    @property
    def disc_radius(self) -> float:
        """Of the ground plane's disc."""

    @property
    def edge_above_arp(self) -> float:
        """Of the disc's edge, where a slant height is taped to."""

    @property
    def apc_above_arp(self) -> float:
        """Of the phase centre."""


def vertical_from_slant(slant: float, antenna: Antenna) -> float:
    """Vertical height of the ARP over the mark from a slant height to the edge of the disc, metres.

    sqrt(s^2 - r^2) - o, the disc's edge lying o above the ARP. Raises PlanError for a slant shorter than the radius.
    Source: right triangle of mark, axis and edge; docs/accuracy.md, section 6.

    >>> from types import SimpleNamespace
    >>> disc = SimpleNamespace(disc_radius=0.165, edge_above_arp=0.035, apc_above_arp=0.091)
    >>> round(vertical_from_slant(1.872, disc), 4)
    1.8297
    """
    if slant <= antenna.disc_radius:
        raise PlanError(
            f"A slant height of {slant:.3f} m is shorter than the antenna's radius of {antenna.disc_radius:.3f} m.",
            where="Base, antenna height",
            mend="Measure from the mark to the edge of the disc, in the job's unit.",
        )
    return math.sqrt(slant**2 - antenna.disc_radius**2) - antenna.edge_above_arp


@dataclass(frozen=True)
class SlantTable:
    """Vertical heights (m) for slant heights from `first` on, each `step` longer: what a device without signal reads
    between, good to a hundredth of a millimetre."""

    first: float
    step: float
    vertical: list[float]


def slant_table(antenna: Antenna) -> SlantTable:
    """The table of an antenna, from 0.3 m above its radius to 3 m.

    >>> from types import SimpleNamespace
    >>> disc = SimpleNamespace(disc_radius=0.165, edge_above_arp=0.035, apc_above_arp=0.091)
    >>> table = slant_table(disc)
    >>> k = round((1.87 - table.first) / table.step)
    >>> round(table.vertical[k], 4) == round(vertical_from_slant(table.first + k * table.step, disc), 4)
    True
    """
    first = round(antenna.disc_radius + LEAST_ABOVE, 2)
    count = round((LONGEST_SLANT - first) / TABLE_STEP) + 1
    slants = [first + k * TABLE_STEP for k in range(count)]
    return SlantTable(first, TABLE_STEP, [round(vertical_from_slant(s, antenna), 7) for s in slants])


LEAST_ABOVE, LONGEST_SLANT, TABLE_STEP = 0.3, 3.0, 0.01  # metres


@dataclass(frozen=True)
class Outvoted:
    """A reading that the others outvote: which, by how many metres it is above their mean, and how far those lie
    apart."""

    which: int
    off: float
    others_apart: float


def outvoted(verticals: Sequence[float], most: float) -> Outvoted | None:
    """Of three or more readings of one height, reduced to verticals in metres, the one without which the rest agree to
    `most`; None where all agree, where two say two things, or where no single one is to blame.

    >>> outvoted([1.7574, 1.7581, 1.7720], 0.003).which
    2
    >>> outvoted([1.7574, 1.7720], 0.003) is None and outvoted([1.70, 1.71, 1.72], 0.003) is None
    True
    """
    if len(verticals) < 3 or max(verticals) - min(verticals) <= most + ROUNDING:
        return None
    found = []
    for k, one in enumerate(verticals):
        rest = [*verticals[:k], *verticals[k + 1 :]]
        apart = max(rest) - min(rest)
        if apart <= most + ROUNDING:
            found.append(Outvoted(k, one - sum(rest) / len(rest), apart))
    return found[0] if len(found) == 1 else None


ROUNDING = 1e-9


@dataclass(frozen=True)
class HeightChain:
    """Every height between mark and phase centre, metres. `system` names the orthometric system; separation is N."""

    system: str
    mark: float
    separation: float
    mark_ellipsoidal: float
    verticals: tuple[float, ...]
    arp_above_mark: float
    apc_above_arp: float
    arp: float
    arp_ellipsoidal: float
    apc: float
    apc_ellipsoidal: float
    spread: float


def height_chain(
    system: str, mark: float, separation: float, verticals: tuple[float, ...], antenna: Antenna
) -> HeightChain:
    """The chain h_APC = H_mark + N + vertical height to ARP + ARP-to-APC offset, all in metres.

    verticals: what each reading of the antenna's height comes to, from the mark to the ARP, one or more. Their mean is
    used."""
    arp_above_mark = sum(verticals) / len(verticals)
    arp = mark + arp_above_mark
    apc = arp + antenna.apc_above_arp
    return HeightChain(
        system=system,
        mark=mark,
        separation=separation,
        mark_ellipsoidal=mark + separation,
        verticals=verticals,
        arp_above_mark=arp_above_mark,
        apc_above_arp=antenna.apc_above_arp,
        arp=arp,
        arp_ellipsoidal=arp + separation,
        apc=apc,
        apc_ellipsoidal=apc + separation,
        spread=max(verticals) - min(verticals),
    )
