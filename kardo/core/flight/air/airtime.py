"""The time in the air, line by line: speed over the ground in a wind, turns, the battery at the end of each line, what
stays in sight of the pilot, and how sorties that are too short for post-processing are made longer."""

import contextlib
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.air.cautions import before_take_off
from kardo.core.flight.air.pilot import seen_from_take_offs
from kardo.core.flight.lines.pattern import SLOWEST, FlightPlan, flown
from kardo.core.flight.lines.wind import wind_of
from kardo.core.geodesy.units import speed
from kardo.core.plan.edits import Edit, part_edits
from kardo.core.plan.flights import Flight, ParallelLines, WallLines
from kardo.core.plan.model import Plan

WINDY = 1 / 3  # of the cruising speed, from which lines across the wind are better
CARD_GB = 60.0  # that a card of 64 GB holds
ALONG = 2.0  # degrees by which a course may differ and still be called the same
GAINED = 0.5  # minutes that other lines must save to be worth laying
STEPS = 20  # by which a value is sought that makes sorties long enough


@dataclass(frozen=True)
class LineInAir:
    """One line: its number and sortie, from 1; course in degrees, metres, metres a second over the ground, minutes on
    it and to the next with its turn; per cent left in the battery at its end; metres to its farthest image from the
    pilot, and how many of its images the pilot cannot see."""

    number: int
    sortie: int
    course: float
    length: float
    speed: float
    minutes: float
    turn_minutes: float
    battery: float
    farthest: float
    unseen: int


@dataclass(frozen=True)
class SortieInAir:
    """One battery: its lines from the first to the last, minutes in all, and those of the way out and home in them, per
    cent on landing, and whether that is its reserve."""

    number: int
    first: int
    last: int
    minutes: float
    out: float
    home: float
    battery: float
    enough: bool
    take_off: tuple[float, float]


@dataclass(frozen=True)
class Longer:
    """A way to make the shortest sortie as long as it must be: what is changed, what all then takes in minutes and
    images, and the edits."""

    words: str
    minutes: float
    images: int
    edits: tuple[Edit, ...]


@dataclass(frozen=True)
class AirTime:
    """A flight in the air, in the wind that it is planned in. take_off: grid metres; starts: where that is, as long as
    nobody chose it; minutes: all sorties. wind: metres a second at flying height. across: minutes where the lines of a
    block lay across it, None without one and where that cannot be flown, or they lie so; by which edits, where
    something is gained. windy: whether it is a third of the airspeed. slowest and fastest over the ground; overlap: per
    cent forward, by time from image to image as planned, at the fastest with the wind behind and the speed through the
    air held; enough: whether that still ties images together. images, gigabytes as JPEG and raw, cards of 64 GB for the
    raw; of a scan gigabytes of returns, and minutes of a sortie that the inertial unit's sequence takes before its
    lines and after. cautions: what is gone through before take-off. shortest sortie and the least it must have in
    minutes, and ways to make it longer where it is too short."""

    flight: str
    take_off: tuple[float, float]
    starts: str
    lines: list[LineInAir]
    sorties: list[SortieInAir]
    minutes: float
    wind: float
    across: float | None
    across_edits: list[Edit]
    windy: bool
    slowest: float
    fastest: float
    overlap: float
    enough: bool
    images: int
    jpeg_gb: float
    raw_gb: float
    scan_gb: float
    cards: int
    before: float
    after: float
    shortest: float
    least: float
    longer: list[Longer]
    told: str
    cautions: list[str]


def air_time(plan: Plan, flight: Flight) -> AirTime:
    """A flight of a plan in its wind. Raises PlanError where it cannot be laid out, or the wind carries it away."""
    f = flown(plan, flight)
    craft, wind = plan.aircraft(flight.aircraft), wind_of(flight)
    far, unseen = _from_pilot(plan, f)
    before, after = f.sequence_minutes
    lines, sorties = list(_lines(plan, f, before, far, unseen)), _sorties(f)
    going = [line.speed for line in lines]
    shortest, least = (
        min(sortie.minutes for sortie in sorties),
        plan.policy["leg-short"] if plan.policy.asks("leg-short") else 0.0,
    )
    overlap = 100 * (1 - (flight.speed_m_per_s + wind.speed) * f.trigger_interval / f.footprint_along)
    jpeg, raw, scan = f.sensor.gigabytes(len(f.e), sum(line.minutes for line in lines))
    windy = wind.speed > WINDY * craft.cruise_m_per_s
    turned = _across(plan, flight, f) if wind.speed else None
    gained = turned is not None and _gains(f, turned, windy)
    across = turned.minutes if turned else None
    return AirTime(
        flight=flight.id,
        take_off=f.take_off[:2],
        starts=_starts(f),
        lines=lines,
        sorties=sorties,
        minutes=f.minutes,
        wind=wind.speed,
        across=across,
        across_edits=list(part_edits(f"flights/{flight.id}", flight, _laid_across(flight))) if gained else [],
        windy=windy,
        slowest=min(going),
        fastest=max(going),
        overlap=overlap,
        enough=not f.images or overlap >= plan.policy["flight-forward"],
        images=f.images,
        jpeg_gb=jpeg,
        raw_gb=raw,
        scan_gb=scan,
        cards=max(1, math.ceil((raw + scan) / CARD_GB)),
        before=before,
        after=after,
        shortest=shortest,
        least=least,
        longer=list(_longer(plan, flight, shortest, least)) if shortest < least else [],
        told=_told(f, sorties, across, gained) + _short(f, craft.accelerate_m_per_s2, plan.brief.unit),
        cautions=before_take_off(plan, f, max(far), sum(unseen)),
    )


def _lines(plan: Plan, f: FlightPlan, before: float, far: list[float], unseen: list[int]) -> Iterator[LineInAir]:
    """Line by line, with the battery at the end of each; before: minutes of the scanner's sequence on the way to the
    first; of each line its farthest image from the pilot and what is not seen."""
    craft, battery = plan.aircraft(f.flight.aircraft), plan.battery(f.flight.battery)
    for number, sortie in enumerate(f.sorties, 1):
        spent = sortie.out + before
        for k in range(sortie.first_strip, sortie.last_strip + 1):
            strip = f.strips[k]
            on_it = strip.length / strip.speed / 60
            turn = (strip.then if k != sortie.last_strip else craft.turn_s) / 60
            spent += on_it
            left = 100 * (1 - spent / battery.minutes)
            yield LineInAir(
                number=k + 1,
                sortie=number,
                course=_course(f, k),
                length=strip.length,
                speed=strip.speed,
                minutes=on_it,
                turn_minutes=turn,
                battery=left,
                farthest=far[k],
                unseen=unseen[k],
            )
            spent += turn


def _sorties(f: FlightPlan) -> list[SortieInAir]:
    return [
        SortieInAir(
            number=number,
            first=sortie.first_strip + 1,
            last=sortie.last_strip + 1,
            minutes=sortie.minutes,
            out=sortie.out,
            home=sortie.home,
            battery=sortie.battery_left,
            enough=sortie.battery_left >= f.flight.reserve_percent - 1e-6,
            take_off=sortie.take_off[:2],
        )
        for number, sortie in enumerate(f.sorties, 1)
    ]


def _short(f: FlightPlan, rate: float, unit: str) -> str:
    """Lines on which the speed is reached at no place: v^2 / a takes speeding up and braking, which the turns' seconds
    hold."""
    never = sum(s.length < f.flight.speed_m_per_s**2 / rate for s in f.strips)
    if not never:
        return ""
    return (
        f" {never} of {len(f.strips)} lines are too short to reach {speed(f.flight.speed_m_per_s, unit)}: a lower speed"
        " costs nothing there."
    )


def _course(f: FlightPlan, k: int) -> float:
    return math.degrees(float(f.course[f.strip == k][0])) % 360


def _from_pilot(plan: Plan, f: FlightPlan) -> tuple[list[float], list[int]]:
    """Of each line the metres to its farthest image from the pilot, and how many images are too far or hidden."""
    away, seen = seen_from_take_offs(plan, f, plan.policy["flight-sight"])
    lines = range(len(f.strips))
    return [float(away[f.strip == k].max()) for k in lines], [int((~seen[f.strip == k]).sum()) for k in lines]


def _across(plan: Plan, flight: Flight, f: FlightPlan) -> FlightPlan | None:
    """The same flight of a block with its lines across the wind; None where they lie so already, or that cannot be
    flown."""
    course = (flight.wind_from_deg + 90) % 180
    if not isinstance(flight.pattern, ParallelLines) or abs((f.main_course - course + 90) % 180 - 90) <= ALONG:
        return None
    with contextlib.suppress(PlanError):
        return flown(plan, _laid_across(flight))
    return None


def _laid_across(flight: Flight) -> Flight:
    return flight.having(course_deg=None, course_by="wind")


def _gains(f: FlightPlan, turned: FlightPlan, windy: bool) -> bool:
    """Whether lines across the wind are worth laying: they are flown sooner, or, in a strong one, at one speed over the
    ground in no more time."""

    def uneven(one: FlightPlan) -> float:
        speeds = [s.speed for s in one.strips]
        return max(speeds) - min(speeds)

    sooner = turned.minutes < f.minutes - GAINED
    evener = windy and uneven(turned) < uneven(f) - SLOWEST and turned.minutes <= f.minutes
    return sooner or evener


def _longer(plan: Plan, flight: Flight, shortest: float, least: float) -> Iterator[Longer]:
    """The four ways of practice, each as far as it goes: wait, slower, lower, more overlap."""
    whole = flown(plan, flight)
    short = [max(0.0, least - sortie.minutes) for sortie in whole.sorties]
    yield Longer(f"wait {sum(short):.0f} min in the air", whole.minutes + sum(short), whole.images, ())
    changes: tuple[tuple[str, float, float, Callable[[float], Flight]], ...] = (
        ("slower: {:.1f} m/s", flight.speed_m_per_s, 0.5, lambda v: flight.having(speed_m_per_s=v)),
        ("lower: {:.0f} m", flight.height_m, 20.0, lambda v: flight.having(height_m=v)),
        ("side overlap of {:.0f} %", flight.pattern.side_overlap, 90.0, lambda v: flight.having(side_overlap=v)),
    )
    for words, now, other, change in changes[: 2 if isinstance(flight.pattern, WallLines) else 3]:
        found = _reached(plan, now, other, change, least)
        if found is not None:
            value, then = found
            edits = part_edits(f"flights/{flight.id}", flight, then.flight)
            yield Longer(words.format(value), then.minutes, then.images, edits)


def _reached(
    plan: Plan, now: float, other: float, change: Callable[[float], Flight], least: float
) -> tuple[float, FlightPlan] | None:
    """The smallest of some changes of a figure towards another value by which every sortie is long enough; None where
    none does it. A change that makes one sortie two may make both short, so it is sought step by step."""
    for k in range(1, STEPS + 1):
        tried = round(now + (other - now) * k / STEPS, 1)
        try:
            then = flown(plan, change(tried))
        except KardoError:
            return None
        if min(sortie.minutes for sortie in then.sorties) >= least:
            return tried, then
    return None


def _starts(f: FlightPlan) -> str:
    """Where it is taken to start as long as no place is chosen; empty once one is."""
    if f.flight.take_off is not None:
        return ""
    first = f.take_off[:2] == (float(f.e[0]), float(f.n[0]))
    return "starting at the foot of the first exposure" if first else "starting beside the base"


def _told(f: FlightPlan, sorties: list[SortieInAir], across: float | None, gained: bool) -> str:
    count = f"{len(sorties)} {'sortie' if len(sorties) == 1 else 'sorties'}"
    ways = sum(sortie.out + sortie.home for sortie in sorties)
    where = f"taken as {starts}; " if (starts := _starts(f)) else ""
    words = (
        f"{f.minutes:.0f} min in the air in {count}, {ways:.0f} of them on ways out and home; {where}landing with"
        f" {min(sortie.battery for sortie in sorties):.0f} % at least."
    )
    short = [str(sortie.number) for sortie in sorties if not sortie.enough]
    if short:
        words += f" Sortie {' and '.join(short)} would land below the reserve of {f.flight.reserve_percent:g} %."
    if gained:
        words += f" With its lines across the wind it takes {across:.0f} min: better, in this wind."
    return words
