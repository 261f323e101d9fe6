"""What a receiver says of its own position, held against where the plan has it: before an hour is logged in the wrong
place."""

import math
from dataclasses import dataclass, field, replace
from typing import Literal

from kardo.core.geodesy.units import length, small
from kardo.core.gnss.heights import SetUpHeights
from kardo.core.gnss.readback import MEANT, Difference, compared
from kardo.core.gnss.remark import Remark, worst_first
from kardo.core.plan.model import Plan

Quality = Literal["none", "code", "differential", "float", "fixed"]
BEST: tuple[Quality, ...] = ("none", "code", "differential", "float", "fixed")
USUAL = {"code": 3.0, "differential": 1.0, "float": 0.3, "fixed": 0.02}  # sigma in metres where the receiver tells none
FEW, LEAST = 10, 6  # satellites used that custom asks for, and without which a base is moved
WEAK = 2.0  # HDOP from which the geometry is weak
OLD = 10.0  # seconds of age of corrections from which nothing stays fixed
SEPARATIONS = 0.05  # metres that two geoid models may differ by before it is said
SIGMAS = 3.0


@dataclass(frozen=True)
class Fix:
    """One position: latitude and longitude in degrees on the receiver's datum, ellipsoidal height in metres (None where
    it gives none), the geoid separation that it uses, satellites used, HDOP, seconds of age of its corrections."""

    quality: Quality
    latitude: float
    longitude: float
    ellipsoidal: float | None = None
    separation: float | None = None
    satellites: int | None = None
    hdop: float | None = None
    age: float | None = None


@dataclass(frozen=True)
class ReceiverFixes:
    """What came from a receiver in so many seconds: positions in their order; the sigmas in metres, north, east, up,
    that it told last; sentences by kind; how many came damaged; lines that were none; whether it hung up."""

    fixes: tuple[Fix, ...] = ()
    sigma: tuple[float, float, float] | None = None
    sentences: dict[str, int] = field(default_factory=dict)
    damaged: int = 0
    skipped: int = 0
    seconds: float = 0.0
    hung_up: bool = False

    @property
    def last(self) -> Fix | None:
        """The newest position."""
        return self.fixes[-1] if self.fixes else None


@dataclass(frozen=True)
class ReceiverHeard:
    """A receiver against a set-up: its newest state, satellites used, HDOP; how far its newest position is from the
    planned one, and sigma in metres by which that is judged, None without a position; what is to be said, worst first;
    all in a sentence."""

    setup: str
    quality: Quality
    satellites: int | None
    hdop: float | None
    difference: Difference | None
    sigma: float | None
    remarks: list[Remark]
    told: str


def receiver_against(plan: Plan, chain: SetUpHeights, said: ReceiverFixes, point: str = "arp") -> ReceiverHeard:
    """What a receiver said against a set-up's mark, arp or apc. Its position is taken in the satellites' frame. Raises
    GeodesyError where the grid does not reach."""
    last = said.last
    if last is None or last.quality == "none":
        told = "No position came from the receiver." if said.sentences else "Nothing that a receiver says was heard."
        remarks = [*_of_line(said), *([] if last is None else _of_fix(last, said))]
        return ReceiverHeard(
            setup=chain.setup,
            quality="none",
            satellites=last.satellites if last else None,
            hdop=None,
            difference=None,
            sigma=None,
            remarks=worst_first(remarks),
            told=told,
        )
    up = getattr(chain, f"{point}_ellipsoidal") if last.ellipsoidal is None else last.ellipsoidal
    difference = compared(plan, chain, last.latitude, last.longitude, up, point)
    sigma = math.hypot(*said.sigma) if said.sigma else USUAL[last.quality]
    off = math.hypot(difference.east, difference.north, difference.up)
    as_planned = off <= max(MEANT, SIGMAS * sigma)
    difference = replace(difference, as_planned=as_planned)
    remarks = [*_of_line(said), *_of_fix(last, said), *_of_place(plan, difference), *_of_geoid(plan, chain, last)]
    told = _told(plan, chain, last, off, sigma, as_planned)
    return ReceiverHeard(
        setup=chain.setup,
        quality=last.quality,
        satellites=last.satellites,
        hdop=last.hdop,
        difference=difference,
        sigma=sigma,
        remarks=worst_first(remarks),
        told=told,
    )


def _told(plan: Plan, chain: SetUpHeights, last: Fix, off: float, sigma: float, as_planned: bool) -> str:
    unit, state = (
        plan.brief.unit,
        {"code": "by code alone", "differential": "by code with corrections"}.get(last.quality, last.quality),
    )
    size = small(off, unit) if off < 1 else length(off, unit, 2)
    if not as_planned:
        return f"{state.capitalize()}, and {size} from where the plan has it on {chain.mark_name}."
    return (
        f"{state.capitalize()}: {size} from the plan on {chain.mark_name}, within what it is good to"
        f" (±{small(sigma, unit)})."
    )


def _of_line(said: ReceiverFixes) -> list[Remark]:
    found = []
    if not said.sentences:
        what = (
            "What is sent are no NMEA sentences."
            if said.skipped or said.damaged
            else f"Nothing was sent in {said.seconds:.0f} s."
        )
        found.append(Remark("stop", what, "Let the receiver put out GGA and GST on this port, once a second."))
    elif not said.fixes:
        found.append(Remark("stop", "No position (GGA) is among what is sent.", "Switch GGA on, with its quality."))
    elif said.sigma is None:
        found.append(Remark("note", "It does not say how good its position is (GST).", "Switch GST on."))
    if said.damaged:
        found.append(
            Remark("warn", f"{said.damaged} sentences came damaged.", "Look at the cable, or at the port's speed.")
        )
    if said.hung_up:
        found.append(
            Remark("stop", f"The receiver hung up after {said.seconds:.0f} s.", "Is something else connected to it?")
        )
    return found


def _of_fix(last: Fix, said: ReceiverFixes) -> list[Remark]:
    found = []
    if last.quality == "none":
        found.append(
            Remark(
                "stop",
                "The receiver has no position: its sky is blocked, or it has just been switched on.",
                "Wait a minute; then move it.",
            )
        )
    elif last.quality != "fixed" and any(f.quality == "fixed" for f in said.fixes):
        found.append(Remark("warn", "It lost its fix while it was listened to.", "Look at the sky and at the link."))
    elif last.quality == "float":
        found.append(Remark("warn", "Float: it has not converged.", "Wait some minutes; if it does not fix, move it."))
    if last.satellites is not None and last.satellites < LEAST:
        found.append(Remark("stop", f"{last.satellites} satellites used.", f"Below {LEAST} move it."))
    elif last.satellites is not None and last.satellites < FEW:
        found.append(
            Remark("warn", f"{last.satellites} satellites used, {FEW} are asked.", "Look for a more open sky.")
        )
    if last.hdop is not None and last.hdop > WEAK:
        found.append(Remark("warn", f"HDOP {last.hdop:.1f}: the satellites stand badly.", "Wait for a better window."))
    if last.age is not None and last.age > OLD:
        found.append(Remark("warn", f"Its corrections are {last.age:.0f} s old.", "Look at the link to the base."))
    return found


def _of_place(plan: Plan, difference: Difference) -> list[Remark]:
    if difference.as_planned:
        return []
    return [Remark("stop", difference.words, "Is it over this mark, and was it told the right position?")]


def _of_geoid(plan: Plan, chain: SetUpHeights, last: Fix) -> list[Remark]:
    """The receiver's own geoid: its heights above the sea are not the job's where the two differ."""
    if last.separation is None or plan.brief.heights == "ellipsoidal":
        return []
    off = last.separation - chain.separation
    if abs(off) <= SEPARATIONS:
        return []
    unit = plan.brief.unit
    words = (
        f"Its geoid is another: separation {length(last.separation, unit, 2)}, the job's is"
        f" {length(chain.separation, unit, 2)}."
    )
    return [Remark("warn", words, "Take ellipsoidal heights from it, and reduce them here.")]
