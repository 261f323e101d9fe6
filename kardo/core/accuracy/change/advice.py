"""What would help most: the offers ranked, each with what it would predict.

A change of control alone is answered from the solved network (whatif.py); any other takes a full computation of the
figures."""

import contextlib
from dataclasses import dataclass, field

import numpy as np

from kardo.core.accuracy.change.offers import Remedy, control_offers, other_offers, scan_offers
from kardo.core.accuracy.change.savings import savings, spare_points, without
from kardo.core.accuracy.change.whatif import Kept, keep, what_if
from kardo.core.accuracy.equation.solution import DefectiveNetwork
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.figures.judged import with_added
from kardo.core.accuracy.figures.results import ByNewer, Figures, Result, Share
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import figures_of, predict
from kardo.core.errors import KardoError
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit
from kardo.core.plan.model import Plan

PLACES, FEW_PLACES = (
    30,
    6,
)  # where a further target is tried: from the solved network, or each by a computation of its own
BEST = 3  # further targets offered
SURE = 0.9  # chance from which a plan is called good
MOST_SPARE = 12  # savings that are told, those that save most
LEAST_GAIN = 0.004  # of ratio to the tolerance and chance together, below which a change is not worth offering
SOLVED, WHAT_IF = 1.0, 0.03  # work of an offer that takes a computation of its own, and of one that does not


@dataclass(frozen=True)
class Promise:
    """What a plan would promise. good: inside the tolerance with the chance that the Brief wants, or a greater one."""

    rmse_h: float
    rmse_v: float
    limit_h: float
    limit_v: float | None
    chance: float | None
    good: bool

    @classmethod
    def of(cls, told: Figures, sure: float = SURE) -> "Promise":
        """From the figures, and the chance that is wanted."""
        some = told.rmse_h, told.rmse_v, told.limit_h, told.limit_v, told.chance
        return cls(*some, _ratio(told) <= 1 and (told.chance or 0.0) >= sure)

    @property
    def inside(self) -> bool:
        """Whether H and V keep within what is allowed."""
        return _ratio(self) <= 1


@dataclass(frozen=True)
class JobPromise(Promise):
    """That of a job in a list, and what it would promise by newer defaults than it rests on."""

    newer: ByNewer | None = None

    @classmethod
    def of_result(cls, result: Result, sure: float) -> "JobPromise":
        """From a prediction, and the chance that is wanted."""
        return cls(**vars(Promise.of(result, sure)), newer=result.newer)


@dataclass(frozen=True)
class Offer(Promise):
    """A change on offer: its words (things of the plan by kind and id), minutes on the ground and edits. provisional:
    answered from the solved network, within 3 %."""

    kind: str
    words: str
    minutes: float
    edits: list[Edit]
    provisional: bool
    lessens: list[str]


@dataclass(frozen=True)
class Advice:
    """What the plan promises now, the largest source of its error, and what would change that: first what answers that
    source, then the most helpful. spare: of a plan that is good, what it could do without and stay good, what saves
    most first."""

    now: Promise | None
    largest: Share | None
    offers: list[Offer]
    spare: list[Offer] = field(default_factory=list)


def advise(plan: Plan, progress: Progress = lambda stage, share: None) -> Advice:
    """Ranked changes with predicted figures. Where the plan is not good yet, those that make it so come first, the
    shortest first; the rest, and all where it is good already, by what they gain. Raises PlanError where the plan lacks
    something."""
    progress("solving the plan as it stands", 0.0)
    kept, now, largest, of_control = AS_IT_STANDS[plan.mapped_by](plan)
    remedies = [*of_control, *other_offers(plan)]
    work = np.cumsum([SOLVED, *(WHAT_IF if kept and r.of_control else SOLVED for r in remedies)])
    offers = []
    for k, remedy in enumerate(remedies):
        progress(f"trying: {remedy.kind}", float(work[k] / work[-1]))
        if predicted := _predicted(kept, plan, remedy):
            offers.append(_offer(remedy, plan.brief.chance, *predicted))
    spare = _spare(kept, plan) if now and now.good else []
    progress("done", 1.0)
    return Advice(now, largest, _ranked(_best_places(offers), now, largest), spare)


Standing = tuple[Kept | None, Promise | None, Share | None, list[Remedy]]


def _images_as_they_stand(plan: Plan) -> Standing:
    """The solved network, where it is kept, what it promises, the largest source of its error, and changes of its
    control."""
    kept = _kept(plan)
    if kept is None:
        return None, None, None, list(control_offers(plan, planned_network(plan), FEW_PLACES))
    now = Promise.of(_by_control(kept, plan), plan.brief.chance)
    return kept, now, _largest(kept, plan), list(control_offers(plan, kept.planned, PLACES))


def _scan_as_it_stands(plan: Plan) -> Standing:
    """The same of a scan, of which each change is computed in full."""
    now = predict(plan)
    assert isinstance(now, Result)
    of_control = scan_offers(plan, np.array(now.map.e), np.array(now.map.n), FEW_PLACES)
    promised, largest = Promise.of(now, plan.brief.chance), max(now.budget, key=lambda s: s.share_v)
    return None, promised, largest, list(of_control)


AS_IT_STANDS = {"images": _images_as_they_stand, "scan": _scan_as_it_stands}  # by what makes the map


def _spare(kept: Kept | None, plan: Plan) -> list[Offer]:
    """What a good plan could do without and stay good: one thing at a time, and all the control that can go
    together."""
    found = [o for remedy in savings(plan) if (o := _spared(kept, plan, remedy)) is not None]
    together = _together(kept, plan, [o for o in found if all(e.path.startswith("control/") for e in o.edits)])
    return sorted([*([together] if together else []), *found], key=lambda o: o.minutes)[:MOST_SPARE]


def _spared(kept: Kept | None, plan: Plan, remedy: Remedy) -> Offer | None:
    """A saving, where the plan stays good with it and minutes are really saved."""
    predicted = _predicted(kept, plan, remedy) if remedy.minutes < 0 else None
    offer = _offer(remedy, plan.brief.chance, *predicted) if predicted else None
    return offer if offer and offer.good else None


def _together(kept: Kept | None, plan: Plan, alone: list[Offer]) -> Offer | None:
    """As many points as can be left out at once, what saves most first, as long as the plan stays good; in full at the
    end."""
    if kept is None:
        return None
    order = {o.edits[0].path.split("/")[1]: o.minutes for o in alone if len(o.edits) == 1 and o.edits[0].after is None}
    gone: tuple[ControlPoint, ...] = ()
    for key in sorted(order, key=lambda k: order[k]):
        point = next(p for p in plan.control if p.id == key)
        left = _less(plan, gone)
        if point in spare_points(left) and _spared(kept, plan, without(plan, (*gone, point))):
            gone = (*gone, point)
    while len(gone) > 1:
        if offer := _spared(None, plan, without(plan, gone)):
            return offer
        gone = gone[:-1]
    return None


def _less(plan: Plan, gone: tuple[ControlPoint, ...]) -> Plan:
    """A plan without some of its control."""
    return plan.model_copy(update={"control": tuple(p for p in plan.control if p not in gone)})


def _largest(kept: Kept, plan: Plan) -> Share:
    """The largest source of the error in height, which is mostly what fails."""
    errors = what_if(kept, plan.control)
    return max(with_added(kept.on_map.shares, errors.of_network(), errors.added(plan)), key=lambda s: s.share_v)


def _kept(plan: Plan) -> Kept | None:
    """The solved plan; None where its network has a defect or is too large to keep, so that every offer is computed in
    full."""
    try:
        return keep(plan)
    except (DefectiveNetwork, KardoError):
        return None


def _by_control(kept: Kept, plan: Plan) -> Figures:
    return figures(plan, what_if(kept, plan.control))


def _predicted(kept: Kept | None, plan: Plan, remedy: Remedy) -> tuple[Figures, bool] | None:
    """Figures with the change, and whether they are provisional; None where the network would still have a defect or
    the change does not fit. What the solved network cannot answer is computed in full."""
    try:
        after = remedy.on(plan)
        if kept and remedy.of_control:
            with contextlib.suppress(KardoError):
                return _by_control(kept, after), True
        return figures_of(after), False
    except (DefectiveNetwork, KardoError):
        return None


def _offer(remedy: Remedy, sure: float, told: Figures, provisional: bool) -> Offer:
    return Offer(
        **vars(Promise.of(told, sure)),
        kind=remedy.kind,
        words=remedy.words,
        minutes=round(remedy.minutes, 1),
        edits=list(remedy.edits),
        provisional=provisional,
        lessens=list(remedy.lessens),
    )


def _ratio(told: Figures | Promise) -> float:
    """The larger of H and V, as a part of what is allowed."""
    of_v = told.rmse_v / told.limit_v if told.limit_v else 0.0
    return max(told.rmse_h / told.limit_h, of_v)


def _merit(told: Promise) -> float:
    return (told.chance or 0.0) - _ratio(told)


def _best_places(offers: list[Offer]) -> list[Offer]:
    """All offers, of the further targets only the best."""
    targets = sorted((o for o in offers if o.kind == "target"), key=lambda o: -_merit(o))
    return [o for o in offers if o.kind != "target"] + targets[:BEST]


def _ranked(offers: list[Offer], now: Promise | None, largest: Share | None) -> list[Offer]:
    if now is not None:
        offers = [o for o in offers if _merit(o) - _merit(now) > LEAST_GAIN]
    answers = {id(o) for o in offers if largest and largest.kind in o.lessens}
    if now is not None and now.good:
        return sorted(offers, key=lambda o: (id(o) not in answers, -_merit(o)))
    return sorted(offers, key=lambda o: (id(o) not in answers, not o.good, o.minutes if o.good else -_merit(o)))
