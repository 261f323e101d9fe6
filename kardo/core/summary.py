"""What the sheet shows of a plan: what follows directly from it, and its results in words with the names put in."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from shapely import MultiLineString, unary_union

from kardo.core.accuracy.advice import Advice
from kardo.core.accuracy.conditions import unmet
from kardo.core.accuracy.defects import Defect
from kardo.core.accuracy.heaps import AllowedVolume, allowed_volumes
from kardo.core.accuracy.judged import heights_of_surface
from kardo.core.accuracy.planned import missing
from kardo.core.accuracy.results import BlindSpot, Result, Share, Undetermined
from kardo.core.accuracy.schemes import Schemes, here_words
from kardo.core.accuracy.standards import held_to, standards
from kardo.core.control.survey import heights_of
from kardo.core.errors import KardoError
from kardo.core.flight.areas import ground_scale, require_fit, site_polygon
from kardo.core.flight.clearance import Clearance, of_lines
from kardo.core.flight.lines import Kind
from kardo.core.flight.pattern import MAX_EXPOSURES, FlightPlan, flown, over_ground, too_many
from kardo.core.flight.reach import Reach, reach
from kardo.core.flight.scan import gate, mean_density, sequence_minutes, sequence_words, used_angle
from kardo.core.geodesy.antenna import SlantTable, slant_table
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import length, small
from kardo.core.gnss.blunders import SetUpBlunders, blunders, seen_by
from kardo.core.gnss.card import Card, cards
from kardo.core.gnss.heights import Added, SetUpHeights, added_over, heights
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of, named
from kardo.core.plan.states import to_shift
from kardo.core.practice.catalogue import Closed, Finding, View, findings
from kardo.core.terrain.gaps import Gaps, gaps

METRES_FROM = 0.5  # metres from which an error is told in whole units
T = TypeVar("T")
Pair = tuple[float, float]


@dataclass(frozen=True)
class Fault:
    """Why a part of the summary is not there."""

    what: str
    where: str
    mend: str


@dataclass(frozen=True)
class Lack:
    """What the plan still wants before anything can be predicted, and at which station."""

    station: str
    words: str


@dataclass(frozen=True)
class Limits:
    """The tolerance as an RMSE, metres; None where the standard sets no such limit. held: what the standard's own statistics are held to."""

    h: float
    v: float | None
    held_h: float
    held_v: float


@dataclass(frozen=True)
class Datum:
    """Grid, height system, geoid separation in metres (stated: as somebody said it), combined scale and convergence at the middle of the site."""

    grid: str
    heights: str
    separation: float | None
    scale_ppm: float | None
    convergence_deg: float | None
    stated: bool


@dataclass(frozen=True)
class StripLine:
    """One strip, grid metres."""

    start: Pair
    end: Pair
    leg: int
    exposures: int
    length: float
    kind: Kind


@dataclass(frozen=True)
class LegTime:
    """One battery's flight: minutes, and those of its way out and home in them; per cent left on landing; first and last strip."""

    minutes: float
    out: float
    home: float
    battery_left: float
    first_strip: int
    last_strip: int


@dataclass(frozen=True)
class ScanFigures:
    """A scanning flight: metres of its swath, the whole angle used in degrees and the range gate in metres; pulses on a square metre of one pass, metres between
    returns and between the scanner's lines; minutes of the inertial unit's sequence before a leg's first line and after its last, and in words."""

    swath: float
    angle_deg: float
    gate: float
    pulses_m2: float
    spacing: float
    lines_apart: float
    before: float
    after: float
    sequence: str


@dataclass(frozen=True)
class FlightFigures:
    """One flight laid out: metres, minutes, seconds; course in grid degrees; e and n of the exposures to the centimetre. fastest: metres a second over the
    ground at which images by time still overlap as planned. take_off: grid
    metres. reach: whether corrections come to them, where the base's link is known."""

    id: str
    camera: str
    exposures: int
    gsd: float
    footprint: Pair
    spacing: float
    trigger_distance: float
    trigger_interval: float
    fastest: float
    blur_px: float
    course: float
    minutes: float
    height_range: Pair
    clearance: Clearance | None
    crossing_height: float
    take_off: tuple[float, float]
    strips: list[StripLine]
    legs: list[LegTime]
    e: list[float]
    n: list[float]
    reach: Reach | None
    scan: ScanFigures | None


@dataclass(frozen=True)
class Summary:
    """What follows directly from the plan. A part that cannot be computed is missing, with the reason under `faults`
    (flights and set-ups by `flight/id` and `setup/id`; a grid that does not fit the site under `fit`). cards and blunders: of the
    set-ups that have heights. area: m2 of the site on the ground; volumes: what the tolerance is on each area, where a volume is judged. gaps: where the ground is not known under site and flights. mark_sigma:
    east, north, up of every mark."""

    hash: str
    lacks: list[Lack]
    limits: Limits
    datum: Datum | None
    area: float | None
    volumes: list[AllowedVolume]
    flights: list[FlightFigures]
    heights: list[SetUpHeights]
    cards: list[Card]
    blunders: list[SetUpBlunders]
    gaps: Gaps | None
    slants: dict[str, SlantTable]
    added: dict[str, Added]
    mark_sigma: dict[str, tuple[float, float, float]]
    control_h: list[float | None]
    faults: dict[str, Fault]


@dataclass(frozen=True)
class Told:
    """A result in words, with the names that things have now: the sources of the budget in its order, what is judged, in which of
    two states it is shown and what the other is (empty where there is but one), what the checks are blind to, the standard's
    conditions that are not met, and the defects."""

    budget: list[str]
    judged: str
    state: str
    blind: list[str]
    unmet: list[str]
    defects: list[Defect]


class _Attempts:
    """Parts that may fail, and the faults of those that did."""

    def __init__(self) -> None:
        self.faults: dict[str, Fault] = {}

    def __call__(self, part: str, make: Callable[[], T]) -> T | None:
        try:
            return make()
        except KardoError as fault:
            self.faults[part] = Fault(fault.what, fault.where, fault.mend)
            return None


def summary(plan: Plan) -> Summary:
    """Everything the sheet and the trays show that follows directly from the plan. Quick, and never stored."""
    attempt = _Attempts()
    rest = _without_control(plan.model_copy(update={"control": ()}))
    heights_of_control = attempt("control", lambda: _control_heights(plan)) or []
    return replace(
        rest,
        hash=plan.hash,
        lacks=[Lack(*lack) for lack in missing(plan)],
        blunders=[replace(row, seen=seen_by(plan, row.setup)) for row in rest.blunders],
        control_h=heights_of_control,
        faults=rest.faults | attempt.faults,
    )


@kept(64, by=lambda plan: (plan.revision, plan.policy))
def _without_control(plan: Plan) -> Summary:
    """The summary of a plan that has no control; kept while that is moved about."""
    attempt = _Attempts()

    def each(kind: str, make: Callable[[str], T], keys: list[str]) -> list[T]:
        made = [attempt(f"{kind}/{key}", lambda key=key: make(key)) for key in keys]  # type: ignore[misc]
        return [one for one in made if one is not None]

    left = MAX_EXPOSURES

    def room(key: str) -> FlightFigures:
        """A flight's figures, as long as all flights together are what one network holds."""
        nonlocal left
        found = flown(plan, next(f for f in plan.flights if f.id == key))
        left -= len(found.e)
        if left < 0:
            raise too_many(MAX_EXPOSURES - left)
        return flight_figures(plan, found)

    attempt("fit", lambda: require_fit(plan))
    chains = each("setup", lambda key: heights(plan, key), [s.id for s in plan.setups])
    return Summary(
        hash="",
        lacks=[],
        limits=_limits(plan),
        datum=attempt("datum", lambda: _datum(plan)),
        area=attempt("area", lambda: site_polygon(plan).area / ground_scale(plan) ** 2),
        volumes=attempt("volumes", lambda: allowed_volumes(plan)) or [],
        flights=each("flight", room, [f.id for f in plan.flights]),
        heights=chains,
        cards=[card for chain in chains for card in cards(plan, chain)],
        blunders=[blunders(plan, chain) for chain in chains],
        gaps=attempt("ground", lambda: _gaps(plan)),
        slants={a.id: slant_table(a) for a in plan.kit.antennas},
        added={s.id: added_over(plan, s) for s in plan.setups},
        mark_sigma=attempt(
            "assumptions", lambda: {m.id: mark_sigma(m, plan.assume, plan.brief.state) for m in plan.marks}
        )
        or {},
        control_h=[],
        faults=attempt.faults,
    )


def _limits(plan: Plan) -> Limits:
    h, v = standards()[plan.brief.standard].rmse_limits(plan.brief.terms)
    return Limits(float(h), float(v) if np.isfinite(v) else None, *held_to(plan.brief))


def _datum(plan: Plan) -> Datum:
    grid = plan.grid
    stated = plan.brief.separation is not None
    bare = Datum(grid.name, height_name(plan.brief.heights), None, None, None, stated)
    if len(plan.site.boundary) < 3:
        return bare
    middle = site_polygon(plan).representative_point()
    h = float(np.nan_to_num(plan.surface.at(middle.x, middle.y))) if plan.surface else 0.0
    return replace(
        bare,
        separation=float(grid.separation(middle.x, middle.y)),
        scale_ppm=(grid.combined_factor(middle.x, middle.y, h) - 1) * 1e6,
        convergence_deg=float(np.degrees(grid.convergence_and_scale(middle.x, middle.y)[0])),
    )


def _gaps(plan: Plan) -> Gaps | None:
    """Over the site and under the flights, those that can be laid out."""
    if plan.surface is None or len(plan.site.boundary) < 3:
        return None
    lines = [MultiLineString([(s.start, s.end) for s in flown(plan, f).strips]) for f in plan.flights]
    return gaps(
        plan.surface,
        unary_union([site_polygon(plan), *(line.convex_hull.buffer(1.0) for line in lines)]),
        ground_scale(plan),
    )


def flight_figures(plan: Plan, flight: FlightPlan) -> FlightFigures:
    """Figures, strips, legs and exposures of a flight."""
    heights = over_ground(flight).h
    strips = [StripLine(s.start, s.end, s.leg, 0 if flight.scans else s.count, s.length, s.kind) for s in flight.strips]
    legs = [
        LegTime(leg.minutes, leg.out, leg.home, leg.battery_left, leg.first_strip, leg.last_strip)
        for leg in flight.legs
    ]
    return FlightFigures(
        id=flight.flight.id,
        camera=flight.sensor.name,
        exposures=flight.images,
        gsd=flight.gsd,
        footprint=(flight.footprint_across, flight.footprint_along),
        spacing=flight.spacing,
        trigger_distance=flight.trigger_distance,
        trigger_interval=flight.trigger_interval,
        fastest=flight.flight.fastest,
        blur_px=flight.blur_px,
        course=flight.main_course,
        minutes=flight.minutes,
        height_range=(float(heights.min()), float(heights.max())),
        clearance=of_lines(plan, flight),
        crossing_height=flight.crossing_height,
        take_off=flight.take_off[:2],
        strips=strips,
        legs=legs,
        e=[] if flight.scans else np.round(flight.e, 2).tolist(),
        n=[] if flight.scans else np.round(flight.n, 2).tolist(),
        reach=reach(plan, flight),
        scan=_scan_figures(flight) if flight.scans else None,
    )


def _scan_figures(f: FlightPlan) -> ScanFigures:
    scanner, own = f.scanner, f.flight
    return ScanFigures(
        f.footprint_across,
        math.degrees(used_angle(scanner, own)),
        gate(scanner, own),
        mean_density(scanner, own),
        f.gsd,
        own.speed / scanner.lines_per_s,
        *sequence_minutes(scanner, own),
        sequence_words(scanner),
    )


def _control_heights(plan: Plan) -> list[float | None]:
    return [float(h) if np.isfinite(h) else None for h in heights_of(plan, plan.control)]


def found(plan: Plan, result: Result | None, closed: Closed | None = None) -> list[Finding]:
    """What the plan's policy asks and finds in a plan and, where there is one, its result; closed: and what the residuals said, of a survey
    that is being closed."""
    try:
        flights = tuple(flown(plan, f) for f in plan.flights)
    except KardoError:
        flights = ()
    return findings(View(plan, flights, result, covers=result is not None and bool(flights), closed=closed))


def told(plan: Plan, result: Result | Undetermined) -> Told:
    """A result in words."""
    defects = [replace(d, words=named(d.words, plan), mend=named(d.mend, plan)) for d in result.defects]
    if isinstance(result, Undetermined):
        return Told([], "", "", [], [], defects)
    budget = [source_name(plan, s) for s in result.budget]
    return Told(
        budget, judged_words(plan, result), state_words(plan, result), blind_words(plan, result), unmet(plan), defects
    )


def named_advice(plan: Plan, advice: Advice) -> Advice:
    """Advice with the names that things have now."""
    offers, spare = ([replace(o, words=named(o.words, plan)) for o in some] for some in (advice.offers, advice.spare))
    return replace(advice, offers=offers, spare=spare)


def named_schemes(plan: Plan, found: Schemes) -> Schemes:
    """Schemes with the names that things have now."""
    return Schemes([replace(row, on=named(row.on, plan)) for row in found.rows], named(found.here, plan))


def source_name(plan: Plan, share: Share | BlindSpot) -> str:
    """What a source of error is called."""
    several_flights = len(plan.flights) > 1
    several_cameras = len({f.camera or f.scanner for f in plan.flights}) > 1
    camera = f" of {name_of(plan, 'camera', share.id)}" if several_cameras and share.id else ""
    flight = f" of {name_of(plan, 'flight', share.id)}" if several_flights and share.id else ""
    plain = {
        "images": "image measurements",
        "targets": "surveyed targets",
        "positions": f"camera position noise{camera}",
        "calibration": f"calibration{camera}",
        "legs": f"positioning per sortie{flight}",
        "pattern": f"unmodelled lens and shutter errors{camera}",
        "boresight": f"boresight of the scanner{flight}",
        "range": f"range and lever arm{flight}",
        "attitude": f"attitude of the inertial unit{flight}",
        "returns": "noise of the returns",
        "ties": "matching of strips",
        "points": "point identification",
        "surface": "slope" if plan.scans else "matching and slope",
        "geoid": "geoid separation, as stated" if plan.brief.separation else "geoid model",
        "local": "site calibration",
    }
    return plain.get(share.kind) or name_of(plan, share.kind, share.id)


def judged_words(plan: Plan, result: Result) -> str:
    """What the standard is held against: points that can be identified, or the surface; and what that adds."""
    unit, added = plan.brief.unit, {s.kind: s for s in result.budget}
    words = "Heights are judged on the surface" if heights_of_surface(plan.brief) else "Heights are judged at points"
    if heights_of_surface(plan.brief) and "surface" in added:
        words += f": {'slope adds' if plan.scans else 'matching and slope add'} ±{small(added['surface'].sigma_v, unit)} to a single one"
    if "points" in added:
        words += (
            f". In plan, point identification adds ±{small(added['points'].sigma_h / math.sqrt(2), unit)} each axis"
        )
    return words + "."


def state_words(plan: Plan, result: Result) -> str:
    """In which state a plan with a base taken "here" is shown, and what it is in the other, for somebody who does not survey."""
    other, unit = result.other, plan.brief.unit
    if other is None:
        return ""
    before, after = (other, result) if other.state == "as_taken" else (result, other)
    h, v = before.seen_rmse_h, before.seen_rmse_v
    by = ", ".join(f"{m.shift_hours:g} h of log on {m.name}" for m in to_shift(plan))
    shown = "Shown once it is shifted. " if other.state == "as_taken" else "Shown before it is shifted. "
    return shown + here_words(
        (before.rmse_h, before.rmse_v),
        None if h is None or v is None else (h, v),
        (after.rmse_h, after.rmse_v),
        by,
        lambda metres: small(metres, unit) if metres < METRES_FROM else length(metres, unit, 2),
    )


def blind_words(plan: Plan, result: Result) -> list[str]:
    """What the checks cannot see, in words."""
    count = len(plan.checks)
    if not count:
        return ["There are no checks: nothing in this plan would show an error."]
    if not result.blind:
        return ["The checks share no large error with the map: they see the error as it is."]
    return [_blind_sentence(plan, spot, count) for spot in result.blind]


def _blind_sentence(plan: Plan, spot: BlindSpot, count: int) -> str:
    everyone = spot.checks == count
    who = "Every check shares it" if everyone else f"{spot.checks} of {count} checks share it"
    return (
        f"{'Height' if spot.in_height else 'Plan'}: {100 * spot.share:.0f} % of the variance is {source_name(plan, spot)} "
        f"(±{small(spot.sigma, plan.brief.unit)}). {who}, so {'no check' if everyone else 'only the others'} can see it."
    )
