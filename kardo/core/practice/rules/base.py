"""Rules of the Base: marks, set-ups, antenna heights."""

from collections.abc import Iterator

import numpy as np

from kardo.core.control.local import fault_of_local
from kardo.core.errors import KardoError
from kardo.core.flight.air.reach import reach
from kardo.core.geodesy.antenna import outvoted
from kardo.core.geodesy.units import length, small
from kardo.core.gnss.heights import vertical_height
from kardo.core.parts import to_json
from kardo.core.plan.brief import State
from kardo.core.plan.edits import field_edits
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark, OnSetUp, SetUp
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, newer_in_library, rule
from kardo.core.practice.local_grid import local_told


def _flown_from(plan: Plan) -> list[tuple[SetUp, Mark]]:
    """Set-ups that a flight rests on, with their marks."""
    hung = {f.positioned_from.setup for f in plan.flights if isinstance(f.positioned_from, OnSetUp)}
    pairs = [(s, plan.mark(s.mark)) for s in plan.setups if s.id in hung]
    return [(s, mark) for s, mark in pairs if mark is not None]


@rule("base-height-system")
def _height_system(r: Rule, view: View) -> Iterator[Finding]:
    plan, unit = view.plan, view.plan.brief.unit
    if plan.surface is None or not plan.brief.crs:
        return
    for mark in plan.marks:
        if mark.h is None or not plan.surface.contains(np.array([mark.e]), np.array([mark.n])):
            continue
        off = mark.h - float(plan.surface.at(mark.e, mark.n))
        separation = float(plan.grid.separation(mark.e, mark.n)) if plan.brief.heights != "ellipsoidal" else 0.0
        if abs(off) <= r.threshold:
            continue
        looks = abs(abs(off) - abs(separation)) < r.threshold and separation != 0.0
        words = f"{mark.name} stands {length(off, unit, 1)} from the terrain"
        words += (
            f", close to the geoid separation of {length(separation, unit, 1)}: is its height ellipsoidal?"
            if looks
            else ": one of the two heights is wrong."
        )
        mended = round(mark.h - separation * float(np.sign(off) * np.sign(separation)), 4)
        yield finding(
            r,
            words,
            "Type the height in the job's system, or change the system in the Brief.",
            f"marks/{mark.id}",
            off,
            field_edits(f"marks/{mark.id}", mark, h=mended) if looks else (),
            f"convert to {length(mended, unit, 3)}" if looks else "",
        )


@rule("base-readings")
def _readings(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    for setup in plan.setups:
        if setup.support != "tripod" or plan.mark(setup.mark) is None or not setup.readings:
            continue
        path = f"setups/{setup.id}"
        try:
            verticals = [vertical_height(plan, setup, reading) for reading in setup.readings]
        except KardoError as fault:
            yield finding(r, view.of_set_up(setup.name, fault.what), fault.mend, path)
            continue
        spread = max(verticals) - min(verticals)
        if spread > r.threshold + 1e-9:
            words = view.of_set_up(
                setup.name, f"the antenna height readings differ by {small(spread, plan.brief.unit)}."
            )
            mend = f"Measure again: {small(r.threshold, plan.brief.unit)} apart at most."
            odd = outvoted(verticals, r.threshold)
            if odd is None:
                yield finding(r, words, mend, path, spread)
                continue
            words += f" Number {odd.which + 1} is {small(abs(odd.off), plan.brief.unit)} from the others, which agree."
            kept = [to_json(s) for k, s in enumerate(setup.readings) if k != odd.which]
            edits = field_edits(path, setup, readings=kept)
            yield finding(r, words, mend, path, spread, edits, f"leave out number {odd.which + 1}")


@rule("base-distance")
def _distance(r: Rule, view: View) -> Iterator[Finding]:
    plan, unit = view.plan, view.plan.brief.unit
    for f in view.flights:
        mark = plan.base_mark(f.flight.positioned_from) if f.flight.corrected else None
        if mark is None:
            continue
        away = float(np.hypot(f.e - mark.e, f.n - mark.n).max())
        if away > r.threshold:
            off = small(away * plan.assume["fixed_ppm"] * 1e-6, unit)
            words = (
                f"it reaches {length(away, unit)} from its base on {mark.name}: ±{off} each axis, nearly the same all"
                " over."
            )
            mend = "Set a base up nearer, or observe control and check points from a mark near the site as well."
            yield finding(r, view.of_flight(f.flight.name, words), mend, f"flights/{f.flight.id}", away)


@rule("base-reach")
def _reach(r: Rule, view: View) -> Iterator[Finding]:
    plan, unit = view.plan, view.plan.brief.unit
    for f in view.flights:
        found = reach(plan, f) if f.flight.corrections == "live" else None
        if found is None or not found.out:
            continue
        if found.linked:
            what = (
                f"{len(found.out)} of {len(f.e)} exposures get no corrections: out of sight, or too far from the"
                " take-off place."
            )
        else:
            what = f"no corrections come to the take-off place, {length(found.away, unit)} from the base."
        words = view.of_flight(f.flight.name, what)
        yield finding(
            r,
            words,
            "Log raw as well, or stand where they reach (Base, reach).",
            f"flights/{f.flight.id}",
            len(found.out),
        )


@rule("base-taped-once")
def _taped_once(r: Rule, view: View) -> Iterator[Finding]:
    for setup, _ in _flown_from(view.plan):
        if setup.support == "tripod" and 0 < len(setup.readings) < r.threshold:
            count = len(setup.readings)
            told = "only once" if count == 1 else f"{count} times"
            words = view.of_set_up(setup.name, f"the antenna height is planned to be taped {told}.")
            asked = "twice" if r.threshold <= 2 else f"{r.threshold:.0f} times"
            yield finding(r, words, f"Measure it {asked}, two ways.", f"setups/{setup.id}", count)


@rule("base-read-one-way")
def _one_way(r: Rule, view: View) -> Iterator[Finding]:
    for setup, _ in _flown_from(view.plan):
        ways = {(reading.measured_to, _in_feet(reading.typed, view.plan.brief.unit)) for reading in setup.readings}
        if setup.support == "tripod" and len(setup.readings) > 1 and len(ways) == 1:
            words = view.of_set_up(setup.name, "every reading of the antenna height is planned the same way.")
            yield finding(r, words, "Read one as a vertical height, or in the other unit.", f"setups/{setup.id}")


def _in_feet(typed: str, unit: str) -> bool:
    """Whether a length was typed in feet and inches; a bare figure is in the job's unit."""
    if any(sign in typed for sign in ("'", '"', "ft", "in")):
        return True
    return "m" not in typed and unit != "m"


@rule("local-grid-unsound")
def _local_grid(r: Rule, view: View) -> Iterator[Finding]:
    if view.plan.brief.local is None or fault_of_local(view.plan):
        return
    for remark in local_told(view.plan).remarks:
        if remark.severity != "note":
            yield finding(r, remark.words, remark.mend, "brief/local")


@rule("base-mark-unsettled")
def _unsettled(r: Rule, view: View) -> Iterator[Finding]:
    for mark in {m.id: m for _, m in _flown_from(view.plan)}.values():
        if mark.known in ("published", "local") or (mark.known == "static" and mark.hours >= r.threshold):
            continue
        words = (
            _of_here(mark, view.plan.brief.state)
            if mark.known == "here"
            else (
                f"{mark.name} rests on {mark.hours:g} h of logging; below four hours the figures are only a cautious"
                " guess."
            )
        )
        mend = "Log four hours or more and post-process, or stand on a known mark."
        if mark.known == "here" and mark.shift_hours is not None:
            mend = "Shift the block in Close once its log is post-processed; nothing is delivered before."
        yield finding(r, words, mend, f"marks/{mark.id}", mark.hours)


def _of_here(mark: Mark, state: State) -> str:
    if mark.shift_hours is None:
        return f"{mark.name} has the position it was given on the spot, and no shift is planned."
    shown = "that once it is shifted" if state == "shifted" else "that before it is shifted"
    return (
        f"{mark.name} has the position it was given on the spot: the verdict is {shown} by {mark.shift_hours:g} h of"
        " its log."
    )


@rule("antenna-newer")
def _newer(r: Rule, view: View) -> Iterator[Finding]:
    yield from newer_in_library(r, view, ("antennas",))


@rule("base-log-interval")
def _interval(r: Rule, view: View) -> Iterator[Finding]:
    for setup in view.plan.setups:
        if setup.log is not None and setup.log.interval_s > r.threshold:
            words = view.of_set_up(setup.name, f"the base logs every {setup.log.interval_s:g} s.")
            path = f"setups/{setup.id}"
            edits = field_edits(f"{path}/log", setup.log, interval_s=r.threshold)
            mend = f"Set the receiver to {r.threshold:g} s."
            yield finding(r, words, mend, path, setup.log.interval_s, edits, f"log every {r.threshold:g} s")
