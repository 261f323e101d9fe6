"""What the raw log of a base holds, as far as planning and evidence ask: who, where, from when to when, with which
gaps."""

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Gap:
    """Where epochs are missing: the last before and the first after, seconds of GPS time."""

    first: float
    last: float


@dataclass(frozen=True)
class RawLog:
    """A raw log. antenna_height: metres from marker to ARP as its header says, eccentric how far east and north of the
    marker that stands; approx: x, y, z in metres, the header's approximate position of the marker; interval in seconds,
    between the epochs themselves, said_interval the header's; first and last epoch in seconds of GPS time; systems:
    satellites seen by the name of their system; slips: times that a satellite lost count at an epoch; restarts: epochs
    at which nearly all of them did at once, which are not among those; markers: every name that the marker was given;
    remarks: what could not be read, in words with the line."""

    version: float
    marker: str
    receiver: str
    antenna: str
    antenna_height: float | None
    approx: tuple[float, float, float] | None
    interval: float | None
    first: float
    last: float
    epochs: int
    gaps: list[Gap]
    systems: dict[str, int]
    slips: int
    markers: list[str]
    remarks: list[str]
    eccentric: tuple[float, float] = (0.0, 0.0)
    said_interval: float | None = None
    restarts: list[float] = field(default_factory=list)
