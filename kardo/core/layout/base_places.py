"""Where the base may stand: places of the site, and marks about it, by what each sees, reaches and keeps clear of.

A place is left out where nobody should stand, or nothing is known of the ground. Each of the others has a grade from 0
to 1 in what can be asked there, and the mean of these by weight. The limits are those of field practice; the weights
are an opinion, and stand here. It proposes: whether one may stand there is for the eye, and for the owner, to say."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import Point

from kardo.core.arrays import Floats
from kardo.core.flight.air.reach import places_over, reach_by
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.flight.lines.pattern import FlightPlan, all_flown
from kardo.core.geodesy.units import length
from kardo.core.gnss.library import SAME_PLACE
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Link, Mark, OnSetUp, SetUp
from kardo.core.site.occupiable import Shapes, nearest_upright, shapes_of, why_not
from kardo.core.site.overhead import ANTENNA, MASK, Stand, midnight, parts_of_horizon
from kardo.core.sky.orbits import nominal
from kardo.core.sky.visibility import sky

WEIGHTS = {"sky": 0.35, "reach": 0.20, "clear": 0.20, "mark": 0.15, "access": 0.10}
PLACES, SAMPLE = 80, 60  # places that are tried, about, and exposures that reach is judged by
ABOUT = 1000.0  # metres from the site within which a mark is tried
OPEN, CLOSED = 0.97, 0.60  # share of an open sky's satellites that is as good as all, and as bad as none
NEAR, FAR = 30.0, 500.0  # metres from an access path or gate
BESIDE_MARK, NO_MARK = (
    200.0,
    2000.0,
)  # metres to a known mark from which a base is checked with a short walk, or not at all
EVERY, ANY_DAY = 20, "2027-01-01"  # minutes; one day of a nominal constellation is as good as another
WINDS = ("north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west")


@dataclass(frozen=True)
class KnownPlace:
    """A mark that could be stood on: its id in the plan, or empty for one of the library; its name, grid metres; known:
    whether its coordinates are, or were taken "here". A place of the site has no name."""

    id: str
    name: str
    e: float
    n: float
    known: bool = True


@dataclass(frozen=True)
class BasePlace:
    """A place for the base, grid metres; mark: the plan's mark there, or empty; name: what it is called; here: the base
    stands there now. score 0 to 1 and its parts, None for what cannot be asked; reasons: what speaks against it, the
    worst first, or what it has."""

    e: float
    n: float
    mark: str
    name: str
    here: bool
    score: float
    parts: dict[str, float]
    reasons: list[str]


@dataclass(frozen=True)
class BasePlaces:
    """Places ranked, the best first; those left out, grid metres, with why; the step of the grid they lie on; and what
    is said."""

    ranked: list[BasePlace]
    left_out: list[tuple[float, float, str]]
    step: float
    told: str


def base_places(plan: Plan, library: Sequence[KnownPlace] = ()) -> BasePlaces:
    """Places ranked for the base that the first flight rests on, under constellations as they are meant to be. Raises
    PlanError before there is a site, GeodesyError where the grid does not reach."""
    polygon = site_polygon(plan)
    base = _base(plan)
    now = plan.mark(base.mark) if base else None
    places = [KnownPlace("", "", e, n) for e, n in places_over(plan, PLACES)]
    settled = ("published", "static")
    own = [m for m in plan.marks if m.known in settled or m is now]
    marks = [KnownPlace(id=m.id, name=m.name, e=m.e, n=m.n, known=m.known in settled) for m in own]
    marks += [m for m in library if all(math.hypot(m.e - o.e, m.n - o.n) > SAME_PLACE for o in plan.marks)]
    marks = [m for m in marks if polygon.distance(Point(m.e, m.n)) <= ABOUT]
    shapes = shapes_of(plan)
    free, left_out = [], []
    for place in [*marks, *places]:
        why = why_not(plan, shapes, place.e, place.n, bool(place.name))
        if why:
            left_out.append((place.e, place.n, f"{place.name}: {why}" if place.name else why))
        else:
            free.append(place)
    graded = _graded(plan, free, shapes, marks, now)
    middle = polygon.representative_point()
    # of several alike the one that the base stands on, for nobody moves it for nothing; then the nearest to all that
    # rests on it
    ranked = sorted(graded, key=lambda p: (-round(p.score, 3), not p.here, middle.distance(Point(p.e, p.n))))
    return BasePlaces(ranked, left_out, math.sqrt(polygon.area / PLACES), _told(plan, ranked))


def _base(plan: Plan) -> SetUp | None:
    """The set-up that the first flight rests on, else the first."""
    hung = next((f.positioned_from.setup for f in plan.flights if isinstance(f.positioned_from, OnSetUp)), None)
    return plan.setup(hung) or next(iter(plan.setups), None)


def _graded(
    plan: Plan, places: list[KnownPlace], shapes: Shapes, marks: list[KnownPlace], now: Mark | None
) -> list[BasePlace]:
    skies = _skies(plan, places)
    flights, link = _flights(plan)
    out = []
    for place, (share, hides) in zip(places, skies, strict=True):
        found = {
            "sky": _of_sky(share, hides),
            "reach": _of_reach(plan, place, flights, link),
            "clear": _of_clearance(plan, place, shapes),
            "mark": _of_marks(plan, place, marks),
            "access": _of_access(plan, place, shapes),
        }
        asked = {name: one for name, one in found.items() if one is not None}
        parts = {name: grade for name, (grade, _) in asked.items()}
        weight = sum(WEIGHTS[name] for name in parts)
        score = sum(WEIGHTS[name] * grade for name, grade in parts.items()) / weight
        lost = sorted(parts, key=lambda name: -WEIGHTS[name] * (1 - parts[name]))
        reasons = [words for name in lost if (words := asked[name][1])]
        here = now is not None and math.hypot(place.e - now.e, place.n - now.n) < SAME_PLACE
        out.append(
            BasePlace(
                e=place.e,
                n=place.n,
                mark=place.id,
                name=place.name,
                here=here,
                score=score,
                parts=parts,
                reasons=reasons,
            )
        )
    return out


def _skies(plan: Plan, places: list[KnownPlace]) -> list[tuple[float, str]]:
    """For each place the share of an open sky's satellites that it sees over the day, and what hides the most."""
    if not places:
        return []
    start = midnight(ANY_DAY)
    moments = np.asarray(start + 60.0 * np.arange(0, 24 * 60, EVERY), dtype=np.float64)
    e, n = (np.array([getattr(p, axis) for p in places]) for axis in ("e", "n"))
    ground = plan.surface.at(e, n) if plan.surface else np.zeros(len(places))
    eyes = np.nan_to_num(ground) + ANTENNA
    lon, lat = plan.grid.to_geodetic(e, n)
    where = np.column_stack([lon, lat, eyes + plan.grid.separation(e, n)])
    parts = [
        parts_of_horizon(plan, Stand(path="", name="", e=p.e, n=p.n, eye=float(eye)))
        for p, eye in zip(places, eyes, strict=True)
    ]
    horizons: Floats = np.array([np.max([np.zeros(360), *(part for _, part in some)], axis=0) for some in parts])
    own = nominal()
    seen = sky(own, moments, where, horizons, MASK).counts.mean(axis=1)
    open_sky = float(sky(own, moments, where[:1], np.zeros((1, 360)), MASK).counts.mean())
    return [(float(s) / open_sky, _hides(some)) for s, some in zip(seen, parts, strict=True)]


def _hides(parts: list[tuple[str, Floats]]) -> str:
    if not parts:
        return ""
    name, profile = max(parts, key=lambda part: float(np.clip(part[1] - MASK, 0, None).sum()))
    at = int(np.argmax(profile))
    return f"{name}, {profile[at]:.0f}° high to the {WINDS[round(at / 45) % 8]}" if profile[at] > MASK else ""


def _of_sky(share: float, hides: str) -> tuple[float, str]:
    grade = float(np.clip((share - CLOSED) / (OPEN - CLOSED), 0.0, 1.0))
    if share >= OPEN:
        return grade, "open sky"
    return grade, f"{100 * (1 - share):.0f} % of the satellites hidden" + (f": {hides}" if hides else "")


def _flights(plan: Plan) -> tuple[list[FlightPlan], Link | None]:
    """The flights that live corrections are to reach, and by what; none where nobody has said how they leave the
    base."""
    base = _base(plan)
    if base is None or base.link is None:
        return [], None
    live = [f for f in all_flown(plan) if f.flight.corrections in ("live", "both")]
    return [f for f in live if f.flight.positioned_from == OnSetUp(setup=base.id)], base.link


def _of_reach(plan: Plan, place: KnownPlace, flights: list[FlightPlan], link: Link | None) -> tuple[float, str] | None:
    if link is None or not flights:
        return None
    mark = Mark(id="place", name="place", e=place.e, n=place.n, h=_height(plan, place))
    out = total = 0
    for flight in flights:
        some = np.unique(np.linspace(0, len(flight.e) - 1, SAMPLE).astype(np.int64))
        found = reach_by(plan, flight, mark, link, flight.flight.take_off or (place.e, place.n), some)
        out, total = out + len(found.out), total + len(some)
    share = 1 - out / total
    return share, "reaches every exposure" if not out else f"{100 * (1 - share):.0f} % of the exposures not reached"


def _height(plan: Plan, place: KnownPlace) -> float:
    ground = float(plan.surface.at(np.array([place.e]), np.array([place.n]))[0]) if plan.surface else 0.0
    return ground if math.isfinite(ground) else 0.0


def _of_clearance(plan: Plan, place: KnownPlace, shapes: Shapes) -> tuple[float, str]:
    """By the thing that is too near for how tall it is."""
    found = nearest_upright(shapes, place.e, place.n, plan.policy["base-clearance"])
    if found is None or found[1] >= found[2]:
        return 1.0, ""
    feature, away, wanted = found
    unit = plan.brief.unit
    return away / wanted, f"{length(away, unit)} from {feature.name}, {length(wanted, unit)} asked"


def _of_marks(plan: Plan, place: KnownPlace, marks: list[KnownPlace]) -> tuple[float, str]:
    if place.name and place.known:
        return 1.0, "known coordinates"
    known = [m for m in marks if m.known]
    away = min((math.hypot(place.e - m.e, place.n - m.n) for m in known), default=math.inf)
    near = float(np.clip((NO_MARK - away) / (NO_MARK - BESIDE_MARK), 0.0, 1.0)) / 2
    if math.isinf(away):
        return 0.0, "no known mark about"
    return near, f"no mark: {length(away, plan.brief.unit)} to the nearest"


def _of_access(plan: Plan, place: KnownPlace, shapes: Shapes) -> tuple[float, str] | None:
    ways = [shape for f, shape in shapes if f.kind in ("access", "gate")]
    if not ways:
        return None
    away = min(float(shape.distance(Point(place.e, place.n))) for shape in ways)
    grade = float(np.clip((FAR - away) / (FAR - NEAR), 0.0, 1.0))
    return grade, f"{length(away, plan.brief.unit)} from the nearest access"


def _told(plan: Plan, ranked: list[BasePlace]) -> str:
    if not ranked:
        return (
            "Nowhere on this site can a base stand: every place is kept out of, steep, or on ground that nobody knows."
        )
    best, own = ranked[0], next((p for p in ranked if p.here), None)
    if own is None:
        return "The base stands on none of these places."
    if own is best:
        return "The base stands on the best of them."
    if round(own.score, 2) == round(best.score, 2):
        return f"The base stands on one of the best of them: none is better than its {own.score:.2f}."
    return (
        f"The base stands on number {ranked.index(own) + 1} of {len(ranked)}: {own.score:.2f} against {best.score:.2f}."
    )
