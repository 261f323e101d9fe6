"""The plan as done: what was really observed in the place of what was planned, as the same kind of document, so that
the same engine predicts it.

As long as a visit is under way, what is not in the book yet counts as it was planned; once its crew has left, what is
not in the book was not done."""

from collections import Counter
from dataclasses import dataclass
from typing import Literal

from kardo.core.book.entries import (
    Book,
    BroadcastHeard,
    HeightRead,
    NotReached,
    Occupied,
    SessionOff,
    SessionOn,
    SortieFlown,
    StoodUp,
    TargetMoved,
)
from kardo.core.flight.lines.pattern import flown
from kardo.core.geodesy.antenna import outvoted
from kardo.core.geodesy.units import counted, small
from kardo.core.gnss.heights import vertical_height
from kardo.core.parts import to_json
from kardo.core.plan.control import MOST_OCCUPATIONS, ControlPoint, Occupation
from kardo.core.plan.flights import Flight
from kardo.core.plan.model import Plan, plan_of
from kardo.core.plan.stands import MOST_READINGS, OnSetUp, OwnSession, PositionSource, Reading, SetUp

SHORTEST_LOG, LONGEST_LOG = 0.1, 240.0  # hours that a session may have
LEAST_SHARE = 0.005  # of positions that are not fixed, from which it is told
MOSTLY = 0.5  # share of a sortie's positions that is not fixed, from which the sortie counts as float


def as_done(plan: Plan, book: Book) -> Plan:
    """The plan with what was really done in the place of what was planned. Raises PlanError where that would not hold
    together, or a flight cannot be laid out."""
    left = {e.visit for e in book.valid_entries if e.said.kind == "departure"}
    changed = {
        "setups": tuple(_set_up(plan, s, book) for s in plan.setups),
        "control": tuple(p for point in plan.control if (p := _point(plan, point, book, left)) is not None),
        "flights": tuple(_flight(plan, f, book, left) for f in plan.flights),
    }
    whole = plan.model_copy(update=changed)
    return plan_of(to_json(whole)).under(plan.policy)


def _day_over(plan: Plan, visit: str | None, left: set[str]) -> bool:
    """Whether the crew of a visit has left; what names none belongs to the first."""
    own = visit or (plan.visits[0].id if plan.visits else None)
    return own in left


def _set_up(plan: Plan, setup: SetUp, book: Book) -> SetUp:
    """With the mark it really stood on and the heights really read."""
    stood: list[StoodUp] = [s for s in book.of("set_up") if s.setup == setup.id and plan.mark(s.mark) is not None]
    read: list[HeightRead] = [h for h in book.of("height") if h.setup == setup.id]
    change: dict[str, object] = {}
    if stood:
        change["mark"] = stood[-1].mark
    if read:
        poles = any(h.measured_to == "pole" for h in read)
        change["support"] = "fixed_pole" if poles else "tripod"
        kept = [h for h in read if (h.measured_to == "pole") == poles]
        change["readings"] = tuple(_reading(h) for h in kept)[-MOST_READINGS:]
    return setup.model_copy(update=change)


def _reading(read: HeightRead) -> Reading:
    to: Literal["slant", "vertical"] = "vertical" if read.measured_to == "vertical" else "slant"
    return Reading(metres=read.metres, measured_to=to, typed=read.typed[:40])


def _point(plan: Plan, point: ControlPoint, book: Book, left: set[str]) -> ControlPoint | None:
    """A point as it was observed; None for one that was not, or that was moved after it had been."""
    unreached: list[NotReached] = [n for n in book.of("not_reached") if n.point == point.id]
    moved: list[TargetMoved] = [m for m in book.of("target_moved") if m.point == point.id]
    if unreached or any(m.after_observed for m in moved):
        return None
    if moved:
        point = point.model_copy(update={"e": moved[-1].e, "n": moved[-1].n, "h": None})
    point, logged = _logged(point, book)
    if logged:
        return point
    entries = [e for e in book.valid_entries if isinstance(e.said, Occupied) and e.said.point == point.id]
    if not entries:
        over = all(_day_over(plan, o.visit, left) for o in point.occupations)
        return None if over else point
    first = entries[0].moment
    done: list[Occupation] = []
    for e in entries[:MOST_OCCUPATIONS]:
        said: Occupied = e.said  # type: ignore[assignment]
        hung = (
            OnSetUp(setup=said.setup)
            if said.setup and plan.setup(said.setup)
            else _planned(point, len(done)).positioned_from
        )
        after = (e.moment - first).total_seconds() / 60
        done.append(
            Occupation(
                epochs=said.epochs, after_min=after, positioned_from=hung, state=said.state, visit=_visit(plan, e.visit)
            )
        )
    still = [o for o in point.occupations[len(done) :] if not _day_over(plan, o.visit, left)]
    return point.model_copy(update={"occupations": (*done, *still)[:MOST_OCCUPATIONS]})


def _logged(point: ControlPoint, book: Book) -> tuple[ControlPoint, bool]:
    """A point that logs for itself with the hours that it really logged, and whether it did: from when it was switched
    on until it was switched off; as long as that is not written down, as planned."""
    if not any(isinstance(on, OwnSession) for on in point.by_source):
        return point, False
    of_point = [
        e for e in book.valid_entries if isinstance(e.said, SessionOn | SessionOff) and e.said.point == point.id
    ]
    on = next((e.moment for e in reversed(of_point) if isinstance(e.said, SessionOn)), None)
    if on is None:
        return point, False
    off = next((e.moment for e in of_point if isinstance(e.said, SessionOff) and e.moment > on), None)
    if off is None:
        return point, True
    hours = min(max((off - on).total_seconds() / 3600, SHORTEST_LOG), LONGEST_LOG)

    def with_hours(hung: PositionSource | None) -> PositionSource | None:
        return hung.model_copy(update={"hours": hours}) if isinstance(hung, OwnSession) else hung

    done = tuple(o.model_copy(update={"positioned_from": with_hours(o.positioned_from)}) for o in point.occupations)
    return point.model_copy(update={"positioned_from": with_hours(point.positioned_from), "occupations": done}), True


def _planned(point: ControlPoint, k: int) -> Occupation:
    return point.occupations[min(k, len(point.occupations) - 1)]


def _visit(plan: Plan, key: str) -> str | None:
    return key if any(v.id == key for v in plan.visits) else None


def _flight(plan: Plan, flight: Flight, book: Book, left: set[str]) -> Flight:
    """With the sorties that were not flown, and those whose positions did not come out fixed."""
    flown_: dict[int, SortieFlown] = {s.leg: s for s in book.of("leg") if s.flight == flight.id}
    given_up: set[int] = {s.leg for s in book.of("leg_not_flown") if s.flight == flight.id} - set(flown_)
    if not flown_ and not given_up and not _day_over(plan, flight.visit, left):
        return flight
    count = len(flown(plan, flight).sorties)
    missing = given_up | (set(range(1, count + 1)) - set(flown_) if _day_over(plan, flight.visit, left) else set())
    afloat = {leg for leg, said in flown_.items() if said.not_fixed >= MOSTLY}
    return flight.model_copy(update={"missing_sorties": tuple(sorted(missing)), "float_sorties": tuple(sorted(afloat))})


@dataclass(frozen=True)
class OddHeight:
    """A height that the others of its set-up outvote: the entry's id, and why, in words."""

    entry: str
    words: str


@dataclass(frozen=True)
class StillToDo:
    """What is still to be done on a visit, in the plan's own names, by paths: points to occupy, sorties to fly, set-ups
    with fewer heights than are asked for; by how many metres the heights of a set-up differ; and by set-up what was
    last heard of it where that is not as planned; the height of a set-up that the others outvote; and what was done is
    short of the plan in, in words."""

    points: list[str]
    sorties: list[str]
    setups: list[str]
    differences: dict[str, float]
    off_air: dict[str, str]
    odd: dict[str, OddHeight]
    short: list[str]


def still_to_do(plan: Plan, book: Book) -> StillToDo:
    """What the book still wants, how the heights of each set-up differ (vertical above the mark), and what was heard of
    it."""
    occupied = [s.point for s in book.of("occupation", "session_on")]
    gone = {s.point for s in book.of("not_reached")} | {s.point for s in book.of("target_moved") if s.after_observed}
    points = [f"control/{p.id}" for p in plan.control if p.id not in gone and occupied.count(p.id) < len(p.occupations)]
    sorties = []
    for flight in plan.flights:
        over = {s.leg for s in book.of("leg", "leg_not_flown") if s.flight == flight.id}
        sorties += [f"flights/{flight.id}/{k}" for k in range(1, len(flown(plan, flight).sorties) + 1) if k not in over]
    spreads = {s.id: _spread(plan, s, book) for s in plan.setups}
    wanted = plan.policy["base-taped-once"] if plan.policy.asks("base-taped-once") else 1
    setups = [f"setups/{key}" for key, (count, _) in spreads.items() if count < wanted]
    # what one of the two says does not mend what the other said: rovers go by what is broadcast
    heard: dict[tuple[str, str], BroadcastHeard] = {(s.setup, s.by): s for s in book.of("broadcast")}
    off_air = {said.setup: said.words for said in heard.values() if not said.as_planned}
    return StillToDo(
        points=points,
        sorties=sorties,
        setups=setups,
        differences={key: spread for key, (count, spread) in spreads.items() if count > 1},
        off_air=off_air,
        odd=_odd(plan, book),
        short=[*_flown_short(plan, book), *_observed_short(plan, book), *_lost(plan, book)],
    )


def _flown_short(plan: Plan, book: Book) -> list[str]:
    """What the sorties that were flown lack, counted over each flight."""
    out = []
    for flight in plan.flights:
        sorties: dict[int, SortieFlown] = {s.leg: s for s in book.of("leg") if s.flight == flight.id}
        planned = Counter[int]()
        for strip in flown(plan, flight).strips:
            planned[strip.sortie + 1] += strip.count
        images = sum(max(0, planned[leg] - said.images) for leg, said in sorties.items())
        positions = sum(max(0, said.images - said.positions) for said in sorties.values())
        kept = sum(said.positions for said in sorties.values())
        afloat = sum(said.not_fixed * said.positions for said in sorties.values()) / kept if kept else 0.0
        lacks = [f"{counted(images, 'image')} of {sum(planned[leg] for leg in sorties)} missing"] if images else []
        lacks += [f"{counted(positions, 'image')} without a position"] if positions else []
        lacks += [f"{100 * afloat:.0f} % of the positions not fixed"] if afloat >= LEAST_SHARE else []
        out += [f"{flight.name}: {', '.join(lacks)}"] if lacks else []
    return out


def _observed_short(plan: Plan, book: Book) -> list[str]:
    """The points of which no occupation came out fixed, and those that were left too soon."""
    seen: dict[str, list[Occupied]] = {}
    for said in book.of("occupation"):
        seen.setdefault(said.point, []).append(said)
    least = plan.policy["control-epochs"] if plan.policy.asks("control-epochs") else 0
    afloat = [p.name for p in plan.control if p.id in seen and all(s.state != "fixed" for s in seen[p.id])]
    brief = [p.name for p in plan.control if any(s.epochs < least for s in seen.get(p.id, ()))]
    out = [f"not fixed: {', '.join(afloat)}"] if afloat else []
    return out + ([f"fewer than {least:.0f} epochs: {', '.join(brief)}"] if brief else [])


def _lost(plan: Plan, book: Book) -> list[str]:
    """Targets and checks that are lost, why, and how many are left of what was planned."""
    why = {s.point: s.why for s in book.of("not_reached")}
    why |= {s.point: "moved after it was observed" for s in book.of("target_moved") if s.after_observed}
    out = []
    for points, kind in ((plan.targets, "target"), (plan.checks, "check")):
        lost = [f"{p.name}{f' ({why[p.id]})' if why[p.id] else ''}" for p in points if p.id in why]
        if lost:
            out.append(
                f"{counted(len(lost), kind)} lost, {len(points) - len(lost)} of {len(points)} left: {', '.join(lost)}"
            )
    return out


def _spread(plan: Plan, setup: SetUp, book: Book) -> tuple[int, float]:
    """How many heights were read at a set-up, and how far they lie apart as verticals above the mark, metres."""
    read: list[HeightRead] = [h for h in book.of("height") if h.setup == setup.id]
    up = [vertical_read(plan, setup, h) for h in read]
    return len(up), max(up) - min(up) if up else 0.0


def vertical_read(plan: Plan, setup: SetUp, read: HeightRead) -> float:
    """Metres from the mark to the ARP by a height that was read, whatever support was planned. Raises PlanError for a
    slant shorter than the disc's radius."""
    support = "fixed_pole" if read.measured_to == "pole" else "tripod"
    return vertical_height(plan, setup.model_copy(update={"support": support}), _reading(read))


def _odd(plan: Plan, book: Book) -> dict[str, OddHeight]:
    """By set-up the height that the others outvote."""
    out, most = {}, plan.policy["base-readings"]
    for setup in plan.setups:
        entries = [e for e in book.valid_entries if isinstance(e.said, HeightRead) and e.said.setup == setup.id]
        found = outvoted([vertical_read(plan, setup, e.said) for e in entries], most)  # type: ignore[arg-type]
        if found is not None:
            unit, said = plan.brief.unit, entries[found.which].said
            assert isinstance(said, HeightRead)
            others = f"the {len(entries) - 1} others, which agree to {small(found.others_apart, unit)}"
            words = f"{said.typed} {said.measured_to} is {small(abs(found.off), unit)} from {others}"
            out[setup.id] = OddHeight(entries[found.which].id, words)
    return out
