"""Rules of the Site: what the ground is known by."""

from collections.abc import Iterator

from kardo.core.errors import KardoError
from kardo.core.flight.areas import ground_scale, site_polygon
from kardo.core.geodesy.units import area, length, place
from kardo.core.practice.catalogue import FIELD, Finding, Rule, View, rule
from kardo.core.terrain.gaps import gaps


@rule(
    "ground-gap",
    "Is the ground known over the whole site?",
    "stop",
    "site",
    None,
    "Over a gap of the terrain nothing is predicted, and the figures are those of the rest.",
    FIELD,
)
def _gap(r: Rule, view: View) -> Iterator[Finding]:
    surface = view.plan.surface
    if surface is None or len(view.plan.site.boundary) < 3:
        return
    try:
        found = gaps(surface, site_polygon(view.plan), ground_scale(view.plan))
    except KardoError:
        return  # a boundary that crosses itself is told where it is
    if found is not None:
        unit = view.plan.brief.unit
        spot = place(found.e, found.n, unit)
        words = (
            f"The terrain has no heights over {area(found.area, unit)} of the site ({found.share:.0%}), most of it about "
            f"{spot}; nothing is predicted there."
        )
        yield r.found(words, "Bring in terrain that covers the site.", measured=found.share)


@rule(
    "ground-level",
    "Is there a terrain?",
    "note",
    "site",
    None,
    "On level ground overlap, clearance and pixel size are those of a table; the day's are not.",
    FIELD,
)
def _level(r: Rule, view: View) -> Iterator[Finding]:
    ground, unit = view.plan.site.ground, view.plan.brief.unit
    if ground.terrain is None and ground.level is not None:
        about = f", relief {length(ground.level.relief, unit)}" if ground.level.relief else ""
        words = (
            f"This plan stands on level ground at {length(ground.level.height, unit, 1)}{about}: no terrain is at hand."
        )
        yield r.found(words, "Bring in a terrain before anything is flown.")
