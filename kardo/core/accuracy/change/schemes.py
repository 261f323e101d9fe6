"""Correction schemes side by side: what rests on what, and what each would predict.

A scheme is a change of the plan: on what flights hang and how they are corrected, and with them the control that rests
on the same. Control that rests elsewhere stays, for that is what makes it independent. Every scheme is a full
prediction of the plan so changed; those that differ only in how corrections come are the same figures."""

import math
import tomllib
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from kardo.core.accuracy.change.advice import Promise
from kardo.core.accuracy.equation.solution import DefectiveNetwork
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.results import Figures
from kardo.core.accuracy.prediction import figures_of
from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.lines.pattern import flown
from kardo.core.parts import to_json
from kardo.core.plan.brief import State
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit, changed, field_edits
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import reference, small_length
from kardo.core.plan.stands import (
    CorrectionService,
    FlightSource,
    Mark,
    OnNothing,
    OnService,
    OnSetUp,
    OwnSession,
    PositionSource,
    SetUp,
)

STATION_M = (
    5000.0  # metres: a mark farther from the site than this counts as a reference station, for no radio reaches so far
)
AROUND = 0.5  # hours that a log reaches beyond the minutes in the air
SAME_PLACE = 0.005  # metres within which a mark is that under a target


Pair = tuple[float, float]


@dataclass(frozen=True)
class SchemeText:
    """What is known of a scheme before it is computed: its name, what it needs, how it fails; minutes on site."""

    name: str
    needs: str
    fails: str
    minutes: float
    each: float = 0.0
    hours: float = 0.0


@dataclass(frozen=True)
class Scheme:
    """One scheme for one plan. on: what the flights would rest on, by kind and id. edits choose it (none: the plan has
    it already); lacks: why it cannot be had, in words. promise None where something would not be determined; as_seen:
    RMSE H and V in metres over the checks. hours: of a session of its own."""

    id: str
    name: str
    needs: str
    fails: str
    minutes: float
    hours: float
    on: str
    edits: list[Edit]
    chosen: bool
    lacks: str
    promise: Promise | None
    as_seen: tuple[float, float] | None


@dataclass(frozen=True)
class Schemes:
    """All schemes, in the catalogue's order; and what a base "here" is before and after its shift, in a sentence (empty
    where it cannot be had), lengths as stored words have them."""

    rows: list[Scheme]
    here: str


@cache
def catalogue() -> dict[str, SchemeText]:
    """The schemes by id."""
    data = tomllib.loads((files("kardo.core.accuracy.change") / "schemes.toml").read_text())
    return {key: SchemeText(**entry) for key, entry in data.items()}


def schemes(plan: Plan, progress: Progress = lambda stage, share: None) -> Schemes:
    """Every scheme with its edits and what it predicts. Raises PlanError where the plan lacks something."""
    known: dict[str, Figures | None] = {}
    rows = []
    for k, (key, told) in enumerate(catalogue().items()):
        progress(f"trying: {told.name}", k / len(catalogue()))
        rows.append(_scheme(plan, key, told, known))
    progress("done", 1.0)
    return Schemes(rows, _of_here({row.id: row for row in rows}))


def _of_here(rows: dict[str, Scheme]) -> str:
    """The two states of a base "here", absolute and as its checks see them, for somebody who does not survey."""
    before, after = rows["here"], rows["here_shifted"]
    if before.promise is None or after.promise is None:
        return ""
    large, small_ = before.promise, after.promise
    return here_words(
        (large.rmse_h, large.rmse_v), before.as_seen, (small_.rmse_h, small_.rmse_v), "its own log", small_length
    )


def here_words(before: Pair, seen: Pair | None, after: Pair, by: str, size: Callable[[float], str]) -> str:
    """What a base "here" promises before its shift, of which the checks see so much, and after it: RMSE H and V in
    metres, told as `size` tells a length."""
    words = (
        f"With a base “here”, until it is shifted, the whole map lies about {size(before[0])} off in plan and "
        f"{size(before[1])} in height, all of it alike"
    )
    if seen:
        words += f", while the checks see {size(seen[0])} and {size(seen[1])} of it"
    return f"{words}; shifted by {by} it is good to {size(after[0])} and {size(after[1])}."


def edits_for(plan: Plan, key: str) -> tuple[Edit, ...]:
    """The edits that choose a scheme: none where the plan has it. Raises PlanError for one that it cannot have yet,
    with what it wants first, and for one that there is none of."""
    if key not in EDITS:
        raise _lacks(f"There is no scheme “{key[:40]}”.")
    return tuple(EDITS[key](plan))


def _scheme(plan: Plan, key: str, told: SchemeText, known: dict[str, Figures | None]) -> Scheme:
    minutes = told.minutes + told.each * len(plan.targets)
    own = (key, told.name, told.needs, told.fails, minutes, told.hours)
    try:
        edits = edits_for(plan, key)
        after = changed(plan, edits)
        same = _alike(after).hash
        if same not in known:
            known[same] = _figures(after)
    except KardoError as fault:
        return Scheme(*own, "", [], False, fault.what, None, None)
    on, found = _base_of(plan, after), known[same]
    if found is None:
        return Scheme(*own, on, list(edits), not edits, "", None, None)
    seen = None if found.seen_rmse_h is None or found.seen_rmse_v is None else (found.seen_rmse_h, found.seen_rmse_v)
    return Scheme(*own, on, list(edits), not edits, "", Promise.of(found, plan.brief.chance), seen)


def _base_of(plan: Plan, after: Plan) -> str:
    """What the flights would rest on, as stored words speak of it; empty for nothing, and for a network that is still
    to be named."""
    on = next((f.positioned_from for f in after.flights), None)
    if isinstance(on, OnSetUp):
        setup = after.setup(on.setup)
        target = _logging_target(after, setup) if setup else None
        return reference("control", target.id) if target else reference("setup", on.setup)
    if isinstance(on, OnService) and plan.service(on.service) is not None:
        return reference("network", on.service)
    return ""


def _alike(plan: Plan) -> Plan:
    """A plan in which it makes no difference how corrections come, as long as they do."""
    flights = tuple(
        f if f.corrections == "none" else f.model_copy(update={"corrections": "both"}) for f in plan.flights
    )
    return plan.model_copy(update={"flights": flights})


def _figures(plan: Plan) -> Figures | None:
    """What a plan predicts; None where something in it is not determined."""
    try:
        return figures_of(plan)
    except DefectiveNetwork:
        return None


def _lacks(words: str) -> PlanError:
    return PlanError(words, where="Base")


def _from_base(corrections: str) -> Callable[[Plan], list[Edit]]:
    return lambda plan: _rewired(plan, _known_base(plan), corrections)


def _virtual(plan: Plan) -> list[Edit]:
    edits, network = _network(plan)
    return [*edits, *_rewired(plan, network, "live")]


def _nearest(plan: Plan) -> list[Edit]:
    stood = [(away, s.id) for s in plan.setups if (away := _away(plan, s)) is not None]
    far = [one for one in stood if one[0] > STATION_M]
    if not far:
        raise _lacks(
            "No reference station is known: add it as a mark with its published coordinates, and a set-up on it."
        )
    return _rewired(plan, OnSetUp(setup=min(far)[1]), "both")


def _mixed(plan: Plan) -> list[Edit]:
    edits, network = _network(plan)
    return [*edits, *_rewired(plan, _known_base(plan), "post_processed", network)]


def _here(plan: Plan) -> list[Edit]:
    return [
        *_known_by(plan, known="here"),
        *_state(plan, "as_taken"),
        *_rewired(plan, _own_base(plan), "post_processed"),
    ]


def _shifted(plan: Plan) -> list[Edit]:
    return [
        *_known_by(plan, known="here", shift_hours=_base_mark(plan).shift_hours or _log_hours(plan)),
        *_state(plan, "shifted"),
        *_rewired(plan, _own_base(plan), "post_processed"),
    ]


def _static(plan: Plan) -> list[Edit]:
    mark = _base_mark(plan)
    full = plan.policy["base-mark-unsettled"]
    hours = max(full, mark.hours) if mark.known == "static" else full
    return [*_known_by(plan, known="static", hours=hours), *_rewired(plan, _own_base(plan), "both")]


def _self_logging(plan: Plan) -> list[Edit]:
    if not plan.targets:
        raise _lacks("There is no control point yet: place one, and it can log.")
    hours = _log_hours(plan)
    east = sum(t.e for t in plan.targets) / len(plan.targets)
    north = sum(t.n for t in plan.targets) / len(plan.targets)
    middle = min(plan.targets, key=lambda t: math.hypot(t.e - east, t.n - north))
    found = next((s for s in plan.setups if _logging_target(plan, s) == middle), None)
    if found:
        return _logging(plan, middle.id, found.id, hours)
    key = _free_id(plan, f"log-{middle.id}"[:36])
    mark = Mark(id=key, name=f"{middle.name}, its log", e=middle.e, n=middle.n, h=middle.h, known="static", hours=hours)
    antenna = plan.setups[0].antenna if plan.setups else next((a.id for a in plan.kit.antennas), "")
    if not antenna:
        raise _lacks("There is no antenna in the kit: take one in.")
    setup = SetUp(id=key, name=f"log of {middle.name}", mark=key, support="fixed_pole", antenna=antenna)
    new = [Edit(f"marks/{key}", None, to_json(mark)), Edit(f"setups/{key}", None, to_json(setup))]
    return [*new, *_logging(plan, middle.id, key, hours)]


def _logging(plan: Plan, middle: str, base: str, hours: float) -> list[Edit]:
    """Flights on one target's log, the other targets' against it, its own against a reference network; checks stay as
    they are."""
    edits = _rewired(plan, OnSetUp(setup=base), "post_processed", None, points=())
    for p in plan.targets:
        if set(p.by_source) <= _sources(plan):
            own = OwnSession(hours=hours, setup=None if p.id == middle else base)
            plain = [to_json(o.model_copy(update={"positioned_from": None})) for o in p.occupations]
            edits += field_edits(f"control/{p.id}", p, positioned_from=to_json(own), occupations=plain)
    return edits


def _none(plan: Plan) -> list[Edit]:
    return [
        edit
        for f in plan.flights
        for edit in field_edits(f"flights/{f.id}", f, positioned_from=to_json(OnNothing()), corrections="none")
    ]


EDITS: dict[str, Callable[[Plan], list[Edit]]] = {
    "own_live": _from_base("live"),
    "own_logged": _from_base("post_processed"),
    "own_both": _from_base("both"),
    "network_virtual": _virtual,
    "network_nearest": _nearest,
    "mixed": _mixed,
    "here": _here,
    "here_shifted": _shifted,
    "static": _static,
    "self_logging": _self_logging,
    "none": _none,
}


def _rewired(
    plan: Plan,
    flights: FlightSource,
    corrections: str,
    control: PositionSource | None = None,
    points: tuple[ControlPoint, ...] | None = None,
) -> list[Edit]:
    """Flights positioned from something, and control that rests on what they do now or will (of some points) on the
    same, or on something else."""
    edits: list[Edit] = []
    for f in plan.flights:
        edits += field_edits(f"flights/{f.id}", f, positioned_from=to_json(flights), corrections=corrections)
    on, sources = control or flights, {*_sources(plan), flights}
    for p in plan.control if points is None else points:
        if set(p.by_source) <= sources:
            plain = [to_json(o.model_copy(update={"positioned_from": None})) for o in p.occupations]
            edits += field_edits(f"control/{p.id}", p, positioned_from=to_json(on), occupations=plain)
    return edits


def _sources(plan: Plan) -> set[PositionSource]:
    """What the flights rest on now, what most of the targets do (of the control, where there are none), and nothing at
    all."""
    points = plan.targets or plan.control
    most = [on for on, _ in Counter(p.positioned_from for p in points).most_common(1)]
    return {OnNothing(), *(f.positioned_from for f in plan.flights), *most}


def _own_base(plan: Plan) -> OnSetUp:
    """The set-up that the flights rest on; else the first that stands on a mark and is not a target's log."""
    return OnSetUp(setup=next(_bases(plan)).id)


def _known_base(plan: Plan) -> OnSetUp:
    """The same, of those whose mark has published coordinates."""
    for setup in _bases(plan):
        mark = plan.mark(setup.mark)
        if mark and mark.known == "published":
            return OnSetUp(setup=setup.id)
    raise _lacks(
        "No base stands on a mark with published coordinates: choose one under set-ups, or type what is published."
    )


def _bases(plan: Plan) -> Iterator[SetUp]:
    """The set-ups on marks within reach that are no target's own log, those that flights rest on first. Raises
    PlanError where there are none."""
    hung = [f.positioned_from.setup for f in plan.flights if isinstance(f.positioned_from, OnSetUp)]
    near = [s for s in plan.setups if (away := _away(plan, s)) is not None and away <= STATION_M]
    found = [s for s in near if _logging_target(plan, s) is None]
    if not found:
        raise _lacks("No set-up stands on a mark yet: place the base on the sheet (O), or choose a mark for it.")
    yield from sorted(found, key=lambda s: s.id not in hung)


def _away(plan: Plan, setup: SetUp) -> float | None:
    """Grid metres from the middle of the site to the mark of a set-up; None where it stands on none."""
    mark, ring = plan.mark(setup.mark), plan.site.boundary
    if mark is None:
        return None
    return math.hypot(mark.e - sum(p[0] for p in ring) / len(ring), mark.n - sum(p[1] for p in ring) / len(ring))


def _logging_target(plan: Plan, setup: SetUp) -> ControlPoint | None:
    """The target whose own log a set-up is: an antenna at a fixed height where the target lies, on coordinates from a
    session. A tripod over a target is a base."""
    mark = plan.mark(setup.mark)
    if mark is None or mark.known != "static" or setup.support != "fixed_pole":
        return None
    return next((t for t in plan.targets if math.hypot(t.e - mark.e, t.n - mark.n) < SAME_PLACE), None)


def _free_id(plan: Plan, wanted: str) -> str:
    taken = {m.id for m in plan.marks} | {s.id for s in plan.setups}
    return next(key for key in (wanted, *(f"{wanted}-{k}" for k in range(2, 999))) if key not in taken)


def _base_mark(plan: Plan) -> Mark:
    setup = plan.setup(_own_base(plan).setup)
    mark = plan.mark(setup.mark) if setup else None
    assert mark is not None
    return mark


def _known_by(plan: Plan, **how: object) -> tuple[Edit, ...]:
    """How the base's mark is known; what was published of it stays in the plan, for the way back."""
    mark = _base_mark(plan)
    return field_edits(f"marks/{mark.id}", mark, **how)


def _state(plan: Plan, state: State) -> tuple[Edit, ...]:
    """In which state the plan promises."""
    return field_edits("brief", plan.brief, state=state)


def _network(plan: Plan) -> tuple[list[Edit], OnService]:
    """The plan's first network, or a new one with the sigmas that custom gives."""
    if plan.correction_services:
        return [], OnService(service=plan.correction_services[0].id)
    network = CorrectionService(id="N1", name="reference network")
    return [Edit("correction_services/N1", None, to_json(network))], OnService(service="N1")


def _log_hours(plan: Plan) -> float:
    """Hours that a log lasts which covers the day's flights, to a tenth."""
    minutes = sum(flown(plan, f).minutes for f in plan.flights)
    return round(minutes / 60 + AROUND, 1)
