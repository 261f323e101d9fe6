"""What is to be said of a local grid: its parameters, how its points fit and how well each is checked, and control in
it."""

from dataclasses import dataclass

import numpy as np
from shapely import MultiPoint, Polygon

from kardo.core.arrays import Floats
from kardo.core.control.local import calibrated, fault_of_local, local_system
from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.lines.areas import ground_scale, site_polygon
from kardo.core.geodesy.fit import MOST_SCALE
from kardo.core.geodesy.similarity import Fitted, Similarity, detectable
from kardo.core.geodesy.units import UNITS, small
from kardo.core.gnss.remark import Remark, worst_first
from kardo.core.parts import validated
from kardo.core.plan.heights import heights_of
from kardo.core.plan.local import LocalGrid
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark

LEAST_CHECKED = 0.25  # of an observation's own weight: below, less than half of its error shows in its residual
LEAST_TESTED = LEAST_CHECKED / 10  # of an observation's own weight: below, its residual says nothing of it
SUSPECT = 3.29  # sigmas of a residual, which one in a thousand passes
WORSE_THAN_SAID = 1.5  # times the stated sigma, from which the points are said to disagree
BEYOND = 0.1  # of the site that may lie outside the points before it is said


@dataclass(frozen=True)
class LocalFit:
    """How a point fits: residuals in metres, local less transformed, None for what it does not count for; redundancy 0
    to 1; the smallest gross error in metres that its own test would show, None where nothing checks it; test: its
    largest residual over that residual's own sigma, None likewise; suspect: larger than chance makes it."""

    id: str
    east: float | None
    north: float | None
    up: float | None
    checked_h: float | None
    checked_v: float | None
    shows_h: float | None
    shows_v: float | None
    test: float | None
    suspect: bool


@dataclass(frozen=True)
class LocalPlace:
    """Something of the plan in local coordinates, metres."""

    name: str
    role: str
    e: float
    n: float
    h: float | None


@dataclass(frozen=True)
class LocalTold:
    """A local grid as it is. Parameters as docs/accuracy.md, section 14, has them: about in grid metres, moved in
    metres, scale, turn in degrees (bearings in local less those in the grid), rise in metres a metre; ground_scale:
    grid lengths over those on the ground at the site; worse_h and worse_v: how many times the stated sigmas the points
    disagree by, None without redundancy."""

    about: tuple[float, float]
    moved: tuple[float, float, float]
    scale: float
    turn: float
    rise: tuple[float, float]
    heights: bool
    ground_scale: float | None
    worse_h: float | None
    worse_v: float | None
    points: list[LocalFit]
    places: list[LocalPlace]
    remarks: list[Remark]


def local_told(plan: Plan) -> LocalTold:
    """Of the plan's local grid. Raises PlanError where it has none, GeodesyError where its points do not determine
    it."""
    local = plan.brief.local
    if local is None:
        raise PlanError("This plan has no local grid.", where="Base, local grid", mend="Choose one.")
    system = local_system(local)
    te, tn, _, _, c, *_ = (float(v) for v in system.parameters)
    found = calibrated(local) if local.kind == "calibrated" else None
    points = _fits(local, found) if found else []
    worse: list[float | None] = [None if np.isnan(f) else float(f) for f in found.factor] if found else [None, None]
    try:
        scale = ground_scale(plan)
    except KardoError:
        scale = None
    remarks = _of_points(plan, local, points) + _of_whole(plan, local, system, worse, scale) if found else []
    return LocalTold(
        about=system.about,
        moved=(te - system.about[0], tn - system.about[1], c),
        scale=system.scale,
        turn=-float(np.degrees(system.turn)),
        rise=system.tilt,
        heights=system.heights,
        ground_scale=scale,
        worse_h=worse[0],
        worse_v=worse[1],
        points=points,
        places=_places(plan, system),
        remarks=worst_first(remarks),
    )


def local_words(plan: Plan) -> str:
    """The plan's local grid in a sentence, for the report; empty where it has none, or none that holds."""
    local = plan.brief.local
    if local is None or fault_of_local(plan):
        return ""
    system = local_system(local)
    used = sum(p.plane for p in local.points)
    how = f"a similarity from {used} points known in both" if local.kind == "calibrated" else "as it was stated"
    heights = "heights with it" if system.heights else "heights the job's"
    turned = f"bearings turned by {-np.degrees(system.turn):.6f}°"
    return f"Delivered in “{local.name}”, {how}: scale {system.scale:.8f}, {turned}; {heights}."


def marks_of_local(plan: Plan, places: list[tuple[str, float, float, float | None]]) -> list[Mark]:
    """Marks that the local grid has, from their names and local metres, where the job's grid has them: known in the
    local grid. Raises PlanError where the plan has no local grid, or a place is beyond any grid; GeodesyError where its
    points do not determine it."""
    if plan.brief.local is None:
        raise PlanError("This plan has no local grid.", where="Base, local grid", mend="Calibrate, or state one first.")
    system, taken = local_system(plan.brief.local), {m.id for m in plan.marks}
    out = []
    for name, e, n, h in places:
        back = system.back(np.array(e), np.array(n), np.array(np.nan if h is None else h))
        at = dict(zip(("e", "n", "h"), (round(float(v), 4) if np.isfinite(v) else None for v in back), strict=True))
        key = next(k for i in range(1, 999) if (k := f"LM{i}") not in taken)
        taken.add(key)
        out.append(validated(Mark, {"id": key, "name": name, "known": "local", **at}, name))
    return out


def ground_coordinates(plan: Plan) -> LocalGrid:
    """Coordinates whose lengths are those on the ground at the site: the job's grid over its combined factor, about the
    site's middle to the metre. Raises PlanError before there is a site, GeodesyError where the grid does not reach
    it."""
    middle = site_polygon(plan).representative_point()
    factor = round(1 / ground_scale(plan), 9)
    return LocalGrid(name="ground", kind="stated", factor=factor, e0=round(middle.x), n0=round(middle.y))


def _fits(local: LocalGrid, found: Fitted) -> list[LocalFit]:
    sigma = np.array([local.sigma_h, local.sigma_h, local.sigma_v])
    least = np.column_stack(
        [detectable(found.redundancy[:, k], s) for k, s in enumerate((local.sigma_h, local.sigma_v))]
    )
    checked = found.redundancy[:, [0, 0, 1]]
    with np.errstate(divide="ignore", invalid="ignore"):
        tests = np.abs(found.residuals) / (sigma * np.sqrt(checked))
    tests[~(checked > LEAST_TESTED)] = np.nan
    out = []
    for k, point in enumerate(local.points):
        figures = (*found.residuals[k], *found.redundancy[k], *least[k], np.fmax.reduce(tests[k]))
        east, north, up, in_plan, in_height, plan_shows, height_shows, test = [
            float(v) if np.isfinite(v) else None for v in figures
        ]
        bad = test is not None and test > SUSPECT
        out.append(
            LocalFit(
                id=point.id,
                east=east,
                north=north,
                up=up,
                checked_h=in_plan,
                checked_v=in_height,
                shows_h=plan_shows,
                shows_v=height_shows,
                test=test,
                suspect=bad,
            )
        )
    return out


def _of_points(plan: Plan, local: LocalGrid, fits: list[LocalFit]) -> list[Remark]:
    unit, names = plan.brief.unit, {p.id: p.name for p in local.points}
    out = []
    worst = max((f for f in fits if f.suspect), key=lambda f: f.test or 0.0, default=None)
    if worst:
        words = f"{names[worst.id]} does not fit: {small(_size(worst), unit)} off, more than its sigma allows."
        out.append(Remark("warn", words, "Look at it before the others, for it pulls on them: leave it out and see."))
    bare = [names[f.id] for f in fits if f.checked_h is not None and f.checked_h < LEAST_CHECKED]
    if bare:
        words = f"{', '.join(bare)}: hardly checked in plan by the others; an error there would show in no residual."
        out.append(Remark("warn", words, "Measure a further point, best around the site."))
    bare = [names[f.id] for f in fits if f.checked_v is not None and f.checked_v < LEAST_CHECKED]
    if bare:
        words = f"{', '.join(bare)}: hardly checked in height by the others."
        out.append(Remark("warn", words, "Measure a further point with a height, or take the height as a shift alone."))
    return out


def _size(fit: LocalFit) -> float:
    return float(np.linalg.norm([v for v in (fit.east, fit.north, fit.up) if v is not None]))


def _of_whole(
    plan: Plan, local: LocalGrid, system: Similarity, worse: list[float | None], scale: float | None
) -> list[Remark]:
    unit, out = plan.brief.unit, []
    for factor, sigma, what in zip(worse, (local.sigma_h, local.sigma_v), ("in plan", "in height"), strict=True):
        if factor is not None and factor > WORSE_THAN_SAID:
            words = (
                f"{what.capitalize()} the points disagree {factor:.1f} times more than the {small(sigma, unit)} stated;"
                " the prediction takes what they show."
            )
            out.append(Remark("warn", words, "Find the point that is wrong, or state what they are good for."))
    outside = _outside(plan, local)
    if outside > BEYOND:
        words = (
            f"{100 * outside:.0f} % of the site lies outside the points: there the calibration is carried on, and its"
            " error grows."
        )
        out.append(Remark("warn", words, "Measure points around the whole site."))
    if abs(system.scale - 1) > MOST_SCALE:
        words = f"Local lengths are {system.scale:.4f} times the grid's: are they in another unit?"
        out.append(Remark("stop", words, "Give both in the job's unit, and check which columns are which."))
    elif scale is not None and local.scale == "free":
        ppm = (system.scale * scale - 1) * 1e6
        more = "longer" if ppm > 0 else "shorter"
        words = (
            f"Local lengths are {abs(ppm):.0f} ppm {more} than those on the ground: {abs(ppm) * 1e-3:.3f}"
            f" {UNITS[unit].short} in 1000."
        )
        out.append(
            Remark(
                "note", words, "A local grid is mostly meant to be ground lengths: some ten ppm come from its points."
            )
        )
    return out


def _outside(plan: Plan, local: LocalGrid) -> float:
    """Share of the site that lies outside the points used in plan; 0 before there is a site."""
    try:
        site = site_polygon(plan)
    except PlanError:
        return 0.0
    around = MultiPoint([(p.e, p.n) for p in local.points if p.plane]).convex_hull
    inside = site.intersection(around).area if isinstance(around, Polygon) else 0.0
    return 1.0 - inside / site.area


def _places(plan: Plan, system: Similarity) -> list[LocalPlace]:
    """Control, then marks, in local coordinates."""
    heights: Floats = heights_of(plan, plan.control)
    rows: list[tuple[str, str, float, float, float]] = [
        (p.name, p.role, p.e, p.n, float(h)) for p, h in zip(plan.control, heights, strict=True)
    ]
    rows += [(m.name, "mark", m.e, m.n, plan.mark_height(m)) for m in plan.marks]
    if not rows:
        return []
    e, n, h = system.there(*np.array([row[2:] for row in rows]).T)
    return [
        LocalPlace(name=name, role=role, e=float(x), n=float(y), h=float(z) if np.isfinite(z) else None)
        for (name, role, *_), x, y, z in zip(rows, e, n, h, strict=True)
    ]
