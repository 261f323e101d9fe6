"""Rules of the Brief: grid and unit."""

from collections.abc import Iterator

from kardo.core.errors import KardoError
from kardo.core.flight.areas import site_polygon
from kardo.core.geodesy.units import UNITS
from kardo.core.practice.catalogue import FIELD, Finding, Rule, View, rule


@rule(
    "grid-unit",
    "Is the job in the grid's own unit?",
    "note",
    "brief",
    None,
    "Coordinates typed in one unit and taken in another are off by a factor, or by two parts in a million between the two feet.",
    FIELD,
)
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
        yield r.found(words, "See that lists and devices say their unit.", measured=own)


@rule(
    "grid-scale",
    "Are lengths on the grid lengths on the ground?",
    "warn",
    "brief",
    1000.0,
    "Spacing, areas and volumes are planned on the ground; distances taken from a list of coordinates, or set out by one, are the grid's.",
    "a part in a thousand is more than any national grid has over its own area",
)
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
        words = f"Lengths on {plan.grid.name} are {abs(ppm) / 1e4:.2f} % {'longer' if ppm > 0 else 'shorter'} than on the ground here."
        yield r.found(words, "Choose a grid that is made for this place.", measured=ppm)
