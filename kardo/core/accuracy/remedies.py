"""What would help most: changes to a plan, each with what it would predict and its minutes on the ground.

A change of control alone is answered from the solved network (whatif.py); any other takes a full computation of the
figures. Minutes are the assumptions' and only as good as they are.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from kardo.core.accuracy.defaults import Assumptions
from kardo.core.accuracy.effort import Progress
from kardo.core.accuracy.planned import Planned, flight_of, planned_network
from kardo.core.accuracy.prediction import figures, further_checks, map_variances
from kardo.core.accuracy.solution import DefectiveNetwork, as_seen, solve
from kardo.core.accuracy.standards import standards
from kardo.core.accuracy.whatif import Kept, keep, what_if
from kardo.core.arrays import Floats, Json
from kardo.core.errors import KardoError
from kardo.core.gnss.occupations import METHODS, mark_sigma
from kardo.core.plan.model import ControlPoint, Part, Plan

PLACES, FEW_PLACES = (
    30,
    6,
)  # where a further target is tried: from the solved network, or each by a computation of its own
BEST = 3  # further targets offered
SURE = 0.9  # chance from which a plan is called good
LEAST_GAIN = 0.004  # of ratio to the tolerance and chance together, below which a change is not worth offering
SOLVED, WHAT_IF = 1.0, 0.03  # work of an offer that takes a computation of its own, and of one that does not


@dataclass(frozen=True)
class Remedy:
    """A change on offer. changes are edits {object, value}; minutes on the ground, more than the plan takes now."""

    kind: str
    words: str
    minutes: float
    changes: list[Json] = field(default_factory=list)

    @property
    def of_control(self) -> bool:
        """Whether only control changes, so that the solved network can answer."""
        return all(c["object"].startswith("control/") for c in self.changes)

    def on(self, plan: Plan) -> Plan:
        """The plan with this change."""
        return changed(plan, self.changes)


def changed(plan: Plan, changes: list[Json]) -> Plan:
    """A plan with edits {object, value} to its parts laid over it; None takes a control point, mark or area away."""
    document = plan.to_json()
    plural = {"control": "control", "mark": "marks", "area": "areas"}
    for change in changes:
        kind, _, identifier = change["object"].partition("/")
        if not identifier:
            document[kind] = change["value"]
            continue
        rows = {row["id"]: row for row in document[plural[kind]]} | {identifier: change["value"]}
        document[plural[kind]] = [row for row in rows.values() if row is not None]
    return Plan.model_validate(document)


def remedies(plan: Plan, progress: Progress = lambda stage, share: None) -> Json:
    """Ranked changes with predicted figures. Where the plan is not good yet, those that make it so come first, the shortest
    first; the rest, and all where it is good already, by what they gain. Raises PlanError where the plan lacks something."""
    progress("solving the plan as it stands", 0.0)
    kept = _kept(plan)
    planned = kept.planned if kept else planned_network(plan)
    now = _by_control(kept, plan) if kept else None
    offers = [*_control_offers(plan, planned, PLACES if kept else FEW_PLACES), *_other_offers(plan)]
    work = np.cumsum([SOLVED, *(WHAT_IF if kept and offer.of_control else SOLVED for offer in offers)])
    out = []
    for k, offer in enumerate(offers):
        progress(f"trying: {offer.kind}", float(work[k] / work[-1]))
        told = _predicted(kept, plan, offer)
        if told is not None:
            out.append(_row(offer, told, provisional=kept is not None and offer.of_control))
    progress("done", 1.0)
    return {"now": now and _brief_figures(now) | {"good": _good(now)}, "offers": _ranked(_best_places(out), now)}


def _kept(plan: Plan) -> Kept | None:
    """The solved plan; None where its network has a defect or is too large to keep, so that every offer is computed in full."""
    try:
        return keep(plan)
    except (DefectiveNetwork, KardoError):
        return None


def _by_control(kept: Kept, plan: Plan) -> Json:
    answer = what_if(kept, plan.control)
    return figures(plan.brief, map_variances(plan, answer.covariances), answer.joint, answer.survey)


def _predicted(kept: Kept | None, plan: Plan, offer: Remedy) -> Json | None:
    """Figures with the change; None where the network would still have a defect or the change does not fit."""
    try:
        after = offer.on(plan)
        if kept and offer.of_control:
            return _by_control(kept, after)
        planned = planned_network(after)
        solution = solve(planned.network)
    except (DefectiveNetwork, KardoError, ValueError):
        return None
    seen = as_seen(solution)
    variances = map_variances(after, solution.point_covariances(planned.map_points))
    return figures(after.brief, variances, seen.measured, planned.network.check_sigma[seen.known])


def _row(offer: Remedy, told: Json, provisional: bool) -> Json:
    row = {"kind": offer.kind, "words": offer.words, "minutes": round(offer.minutes, 1), "changes": offer.changes}
    return row | _brief_figures(told) | {"provisional": provisional, "good": _good(told)}


def _brief_figures(told: Json) -> Json:
    return {key: told[key] for key in ("rmse_h", "rmse_v", "limit_h", "limit_v", "chance")}


def _ratio(told: Json) -> float:
    """The larger of H and V, as a part of what is allowed."""
    return max(told[f"rmse_{axis}"] / told[f"limit_{axis}"] for axis in "hv" if told[f"limit_{axis}"])


def _good(told: Json) -> bool:
    return _ratio(told) <= 1 and (told["chance"] or 0.0) >= SURE


def _merit(told: Json) -> float:
    return (told["chance"] or 0.0) - _ratio(told)


def _best_places(rows: list[Json]) -> list[Json]:
    """All offers, of the further targets only the best."""
    targets = sorted((r for r in rows if r["kind"] == "target"), key=lambda r: -_merit(r))
    return [r for r in rows if r["kind"] != "target"] + targets[:BEST]


def _ranked(rows: list[Json], now: Json | None) -> list[Json]:
    if now is not None:
        rows = [r for r in rows if _merit(r) - _merit(now) > LEAST_GAIN]
    if now is not None and _good(now):
        return sorted(rows, key=lambda r: -_merit(r))
    return sorted(rows, key=lambda r: (not r["good"], r["minutes"] if r["good"] else -_merit(r)))


# What can be offered -------------------------------------------------------------------------------------------------


def _control_offers(plan: Plan, planned: Planned, places: int) -> Iterator[Remedy]:
    yield from _further_targets(plan, planned, places)
    if len(plan.targets) < 3:
        yield _extremes(plan, planned)
    yield from _twice(plan)
    yield from _more_checks(plan, planned)


def _further_targets(plan: Plan, planned: Planned, count: int) -> Iterator[Remedy]:
    """One more target, tried at places spread over what five images see."""
    images = np.diff(planned.network.rays.start)[planned.map_points]
    places = np.stack([planned.map_e, planned.map_n], axis=1)[images >= 5]
    if not len(places):
        return
    name = _free_name(plan)
    for e, n in _spread(places, min(count, len(places))):
        minutes = _minutes_for(plan, "rtk_once", e, n, placing=True)
        yield Remedy("target", f"Add a target at {e:.0f} E {n:.0f} N", minutes, [_target(name, e, n)])


def _extremes(plan: Plan, planned: Planned) -> Remedy:
    """The school of five: four extremes and the middle."""
    places = np.stack([planned.map_e, planned.map_n], axis=1)
    turned = places @ np.array([[1.0, 1.0], [1.0, -1.0]])
    picked = {int(k) for k in (*turned.argmin(axis=0), *turned.argmax(axis=0))}
    picked.add(int(np.argmin(np.linalg.norm(places - places.mean(axis=0), axis=1))))
    names = _free_names(plan, len(picked))
    changes = [_target(name, *places[k]) for name, k in zip(names, sorted(picked), strict=True)]
    minutes = sum(_minutes_for(plan, "rtk_once", float(e), float(n), placing=True) for e, n in places[sorted(picked)])
    return Remedy("targets", "Add targets at the four extremes and the middle", minutes, changes)


def _twice(plan: Plan) -> Iterator[Remedy]:
    """Targets, and all control, observed twice under different skies: a second round on foot."""
    for who, points in (("targets", plan.targets), ("targets and checks", plan.control)):
        once = [p for p in points if p.method != "rtk_twice"]
        if not once or (who != "targets" and len(once) == len(plan.targets)):
            continue
        changes = [_edit(f"control/{p.id}", p, method="rtk_twice") for p in once]
        minutes = sum(METHODS["rtk_twice"].minutes - METHODS[p.method].minutes for p in once)
        minutes += _round_metres(points) / Assumptions(plan.assumptions)["walking_speed"]
        yield Remedy("twice", f"Observe {who} twice, 45 min apart: a second round on foot", minutes, changes)


def _more_checks(plan: Plan, planned: Planned) -> Iterator[Remedy]:
    least = standards()[plan.brief.standard].least_checks
    wanted = max(least - len(plan.checks), 4)
    if not plan.checks:
        return
    new = [
        p.model_copy(update={"id": name, "name": name})
        for p, name in zip(further_checks(plan, planned, wanted), _free_names(plan, wanted, "K"), strict=True)
    ]
    minutes = sum(_minutes_for(plan, p.method, p.e, p.n, placing=True) for p in new)
    changes = [{"object": f"control/{p.id}", "value": p.model_dump(mode="json")} for p in new]
    yield Remedy("checks", f"Add {wanted} checks, all over the site", minutes, changes)


def _other_offers(plan: Plan) -> Iterator[Remedy]:
    assume, f = Assumptions(plan.assumptions), plan.flight
    now = flight_of(plan).minutes
    flown: list[tuple[str, str, Json]] = []
    if not f.oblique_strips:
        flown.append(("oblique", "Fly two oblique strips, camera 30° forward", {"oblique_strips": 2}))
    if not f.crossing_strips:
        flown.append(("crossing", "Fly two crossing strips, a fifth higher", {"crossing_strips": 2}))
    if f.height > 30:
        lower = round(0.8 * f.height)
        flown.append(("lower", f"Fly at {lower} m instead of {f.height:g} m", {"height": lower}))
    for kind, words, update in flown:
        change = _edit("flight", f, **update)
        minutes = flight_of(changed(plan, [change])).minutes - now
        yield Remedy(kind, words, minutes, [change])
    if f.calibration != "this_week":
        words = "Calibrate the camera by a flight of its own, this week"
        yield Remedy("calibrate", words, assume["minutes_calibration"], [_edit("flight", f, calibration="this_week")])
    yield from _base_offers(plan, assume)


def _base_offers(plan: Plan, assume: Assumptions) -> Iterator[Remedy]:
    base, mark = plan.base, plan.mark_of(plan.base.mark)
    if mark is None:
        return
    own = mark_sigma(mark, assume)[2]
    for other in plan.marks:
        if other.id != mark.id and mark_sigma(other, assume)[2] < own:
            words = (
                f"Move the base to {other.name}, whose height is known to ±{mark_sigma(other, assume)[2] * 1000:.0f} mm"
            )
            yield Remedy("base", words, assume["minutes_set_up"], [_edit("base", base, mark=other.id)])
    if mark.known == "static":
        longer = max(4.0, 2 * mark.hours)
        words = f"Log {longer:g} h instead of {mark.hours:g} h on {mark.name}"
        yield Remedy("static", words, 60 * (longer - mark.hours), [_edit(f"mark/{mark.id}", mark, hours=longer)])
    if mark.known == "here":
        words = f"Log 4 h on {mark.name} and post-process its position"
        yield Remedy("static", words, 240.0, [_edit(f"mark/{mark.id}", mark, known="static", hours=4.0)])
    if base.support == "tripod" and len(base.readings) == 1:
        words = "Tape the antenna height twice, two ways"
        yield Remedy("taped", words, 1.0, [_edit("base", base, readings=[base.readings[0]] * 2)])


def _edit(name: str, part: Part, **update: object) -> Json:
    return {"object": name, "value": {**part.model_dump(mode="json"), **update}}


def _target(name: str, e: float, n: float) -> Json:
    point = ControlPoint(id=name, name=name, role="target", e=round(float(e), 1), n=round(float(n), 1))
    return {"object": f"control/{name}", "value": point.model_dump(mode="json")}


def _free_name(plan: Plan) -> str:
    return _free_names(plan, 1)[0]


def _free_names(plan: Plan, count: int, letter: str = "G") -> list[str]:
    taken = {p.id for p in plan.control} | {p.name for p in plan.control}
    return [name for k in range(1, 5000) if (name := f"{letter}{k}") not in taken][:count]


def _spread(places: Floats, count: int) -> Floats:
    """Some of the places, each as far as can be from those before it."""
    picked = [int(np.argmin(places.sum(axis=1)))]
    away = np.linalg.norm(places - places[picked[0]], axis=1)
    while len(picked) < count:
        picked.append(int(np.argmax(away)))
        away = np.minimum(away, np.linalg.norm(places - places[picked[-1]], axis=1))
    return places[picked]


def _minutes_for(plan: Plan, method: str, e: float, n: float, placing: bool) -> float:
    """One more point: laid out and picked up, observed, and the way there from the nearest other point and back."""
    assume = Assumptions(plan.assumptions)
    near = min((math.hypot(p.e - e, p.n - n) for p in plan.control), default=0.0)
    handling = assume["minutes_place"] + assume["minutes_pick_up"] if placing else 0.0
    return handling + METHODS[method].minutes + 2 * near / assume["walking_speed"]


def _round_metres(points: tuple[ControlPoint, ...]) -> float:
    """A round on foot by the nearest next point, and back to the first."""
    left = [np.array([p.e, p.n]) for p in points]
    if len(left) < 2:
        return 0.0
    first = at = left.pop(0)
    total = 0.0
    while left:
        k = int(np.argmin([np.linalg.norm(q - at) for q in left]))
        total += float(np.linalg.norm(left[k] - at))
        at = left.pop(k)
    return total + float(np.linalg.norm(first - at))
