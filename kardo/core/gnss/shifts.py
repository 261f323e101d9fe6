"""What positions share: every coordinate that hangs on the same thing has that thing's error in common."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from kardo.core.gnss.occupations import mark_sigma, set_up_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import HangsOn, Levelled, OnInstrument, OnNetwork, OnSetUp

Kind = Literal["mark", "setup", "leg", "network", "local", "shift"]


@dataclass(frozen=True)
class Shift:
    """An error that many coordinates share: what it is of, by kind and id, and its prior sigma east, north, up in metres."""

    kind: Kind
    id: str
    sigma: tuple[float, float, float]

    @property
    def key(self) -> tuple[str, str]:
        """Kind and id."""
        return self.kind, self.id


def shared_by(plan: Plan, hangs_on: HangsOn) -> tuple[Shift, ...]:
    """The shifts that whatever hangs on this has in common: a base's mark and its set-up, the mark levelled from, or a network's offset; none where
    a position shares its error with nothing, or the set-up has no mark yet."""
    if isinstance(hangs_on, OnNetwork):
        network = plan.network(hangs_on.network)
        assert network is not None
        return (Shift("network", network.id, (network.sigma_h, network.sigma_h, network.sigma_v)),)
    if isinstance(hangs_on, Levelled):
        benchmark = plan.mark(hangs_on.mark)
        assert benchmark is not None
        return (Shift("mark", benchmark.id, mark_sigma(benchmark, plan.assume, plan.brief.state)),)
    if not isinstance(hangs_on, OnSetUp | OnInstrument):
        return ()
    setup = plan.setup(hangs_on.setup)
    mark = plan.mark(setup.mark) if setup else None
    if setup is None or mark is None:
        return ()
    return (
        Shift("mark", mark.id, mark_sigma(mark, plan.assume, plan.brief.state)),
        Shift("setup", setup.id, set_up_sigma(setup, plan.assume)),
    )


def all_shared(plan: Plan) -> list[Shift]:
    """Every shift that something in the plan could hang on: of the set-ups in their order, then of the networks."""
    places: list[HangsOn] = [OnSetUp(setup=s.id) for s in plan.setups]
    places += [OnNetwork(network=n.id) for n in plan.networks]
    places += [on for p in plan.control for on in p.by_hanging if isinstance(on, Levelled)]
    return unique(shift for place in places for shift in shared_by(plan, place))


def unique(shifts: Iterable[Shift]) -> list[Shift]:
    """Each shift once, in the order met."""
    return list({shift.key: shift for shift in shifts}.values())
