"""Rules of the Brief: grid and unit."""

from collections.abc import Iterator

from kardo.core.errors import KardoError
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS, length, small
from kardo.core.parts import to_json
from kardo.core.plan.edits import field_edits
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule
from kardo.core.practice.own_geoid import against_world


@rule("grid-unit")
def _unit(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    if not plan.brief.crs:
        return
    try:
        own = plan.grid.metres_per_unit
    except KardoError:
        return
    unit = UNITS[plan.brief.unit]
    if abs(own / float(unit.metres) - 1) > 1e-9:
        theirs = next((u.name for u in UNITS.values() if abs(own / float(u.metres) - 1) < 1e-9), f"{own:g} m")
        words = f"The grid's own unit is the {theirs}; this job is in {unit.plural}."
        yield finding(r, words, "See that lists and devices say their unit.", measured=own)


@rule("grid-scale")
def _scale(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    if not plan.brief.crs or len(plan.site.boundary) < 3:
        return
    try:
        middle = site_polygon(plan).representative_point()
        ppm = (plan.grid.combined_factor(middle.x, middle.y, 0.0) - 1) * 1e6
    except KardoError:
        return
    if abs(ppm) > r.threshold:
        words = (
            f"Lengths on {plan.grid.name} are {abs(ppm) / 1e4:.2f} % {'longer' if ppm > 0 else 'shorter'} than on the"
            " ground here."
        )
        yield finding(r, words, "Choose a grid that is made for this place.", measured=ppm)


@rule("separation-place")
def _separation(r: Rule, view: View) -> Iterator[Finding]:
    found = against_world(view.plan) if view.plan.brief.crs else None
    if found is not None and abs(found.above) > r.threshold:
        unit, side = view.plan.brief.unit, "above" if found.above > 0 else "below"
        words = (
            f"The separation stated for {height_name(view.plan.brief.heights)} is {length(abs(found.above), unit, 2)}"
            f" {side} that of EGM96 here."
        )
        yield finding(r, words, "Look at its sign, its unit and its place.", "brief", found.above)


@rule("separation-slope")
def _slope(r: Rule, view: View) -> Iterator[Finding]:
    found, stated = against_world(view.plan) if view.plan.brief.crs else None, view.plan.brief.separation
    if found is None or stated is None or found.changes <= r.threshold * stated.sigma:
        return
    unit = view.plan.brief.unit
    words = (
        f"From one end of the site to the other the geoid leans by {small(found.changes, unit)} against the separation"
        f" that is stated, which is good to {small(stated.sigma, unit)}."
    )
    edits = field_edits("brief", view.plan.brief, separation=to_json(found.sloped))
    yield finding(
        r, words, "State its slopes, or take those of EGM96.", "brief", found.changes, edits, "take EGM96's slopes"
    )
