"""What positions share: every coordinate that rests on the same thing has that thing's error in common."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.gnss.occupations import mark_sigma, set_up_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Levelled, OnInstrument, OnService, OnSetUp, OwnSession, PositionSource

Kind = Literal["mark", "setup", "leg", "line", "network", "local", "distance_east", "distance_north", "shift"]
Source = tuple[str, str]  # kind and id of what error comes from
GRADIENT: tuple[Kind, Kind] = ("distance_east", "distance_north")


@dataclass(frozen=True)
class Shift:
    """An error that many coordinates share: what it is of, by kind and id, and its prior sigma east, north, up in
    metres."""

    kind: Kind
    id: str
    sigma: tuple[float, float, float]

    @property
    def key(self) -> tuple[str, str]:
        """Kind and id."""
        return self.kind, self.id


def source_of(shift: Shift) -> Source:
    """What a shift's share counts under: all sorties and lines of a flight together, all visits and both directions of
    a base's distance."""
    if shift.kind in GRADIENT:
        return "distance", shift.id.partition(".")[0]
    if shift.kind in ("leg", "line"):
        return "legs", shift.id.partition(".")[0]
    return ("local", "") if shift.kind == "local" else shift.key


def shared_by(plan: Plan, positioned_from: PositionSource) -> tuple[Shift, ...]:
    """The shifts that whatever rests on this has in common: a base's mark and its set-up, the mark levelled from, or a
    network's offset; none where a position shares its error with nothing, or the set-up has no mark yet."""
    if isinstance(positioned_from, OnService):
        network = plan.service(positioned_from.service)
        assert network is not None
        return (Shift("network", network.id, (network.sigma_h, network.sigma_h, network.sigma_v)),)
    if isinstance(positioned_from, Levelled):
        benchmark = plan.mark(positioned_from.mark)
        assert benchmark is not None
        return (Shift("mark", benchmark.id, mark_sigma(benchmark, plan.assume, plan.brief.state)),)
    if not isinstance(positioned_from, OnSetUp | OnInstrument | OwnSession) or positioned_from.setup is None:
        return ()
    setup = plan.setup(positioned_from.setup)
    mark = plan.mark(setup.mark) if setup else None
    if setup is None or mark is None:
        return ()
    return (
        Shift("mark", mark.id, mark_sigma(mark, plan.assume, plan.brief.state)),
        Shift("setup", setup.id, set_up_sigma(setup, plan.assume)),
    )


@dataclass(frozen=True)
class Gradient:
    """What distance does to all that is positioned from one base on one visit: two shifts that are no offsets, but
    metres for each kilometre that a position lies east and north of the base, at e, n in grid metres. Source:
    docs/accuracy.md, section 11."""

    shifts: tuple[Shift, Shift]
    e: float
    n: float

    def shares(self, e: Floats | float, n: Floats | float) -> Floats:
        """What positions (k,) in grid metres hold of the two shifts, (2, k): kilometres east and north."""
        return np.asarray([np.subtract(e, self.e) / 1000, np.subtract(n, self.n) / 1000])


def gradient(plan: Plan, positioned_from: PositionSource, visit: str | None) -> Gradient | None:
    """That of what rests on a base and was observed on a visit (None: the set-up's, or the first). None for what rests
    on no base, and where distance shares nothing. A network has its own offset, an instrument no satellites."""
    by_satellites = isinstance(positioned_from, OnSetUp | OwnSession) and positioned_from.setup
    setup = plan.setup(by_satellites) if by_satellites else None
    mark = plan.mark(setup.mark) if setup else None
    sigma = 1e-3 * plan.assume["fixed_ppm"] * math.sqrt(plan.assume["distance_shared"])
    if setup is None or mark is None or not sigma:
        return None
    when = visit or setup.visit or plan.first_visit
    key = f"{mark.id}.{when}" if when else mark.id
    east, north = (Shift(kind, key, (sigma, sigma, sigma)) for kind in GRADIENT)
    return Gradient((east, north), mark.e, mark.n)


def all_gradients(plan: Plan) -> list[Shift]:
    """The shifts of every base on every visit that something in the plan is observed on."""
    visits = {None, *(f.visit for f in plan.flights), *(o.visit for p in plan.control for o in p.occupations)}
    found = [
        gradient(plan, OnSetUp(setup=s.id), visit)
        for s in plan.setups
        for visit in sorted(visits, key=lambda v: v or "")
    ]
    return unique(shift for some in found if some for shift in some.shifts)


def all_shared(plan: Plan) -> list[Shift]:
    """Every shift that something in the plan could rest on: of the set-ups in their order, then of the networks."""
    places: list[PositionSource] = [OnSetUp(setup=s.id) for s in plan.setups]
    places += [OnService(service=n.id) for n in plan.correction_services]
    places += [on for p in plan.control for on in p.by_source if isinstance(on, Levelled)]
    return unique([*(shift for place in places for shift in shared_by(plan, place)), *all_gradients(plan)])


def unique(shifts: Iterable[Shift]) -> list[Shift]:
    """Each shift once, in the order met."""
    return list({shift.key: shift for shift in shifts}.values())
