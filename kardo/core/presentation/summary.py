"""What the sheet and the trays show that follows directly from a plan."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from shapely import MultiLineString, unary_union

from kardo.core.accuracy.figures.heaps import AllowedVolume, allowed_volumes
from kardo.core.accuracy.figures.standards import held_to, standards
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.errors import KardoError
from kardo.core.flight.air.clearance import Clearance, of_lines
from kardo.core.flight.air.reach import Reach, reach
from kardo.core.flight.lines.areas import ground_scale, require_fit, site_polygon
from kardo.core.flight.lines.laid import Kind
from kardo.core.flight.lines.pattern import MAX_EXPOSURES, FlightPlan, flown, over_ground, too_many
from kardo.core.flight.lines.sensor import ScanSensor
from kardo.core.flight.lines.swath import gate, mean_density, sequence_words, used_angle
from kardo.core.geodesy.antenna import SlantTable, slant_table
from kardo.core.geodesy.crs import height_name
from kardo.core.gnss.blunders import SetUpBlunders, blunders, seen_by
from kardo.core.gnss.card import Card, cards
from kardo.core.gnss.heights import Added, SetUpHeights, added_over, heights
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.kept import kept
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.terrain.gaps import Gaps, gaps

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
    """The tolerance as an RMSE, metres; None where the standard sets no such limit. held: what the standard's own
    statistics are held to."""

    h: float
    v: float | None
    held_h: float
    held_v: float


@dataclass(frozen=True)
class Datum:
    """Grid, height system, geoid separation in metres (stated: as somebody said it), combined scale and convergence at
    the middle of the site."""

    grid: str
    heights: str
    separation: float | None
    scale_ppm: float | None
    convergence_deg: float | None
    stated: bool


@dataclass(frozen=True)
class StripLine:
    """One flight line, grid metres."""

    start: Pair
    end: Pair
    sortie: int
    exposures: int
    length: float
    kind: Kind


@dataclass(frozen=True)
class SortieTime:
    """One battery's flight: minutes, and those of its way out and home in them; per cent left on landing; first and
    last flight line; where it takes off, grid metres."""

    minutes: float
    out: float
    home: float
    battery_left: float
    first_strip: int
    last_strip: int
    take_off: Pair


@dataclass(frozen=True)
class ScanFigures:
    """A scanning flight: metres of its swath, the whole angle used in degrees and the range gate in metres; pulses on a
    square metre of one pass, metres between returns and between the scanner's lines; minutes of the inertial unit's
    sequence before a sortie's first line and after its last, and in words."""

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
    """One flight laid out: metres, minutes, seconds; course in grid degrees; e and n of the exposures to the
    centimetre. fastest: metres a second over the ground at which images by time still overlap as planned. take_off:
    grid metres. reach: whether corrections come to them, where the base's link is known."""

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
    cross_height: float | None
    take_off: tuple[float, float]
    strips: list[StripLine]
    sorties: list[SortieTime]
    e: list[float]
    n: list[float]
    reach: Reach | None
    scan: ScanFigures | None


@dataclass(frozen=True)
class Summary:
    """What follows directly from the plan. A part that cannot be computed is missing, with the reason under `faults`
    (flights and set-ups by `flight/id` and `setup/id`; a grid that does not fit the site under `fit`). cards and
    blunders: of the set-ups that have heights. area: m2 of the site on the ground; volumes: what the tolerance is on
    each area, where a volume is judged. gaps: where the ground is not known under site and flights. mark_sigma: east,
    north, up of every mark."""

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
    bare = Datum(
        grid=grid.name,
        heights=height_name(plan.brief.heights),
        separation=None,
        scale_ppm=None,
        convergence_deg=None,
        stated=stated,
    )
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
    """Figures, flight lines, sorties and exposures of a flight."""
    heights = over_ground(flight).h
    strips = [
        StripLine(
            start=s.start,
            end=s.end,
            sortie=s.sortie,
            exposures=flight.sensor.images(s.count),
            length=s.length,
            kind=s.kind,
        )
        for s in flight.strips
    ]
    sorties = [
        SortieTime(
            minutes=sortie.minutes,
            out=sortie.out,
            home=sortie.home,
            battery_left=sortie.battery_left,
            first_strip=sortie.first_strip,
            last_strip=sortie.last_strip,
            take_off=sortie.take_off[:2],
        )
        for sortie in flight.sorties
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
        fastest=flight.sensor.fastest(flight.flight),
        blur_px=flight.blur_px,
        course=flight.main_course,
        minutes=flight.minutes,
        height_range=(float(heights.min()), float(heights.max())),
        clearance=of_lines(plan, flight),
        cross_height=flight.cross_height,
        take_off=flight.take_off[:2],
        strips=strips,
        sorties=sorties,
        e=np.round(flight.e[: flight.images], 2).tolist(),
        n=np.round(flight.n[: flight.images], 2).tolist(),
        reach=reach(plan, flight),
        scan=_scan_figures(flight, flight.sensor) if isinstance(flight.sensor, ScanSensor) else None,
    )


def _scan_figures(f: FlightPlan, sensor: ScanSensor) -> ScanFigures:
    scanner, use, own = sensor.scanner, sensor.use, f.flight
    return ScanFigures(
        f.footprint_across,
        math.degrees(used_angle(scanner, use)),
        gate(scanner, use),
        mean_density(scanner, use, own.height_m, own.speed_m_per_s),
        f.gsd,
        own.speed_m_per_s / scanner.lines_per_s,
        *f.sequence_minutes,
        sequence_words(scanner),
    )


def _control_heights(plan: Plan) -> list[float | None]:
    return [float(h) if np.isfinite(h) else None for h in heights_of(plan, plan.control)]
