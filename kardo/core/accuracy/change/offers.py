"""Changes worth trying: each with its edits, and its minutes on the ground. Minutes are the assumptions' and only as
good as they are; what a change would predict is advice.py's to find out."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

import numpy as np

from kardo.core.accuracy.figures.figures import further_checks
from kardo.core.accuracy.figures.standards import standards
from kardo.core.accuracy.images.planned import Planned
from kardo.core.arrays import Floats, Json
from kardo.core.control.round import walk
from kardo.core.control.survey import by_rover
from kardo.core.flight.air.reach import out_of_reach
from kardo.core.flight.lines.areas import ground_scale, round_start
from kardo.core.flight.lines.pattern import flown
from kardo.core.flight.lines.swath import used_angle
from kardo.core.gnss.heights import vertical_height
from kardo.core.gnss.occupations import METHODS, mark_sigma, minutes_on_point
from kardo.core.parts import to_json
from kardo.core.plan.control import MOST_OCCUPATIONS, ControlPoint, Occupation
from kardo.core.plan.edits import Edit, changed, field_edits, part_edits
from kardo.core.plan.flights import Flight, Imaging, ParallelLines, Scanning
from kardo.core.plan.library import library
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import plain_length, plain_speed, reference, small_length
from kardo.core.plan.stands import Mark, OnNothing, OnSetUp, PositionSource, Reading, SetUp
from kardo.core.policy.policy import Policy

LESSENS: dict[str, tuple[str, ...]] = {
    "target": ("images", "pattern"),
    "targets": ("images", "pattern"),
    "twice": ("targets",),
    "checks": (),
    "oblique": ("images",),
    "crossing": ("images",),
    "lower": ("images", "pattern", "points", "surface"),
    "calibrate": ("calibration", "pattern"),
    "base": ("mark", "distance"),
    "nearer": ("distance", "legs"),
    "second": ("mark", "setup", "distance", "targets"),
    "static": ("mark",),
    "taped": ("setup",),
    "match": ("boresight", "attitude", "legs", "range"),
    "narrow": ("boresight", "attitude", "points"),
    "slower": ("returns", "points"),
    "start": ("attitude",),
    "drop": (),
}
WORTH = 0.7  # of a mark's sigma: what a static session must bring it to
LONGEST_SESSION = 24.0  # hours
NARROW_DEG = 70.0  # of a scanner's angle, within which beams are steep enough for most ground
NEARER = 0.001  # metres that a nearer mark must take off every sortie's error
FARTHEST = 5000.0  # metres from its base that a rover is walked about, unless the first base is farther away still


@dataclass(frozen=True)
class Remedy:
    """A change on offer: its edits, minutes on the ground, more than the plan takes now, and the kinds of source in the
    error budget that it lessens."""

    kind: str
    words: str
    minutes: float
    edits: tuple[Edit, ...]

    @property
    def lessens(self) -> tuple[str, ...]:
        """The kinds of source that this is the direct answer to."""
        return LESSENS[self.kind]

    @property
    def of_control(self) -> bool:
        """Whether only control changes, so that the solved network can answer."""
        return all(e.path.startswith("control/") for e in self.edits)

    def on(self, plan: Plan) -> Plan:
        """The plan with this change. Raises PlanError where it does not fit."""
        return changed(plan, self.edits)


def control_offers(plan: Plan, planned: Planned, places: int) -> Iterator[Remedy]:
    """Changes of control alone: further targets at so many places, the school of five, second rounds, more checks."""
    yield from _further_targets(plan, planned, places)
    if len(plan.targets) < 3:
        yield _extremes(plan, planned)
    yield from _twice(plan)
    yield from _more_checks(plan, planned.map_e, planned.map_n)


def other_offers(plan: Plan) -> Iterator[Remedy]:
    """Changes of flights, calibration, marks and set-ups."""
    for flight in plan.flights:
        choices = _of_images(flight) if isinstance(flight.sensor, Imaging) else _of_scan(plan, flight, flight.sensor)
        now = flown(plan, flight).minutes
        of = f" of {reference('flight', flight.id)}" if len(plan.flights) > 1 else ""
        for kind, words, then in choices:
            minutes = flown(plan, then).minutes - now
            yield Remedy(kind, words.replace("{of}", of), minutes, part_edits(f"flights/{flight.id}", flight, then))
    yield from _of_calibration(plan)
    for setup in plan.setups:
        yield from _of_set_up(plan, setup)


def scan_offers(plan: Plan, map_e: Floats, map_n: Floats, places: int) -> Iterator[Remedy]:
    """Changes of the control of a scan: further targets at so many places of the map (k,), a second round, more
    checks."""
    for e, n in _spread(np.stack([map_e, map_n], axis=1), min(places, len(map_e))):
        minutes = _minutes_for(plan, METHODS["rtk_once"].occupations, e, n)
        yield Remedy("target", "Add a control point where it helps most", minutes, (new_target(plan, e, n),))
    yield from _twice(plan)
    yield from _more_checks(plan, map_e, map_n)


def usual_source(plan: Plan) -> PositionSource:
    """What a further point would rest on: what most of the plan's control does, else the first flight's base."""
    hung: list[PositionSource] = [p.positioned_from for p in plan.control]
    if hung:
        return max(hung, key=hung.count)
    return next((f.positioned_from for f in plan.flights), OnNothing())


def usual_point(policy: Policy) -> ControlPoint:
    """A further point before anything is known of it, observed once for a minute, or for as long as is asked."""
    once = Occupation()
    epochs = max(once.epochs, math.ceil(policy["control-epochs"]) if policy.asks("control-epochs") else 0)
    return ControlPoint(
        id="new",
        name="new",
        role="target",
        e=0.0,
        n=0.0,
        positioned_from=OnNothing(),
        occupations=(once.model_copy(update={"epochs": epochs}),),
    )


def new_target(plan: Plan, e: float, n: float, name: str | None = None) -> Edit:
    """The edit that adds a target at grid metres, under the next free name."""
    name = name or free_names(plan, 1)[0]
    place = {
        "id": name,
        "name": name,
        "e": round(float(e), 1),
        "n": round(float(n), 1),
        "positioned_from": usual_source(plan),
    }
    return Edit(f"control/{name}", None, to_json(usual_point(plan.policy).model_copy(update=place)))


def free_names(plan: Plan, count: int, letter: str = "G") -> list[str]:
    """The next free names of control: a letter and a number."""
    taken = {p.id for p in plan.control} | {p.name for p in plan.control}
    return list(islice((name for k in range(1, 5000) if (name := f"{letter}{k}") not in taken), count))


def _further_targets(plan: Plan, planned: Planned, count: int) -> Iterator[Remedy]:
    """One more target, tried at places spread over what five images see."""
    images = np.diff(planned.network.rays.start)[planned.map_points]
    places = np.stack([planned.map_e, planned.map_n], axis=1)[images >= 5]
    if not len(places):
        return
    for e, n in _spread(places, min(count, len(places))):
        minutes = _minutes_for(plan, METHODS["rtk_once"].occupations, e, n)
        yield Remedy("target", "Add a control point where it helps most", minutes, (new_target(plan, e, n),))


def _extremes(plan: Plan, planned: Planned) -> Remedy:
    """The school of five: four extremes and the middle."""
    places = np.stack([planned.map_e, planned.map_n], axis=1)
    turned = places @ np.array([[1.0, 1.0], [1.0, -1.0]])
    picked = {int(k) for k in (*turned.argmin(axis=0), *turned.argmax(axis=0))}
    picked.add(int(np.argmin(np.linalg.norm(places - places.mean(axis=0), axis=1))))
    spots, names = places[sorted(picked)], free_names(plan, len(picked))
    edits = tuple(new_target(plan, e, n, name) for name, (e, n) in zip(names, spots, strict=True))
    minutes = sum(_minutes_for(plan, METHODS["rtk_once"].occupations, float(e), float(n)) for e, n in spots)
    return Remedy("targets", "Add control points at the four extremes and the middle", minutes, edits)


def _twice(plan: Plan) -> Iterator[Remedy]:
    """Targets, and all control, observed twice under different skies: a second round on foot."""
    twice = METHODS["rtk_twice"].occupations
    for who, points in (("targets", plan.targets), ("control and check points", plan.control)):
        once = [p for p in points if len(p.occupations) < 2 and all(by_rover(on) for on in p.by_source)]
        if not once or (who != "targets" and len(once) == len(plan.targets)):
            continue
        edits = tuple(e for p in once for e in field_edits(f"control/{p.id}", p, occupations=_like(p, twice)))
        minutes = sum(minutes_on_point(twice) - minutes_on_point(p.occupations) for p in once)
        minutes += round_metres(points) / plan.assume["walking_speed"]
        yield Remedy("twice", f"Observe {who} twice, 45 min apart: a second round on foot", minutes, edits)


def _like(point: ControlPoint, occupations: tuple[Occupation, ...]) -> list[Json]:
    """Occupations that rest on what the point's only one does."""
    hung = {"positioned_from": point.occupations[0].positioned_from}
    return [to_json(o.model_copy(update=hung)) for o in occupations]


def _more_checks(plan: Plan, map_e: Floats, map_n: Floats) -> Iterator[Remedy]:
    wanted = max(standards()[plan.brief.standard].least_checks - len(plan.checks), 4)
    if not plan.checks:
        return
    new = [
        p.model_copy(update={"id": name, "name": name})
        for p, name in zip(further_checks(plan, map_e, map_n, wanted), free_names(plan, wanted, "K"), strict=True)
    ]
    minutes = sum(_minutes_for(plan, p.occupations, p.e, p.n) for p in new)
    edits = tuple(Edit(f"control/{p.id}", None, to_json(p)) for p in new)
    yield Remedy("checks", f"Add {wanted} checks, all over the site", minutes, edits)


Choice = tuple[str, str, Flight]  # the kind of a change, its words with {of} for of which flight, and the flight then


def _of_images(flight: Flight) -> Iterator[Choice]:
    """Of a flight that takes images: oblique lines, cross lines, lower."""
    pattern = flight.pattern
    if isinstance(pattern, ParallelLines):
        if not pattern.oblique_lines and not flight.sensor.tilt_deg:
            then = flight.having(oblique_lines=2)
            yield "oblique", "Fly two oblique lines{of}, camera 30° forward", then
        yield from _crossing(flight, pattern)
    yield from _lower(flight, 30)


def _crossing(flight: Flight, pattern: ParallelLines) -> Iterator[Choice]:
    if not pattern.cross_lines:
        yield "crossing", "Fly two cross lines{of}, a fifth higher", flight.having(cross_lines=2)


def _lower(flight: Flight, lowest: float) -> Iterator[Choice]:
    if flight.height_m > lowest:
        lower = float(round(0.8 * flight.height_m))
        words = f"Fly{{of}} at {plain_length(lower)} instead of {plain_length(flight.height_m)}"
        yield "lower", words, flight.having(height_m=lower)


def _of_scan(plan: Plan, flight: Flight, use: Scanning) -> Iterator[Choice]:
    """Of a flight that scans: flight lines matched, the swath narrower, lower, slower, the inertial unit's sequence,
    cross lines."""
    used = math.degrees(used_angle(plan.scanner(use.scanner), use))
    if use.adjustment != "matched" and len([f for f in plan.flights if isinstance(f.sensor, Scanning)]) == 1:
        then = flight.having(adjustment="matched")
        yield "match", "Match the flight lines{of} and settle mounting and attitude", then
    if used > NARROW_DEG + 1e-9:
        then = flight.having(scan_angle_deg=NARROW_DEG)
        yield "narrow", f"Use {NARROW_DEG:g}° of the angle{{of}}", then
    if not use.start_up:
        yield "start", "Fly the inertial unit's sequence{of}", flight.having(start_up=True)
    if isinstance(flight.pattern, ParallelLines):
        yield from _crossing(flight, flight.pattern)
    yield from _lower(flight, 40)
    if flight.speed_m_per_s >= 2:
        slower = round(0.7 * flight.speed_m_per_s, 1)
        words = f"Fly{{of}} at {plain_speed(slower)} instead of {plain_speed(flight.speed_m_per_s)}"
        yield "slower", words, flight.having(speed_m_per_s=slower)


def _of_calibration(plan: Plan) -> Iterator[Remedy]:
    flown_with = {f.sensor.profile for f in plan.flights}
    best = to_json(library().calibrations["this_week"].calibration)
    for camera in plan.kit.cameras:
        if camera.id in flown_with and camera.calibration.state != "this_week":
            words = f"Calibrate {reference('camera', camera.id)} by a flight of its own, this week"
            edits = field_edits(f"kit/cameras/{camera.id}", camera, calibration=best)
            yield Remedy("calibrate", words, plan.assume["minutes_calibration"], edits)


def _of_set_up(plan: Plan, setup: SetUp) -> Iterator[Remedy]:
    """For a set-up that a flight rests on: a better mark, a longer session, a second reading."""
    mark = plan.mark(setup.mark)
    if mark is None or not any(f.positioned_from == OnSetUp(setup=setup.id) for f in plan.flights):
        return
    yield from _of_mark(plan, setup, mark)
    if setup.support == "tripod" and len(setup.readings) == 1:
        edits = field_edits(f"setups/{setup.id}", setup, readings=[to_json(r) for r in _read_two_ways(plan, setup)])
        words = f"Tape the antenna height of the {reference('setup', setup.id)} twice, two ways"
        yield Remedy("taped", words, 1.0, edits)


def _read_two_ways(plan: Plan, setup: SetUp) -> tuple[Reading, Reading]:
    """A tripod's one reading, and the vertical height that goes with a slant; beside one that has none, the same
    again."""
    (first,) = setup.readings
    up = -1.0
    if first.measured_to == "slant" and first.metres > plan.antenna(setup.antenna).disc_radius:
        up = round(vertical_height(plan, setup, first) - setup.adapter, 4)
    return first, Reading(metres=up, measured_to="vertical") if up > 0 else first


def _of_mark(plan: Plan, setup: SetUp, mark: Mark) -> Iterator[Remedy]:
    assume, name = plan.assume, reference("mark", mark.id)
    state = plan.brief.state
    own = mark_sigma(mark, assume, state)[2]
    for other in plan.marks:
        sigma = mark_sigma(other, assume, state)[2]
        if other.id == mark.id or other.known == "local":
            continue
        edits = field_edits(f"setups/{setup.id}", setup, mark=other.id)
        if sigma < own:
            words = f"Move the base to {reference('mark', other.id)}, whose height is known to ±{small_length(sigma)}"
            yield Remedy("base", words, assume["minutes_set_up"], edits)
        elif gain := _nearer(plan, setup, mark, other):
            yield Remedy(
                "nearer", f"Move the base to {reference('mark', other.id)}, {gain}", assume["minutes_set_up"], edits
            )
    yield from _second_base(plan, setup, mark)
    if mark.known == "static":
        longer = max(4.0, 2 * mark.hours)
        words = f"Log {longer:g} h instead of {mark.hours:g} h on {name}"
        yield Remedy("static", words, 60 * (longer - mark.hours), field_edits(f"marks/{mark.id}", mark, hours=longer))
    hours = math.ceil((assume["static_v"] / (WORTH * own)) ** 2)
    if mark.known == "published" and 4.0 <= hours <= LONGEST_SESSION:
        words = f"Log {hours} h on {name} and post-process its position against a reference network"
        edits = field_edits(f"marks/{mark.id}", mark, known="static", hours=float(hours))
        yield Remedy("static", words, 60.0 * hours, edits)
    if mark.known == "here" and state == "as_taken":
        words = f"Log 4 h on {name}, post-process its position and shift the block by it"
        later = field_edits(f"marks/{mark.id}", mark, shift_hours=max(4.0, mark.shift_hours or 0.0))
        yield Remedy("static", words, 240.0, (*later, *field_edits("brief", plan.brief, state="shifted")))


def _nearer(plan: Plan, setup: SetUp, mark: Mark, other: Mark) -> str:
    """What a base on another mark would be nearer by, or reach more, in words; empty for nothing."""
    flights = [flown(plan, f) for f in plan.flights if f.positioned_from == OnSetUp(setup=setup.id)]
    moved = plan.model_copy(update={"setups": tuple(_on(s, other) if s.id == setup.id else s for s in plan.setups)})
    before, after = (np.mean([np.hypot(f.e - m.e, f.n - m.n).mean() for f in flights]) for m in (mark, other))
    if plan.assume["fixed_ppm"] * 1e-6 * (before - after) >= NEARER:
        return f"{plain_length(float(before - after))} nearer to what is flown"
    lost = [sum(int(out_of_reach(p, f).sum()) for f in flights) for p in (plan, moved)]
    return f"from where corrections reach {lost[0] - lost[1]} exposures more" if lost[1] < lost[0] else ""


def _on(setup: SetUp, mark: Mark) -> SetUp:
    return setup.model_copy(update={"mark": mark.id})


def _second_base(plan: Plan, setup: SetUp, mark: Mark) -> Iterator[Remedy]:
    """A base on the best other mark about, the mark's own height and its distance taken together, from which every
    target is observed once more: what hangs on one mark alone is shared out over two, and shows."""
    hung = OnSetUp(setup=setup.id)
    targets = [p for p in plan.targets if p.by_source.keys() == {hung} and len(p.occupations) < MOST_OCCUPATIONS]
    if not targets:
        return
    middle = np.mean([(p.e, p.n) for p in targets], axis=0)

    def away(m: Mark) -> float:
        return float(math.hypot(m.e - middle[0], m.n - middle[1]))

    def off(m: Mark) -> float:
        return math.hypot(mark_sigma(m, plan.assume, plan.brief.state)[2], plan.assume["fixed_ppm"] * 1e-6 * away(m))

    farthest = max(FARTHEST, away(mark))
    known = [m for m in plan.marks if m.id != mark.id and m.known in ("published", "static")]
    about = [m for m in known if away(m) <= farthest]
    if not about:
        return
    best = min(about, key=off)
    stood = next((s for s in plan.setups if s.mark == best.id), None)
    key = stood.id if stood else next(f"B{k}" for k in range(2, 999) if plan.setup(f"B{k}") is None)
    again = Occupation(after_min=60.0, positioned_from=OnSetUp(setup=key))
    edits = [] if stood else [Edit(f"setups/{key}", None, to_json(_second(setup, key, best)))]
    for p in targets:
        edits += field_edits(f"control/{p.id}", p, occupations=[to_json(o) for o in (*p.occupations, again)])
    minutes = (0.0 if stood else plan.assume["minutes_set_up"]) + sum(minutes_on_point((again,)) for _ in targets)
    minutes += round_metres(tuple(targets)) / plan.assume["walking_speed"]
    words = f"Observe every control point from a second base too, on {reference('mark', best.id)}"
    yield Remedy("second", words, minutes, tuple(edits))


def _second(setup: SetUp, key: str, mark: Mark) -> SetUp:
    """A set-up like the first, with nothing told of it yet."""
    return SetUp(id=key, name=f"base {key[1:]}", mark=mark.id, support=setup.support, antenna=setup.antenna)


def _spread(places: Floats, count: int) -> Floats:
    """Some of the places, each as far as can be from those before it."""
    picked = [int(np.argmin(places.sum(axis=1)))]
    away = np.linalg.norm(places - places[picked[0]], axis=1)
    while len(picked) < count:
        picked.append(int(np.argmax(away)))
        away = np.minimum(away, np.linalg.norm(places - places[picked[-1]], axis=1))
    return places[picked]


def _minutes_for(plan: Plan, occupations: tuple[Occupation, ...], e: float, n: float) -> float:
    """One more point: laid out and picked up, observed, and the way there from the nearest other point and back."""
    assume = plan.assume
    near = min((math.hypot(p.e - e, p.n - n) for p in plan.control), default=0.0)
    handling = assume["minutes_place"] + assume["minutes_pick_up"]
    return handling + minutes_on_point(occupations) + 2 * near / assume["walking_speed"]


def minutes_on_ground(plan: Plan, control: tuple[ControlPoint, ...]) -> float:
    """Every point laid out, observed and picked up, and the shortest round past them, once each for these three."""
    assume = plan.assume
    each = sum(assume["minutes_place"] + assume["minutes_pick_up"] + minutes_on_point(p.occupations) for p in control)
    metres = walk(round_start(plan), [(p.e, p.n) for p in control])[1] / ground_scale(plan)
    return float(each + 3 * metres / assume["walking_speed"])


def round_metres(points: tuple[ControlPoint, ...]) -> float:
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
