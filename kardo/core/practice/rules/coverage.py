"""Rules of coverage: what the images see of the ground as it is, not as a table has it."""

from collections.abc import Iterator

import numpy as np

from kardo.core.arrays import Bools
from kardo.core.flight.ground.coverage import Coverage, GroundCells, Spread
from kardo.core.geodesy.units import area, place, small
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule


@rule("map-uncovered")
def _uncovered(r: Rule, view: View) -> Iterator[Finding]:
    """By square metres."""
    seen = view.coverage
    if seen is not None and (missing := seen.area(seen.holes)) > r.threshold:
        words = f"Fewer than two images see {where_of(view, seen, seen.holes)}."
        yield finding(r, words, "Raise the overlap or the margin, or fly it from another side.", measured=missing)


def where_of(view: View, seen: GroundCells, cells: Bools) -> str:
    """How much of the site some cells (rows, cols) are, and where most of them lie."""
    unit = view.plan.brief.unit
    return f"{area(seen.area(cells), unit)} of the site, most of it about {place(*seen.middle_of(cells), unit)}"


@rule("coverage-strips")
def _strips(r: Rule, view: View) -> Iterator[Finding]:
    """By the share of the site."""
    seen = view.coverage
    if seen is not None and (share := _share(seen, seen.narrow)) > r.threshold:
        words = f"Fewer than three flight lines see {where_of(view, seen, seen.narrow)}."
        yield finding(
            r, words, "Add flight lines beside it, or crossing ones; put a control point there.", measured=share
        )


def _share(seen: Coverage, cells: Bools) -> float:
    return float(np.count_nonzero(cells)) / max(int(np.count_nonzero(seen.seen)), 1)


@rule("coverage-corners")
def _corners(r: Rule, view: View) -> Iterator[Finding]:
    """By the share of the site."""
    seen = view.coverage
    if seen is not None and (share := _share(seen, seen.by_corners)) > r.threshold:
        words = f"Only corners of frames see {where_of(view, seen, seen.by_corners)}."
        yield finding(
            r, words, "Raise the margin: lines beyond the boundary bring frames' middles to its edge.", measured=share
        )


@rule("coverage-overlap")
def _overlap(r: Rule, view: View) -> Iterator[Finding]:
    """By the least overlap in percent of two neighbouring images, along and across."""
    names = {f.id: f.name for f in view.plan.flights}
    for one in view.coverage.overlaps if view.coverage else ():
        for what, least, median, at in (
            ("forward", one.forward, one.forward_median, one.forward_at),
            ("side", one.side, one.side_median, one.side_at),
        ):
            if at is not None and least is not None and least < r.threshold:
                spot = place(*at, view.plan.brief.unit)
                words = f"{what} overlap of {median:.0f} % in the middle falls to {least:.0f} % about {spot}."
                mend = "Follow the terrain, fly higher, or plan with more overlap for the highest ground."
                yield finding(r, view.of_flight(names[one.flight], words), mend, f"flights/{one.flight}", least)


@rule("coverage-pixel")
def _pixel(r: Rule, view: View) -> Iterator[Finding]:
    """By how many times the middle one the coarsest pixel is."""
    seen = view.coverage
    if seen is None or not (known := seen.seen & np.isfinite(seen.gsd)).any():
        return
    gsd = Spread.of(seen.gsd[known])
    if gsd.most > r.threshold * gsd.median:
        unit, coarse = view.plan.brief.unit, known & (seen.gsd > r.threshold * gsd.median)
        words = (
            f"A pixel is {small(gsd.median, unit)} in the middle and {small(gsd.most, unit)} about"
            f" {place(*seen.middle_of(coarse), unit)}."
        )
        yield finding(r, words, "Follow the terrain, or fly the low ground by itself.", measured=gsd.most / gsd.median)
