"""What positions share beside their own noise: by sortie, by flight line, and by the distance to a base."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats, triple
from kardo.core.flight.air.reach import out_of_reach
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.flight.lines.sensor import ImageSensor, ScanSensor
from kardo.core.gnss.occupations import own_growth
from kardo.core.gnss.shifts import Gradient, Shift, gradient
from kardo.core.plan.model import Plan

MOSTLY = 0.5  # share of a sortie's exposures without corrections from which its own error is that of a float position
SORTIE_ERROR = {"fixed": "leg", "float": "float_leg", "code": "code_leg"}


@dataclass(frozen=True)
class SortieError:
    """What satellites do to a sortie's positions beside each exposure's own noise, sigmas (3,) east, north, up in
    metres: for the whole sortie, and anew for each of its flight lines."""

    sortie: Floats
    line: Floats


def leg_errors(plan: Plan, flight: FlightPlan) -> list[SortieError]:
    """Of each sortie, by the state of its positions; where they are corrected from a base, growing with the sortie's
    mean distance to it, as far as others from there do not share that. Float and code positions wander within minutes,
    so a part of theirs is each line's. Source: docs/accuracy.md, sections 2, 7 and 11."""
    assume = plan.assume
    fixed, wander = _of_fixed(flight.sensor, plan)
    mark = plan.base_mark(flight.flight.positioned_from) if flight.flight.corrected else None
    found, out = [], out_of_reach(plan, flight)
    for k in range(len(flight.sorties)):
        on_sortie = flight.sortie == k
        away = (
            np.hypot(flight.e[on_sortie] - mark.e, flight.n[on_sortie] - mark.n).mean()
            if mark and on_sortie.any()
            else 0.0
        )
        lost = on_sortie.any() and out[on_sortie].mean() > MOSTLY and flight.flight.sortie_state(k + 1) == "fixed"
        state = SORTIE_ERROR["float" if lost else flight.flight.sortie_state(k + 1)]
        h, v = fixed if state == "leg" else (assume[f"{state}_h"], assume[f"{state}_v"])
        own, wanders = np.array([h, h, v]), 0.0 if state == "leg" else assume["wander_float"]
        line = own * (wander if state == "leg" else math.sqrt(wanders))
        sortie = own * math.sqrt(1 - wanders)
        found.append(SortieError(np.hypot(sortie, own_growth(float(away), assume)), line))
    return found


def _of_fixed(sensor: ImageSensor | ScanSensor, plan: Plan) -> tuple[tuple[float, float], float]:
    """Sigmas H and V in metres of a sortie's fixed positions, and what share of them is each line's anew: a scanner's
    trajectory is as good as its unit says."""
    if isinstance(sensor, ScanSensor):
        return sensor.scanner.unit.position_m, plan.assume["wander_scan"]
    return (plan.assume["leg_h"], plan.assume["leg_v"]), 0.0


def leg_shifts(plan: Plan, flight: FlightPlan) -> list[Shift]:
    """What the exposures of each sortie share, and those of each line of a sortie whose positions wander."""
    errors, own = leg_errors(plan, flight), flight.flight.id
    sorties = [Shift("leg", f"{own}.{k + 1}", triple(each.sortie)) for k, each in enumerate(errors)]
    lines = sorted({(int(sortie), int(strip)) for sortie, strip in zip(flight.sortie, flight.strip, strict=True)})
    return sorties + [
        Shift("line", line_key(own, sortie, strip), triple(errors[sortie].line))
        for sortie, strip in lines
        if errors[sortie].line.any()
    ]


def line_key(flight: str, sortie: int, strip: int) -> str:
    """The id of what the exposures of one line share; sortie and flight line count from 0."""
    return f"{flight}.{sortie + 1}.{strip + 1}"


def flight_gradient(plan: Plan, flight: FlightPlan) -> Gradient | None:
    """What distance does to a flight's positions, where they are corrected from a base."""
    own = flight.flight
    return gradient(plan, own.positioned_from, own.visit) if own.corrected else None
