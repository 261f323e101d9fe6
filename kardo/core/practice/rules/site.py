"""Rules of the Site: what the ground is known by, how old its picture is, and the airspace over it."""

import datetime
from collections.abc import Iterator

from kardo.core.errors import KardoError
from kardo.core.flight.air.ceilings import Above, above_ceilings
from kardo.core.flight.lines.areas import ground_scale, site_polygon
from kardo.core.flight.lines.lower import Lower, below
from kardo.core.geodesy.units import area, length, place
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule
from kardo.core.terrain.gaps import gaps


@rule("ground-gap")
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
            f"The terrain has no heights over {area(found.area, unit)} of the site ({100 * found.share:.0f} %), most of"
            f" it about {spot}; nothing is predicted there."
        )
        yield finding(r, words, "Bring in terrain that covers the site.", measured=found.share)


@rule("ground-level")
def _level(r: Rule, view: View) -> Iterator[Finding]:
    ground, unit = view.plan.site.ground, view.plan.brief.unit
    if ground.terrain is None and ground.level is not None:
        about = f", relief {length(ground.level.relief, unit)}" if ground.level.relief else ""
        words = (
            f"This plan stands on level ground at {length(ground.level.height, unit, 1)}{about}: no terrain is at hand."
        )
        yield finding(r, words, "Bring in a terrain before anything is flown.")


@rule("backdrop-old")
def _old_backdrop(r: Rule, view: View) -> Iterator[Finding]:
    """By days from the picture to the first visit that has a date."""
    visit = min((v.date for v in view.plan.visits if v.date), default="")
    for picture in view.plan.site.backdrops:
        path = f"site/backdrops/{picture.id}"
        if not picture.taken:
            yield finding(r, f"Nobody said when {picture.name} was taken.", "Give its date.", path)
            continue
        days = (_day(visit) - _day(picture.taken)).days if visit else 0
        if days > r.threshold:
            words = f"{picture.name} is {days} days older than the visit of {visit}."
            yield finding(r, words, "Look on site before you trust it, or bring in a newer one.", path, days)


def _day(date: str) -> datetime.date:
    try:
        return datetime.date.fromisoformat(date)
    except ValueError:
        return datetime.date.max


@rule("airspace-ceiling")
def _ceiling(r: Rule, view: View) -> Iterator[Finding]:
    """Zones that hold at all hours."""
    for one in above_ceilings(view.plan, view.flights):
        if one.hours is None:
            mend = "Fly lower, keep out of it, or ask for leave (Site, airspace)."
            lower = _lower(view, one)
            if lower is not None:
                mend = f"Keep out of it, ask for leave (Site, airspace), or fly lower: {lower.words}."
            edits, label = (lower.edits, f"fly at {length(lower.height, view.plan.brief.unit)}") if lower else ((), "")
            yield finding(r, _over(view, one) + ".", mend, f"site/features/{one.zone.id}", one.highest, edits, label)


def _lower(view: View, one: Above) -> Lower | None:
    try:
        return below(view.plan, one.flight, one.ceiling, one.highest) if one.ceiling > 0 else None
    except KardoError:
        return None


def _over(view: View, one: Above) -> str:
    unit = view.plan.brief.unit
    allowed = "nothing may fly unasked" if one.ceiling == 0 else f"the ceiling is {length(one.ceiling, unit)}"
    words = f"it flies {length(one.highest, unit)} above ground in {one.zone.name}; {allowed}"
    return view.of_flight(one.flight.flight.name, words)


@rule("airspace-hours")
def _hours(r: Rule, view: View) -> Iterator[Finding]:
    for one in above_ceilings(view.plan, view.flights):
        if one.hours is not None:
            words = f"{_over(view, one)} from {one.hours[0]} to {one.hours[1]}."
            mend = "Keep it out of these hours (the Day does), fly lower, or ask for leave (Site, airspace)."
            yield finding(r, words, mend, f"site/features/{one.zone.id}", one.highest)


@rule("airspace-looked-up")
def _looked_up(r: Rule, view: View) -> Iterator[Finding]:
    looked = view.plan.site.airspace_looked_up
    days = [v.date for v in view.plan.visits if v.date and v.date > looked]
    if days and view.plan.flights:
        words = f"The airspace was last looked up on {looked}." if looked else "Nobody has looked up the airspace yet."
        yield finding(r, words, f"Look it up (Site, airspace), and again on {min(days)} before take-off.", "site")
