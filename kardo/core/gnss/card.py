"""The card of a device: exactly what is typed into which box, so that nobody reckons in the field.

A device wants the position of one point (the mark, the antenna reference point, the phase centre), in one form and
unit, with one kind of height. Which, the plan says of every device; what the boxes then hold follows from the height
chain."""

import math
from dataclasses import dataclass

from kardo.core.geodesy.angles import format_dms
from kardo.core.geodesy.units import UNITS, length
from kardo.core.gnss.heights import SetUpHeights, frame_of_chain
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Device

POINTS = {"mark": "the mark", "arp": "the antenna reference point (ARP)", "apc": "the phase centre (APC)"}
GAP = "\u202f"  # between groups of three figures, for reading aloud


@dataclass(frozen=True)
class Box:
    """One box of a device: its name, what is typed into it, the same in groups of three figures, and the sum of its
    figures."""

    name: str
    typed: str
    shown: str
    unit: str
    figures: int


@dataclass(frozen=True)
class Card:
    """What one device is told of one set-up. frame: datum, realisation and epoch of the position, height system;
    read_back: the sum of all figures typed."""

    setup: str
    device: str
    name: str
    point: str
    frame: str
    boxes: list[Box]
    read_back: int
    notes: list[str]


def cards(plan: Plan, chain: SetUpHeights) -> list[Card]:
    """The cards of a set-up's devices, in their order."""
    setup = plan.setup(chain.setup)
    assert setup is not None
    return [_card(plan, chain, device) for device in setup.devices]


def figures(typed: str) -> int:
    """The sum of the figures in a text. It finds a wrong or missing figure, not two that changed places.

    >>> figures("46.304")
    17
    """
    return sum(int(letter) for letter in typed if letter in "0123456789")


def grouped(typed: str) -> str:
    """The figures behind the point, and those of a long number before it, in groups of three.

    >>> grouped("-13.427905170").replace(GAP, " "), grouped("5128493.0730").replace(GAP, " ")
    ('-13.427 905 170', '5 128 493.073 0')
    """
    whole, point, rest = typed.partition(".")
    sign, digits = ("-", whole[1:]) if whole.startswith("-") else ("", whole)
    if not digits.isdigit() or (rest and not rest.isdigit()):
        return typed
    first = len(digits) % 3
    parts = ([digits[:first]] if first else []) + [digits[k : k + 3] for k in range(first, len(digits), 3)]
    behind = [rest[k : k + 3] for k in range(0, len(rest), 3)]
    return f"{sign}{GAP.join(parts)}{point}{GAP.join(behind)}"


def box_of(name: str, typed: str, unit: str) -> Box:
    """A box with its figures in groups and their sum."""
    return Box(name=name, typed=typed, shown=grouped(typed), unit=unit, figures=figures(typed))


def _card(plan: Plan, chain: SetUpHeights, device: Device) -> Card:
    boxes = [*_position(plan, chain, device), _height(plan, chain, device), _antenna(chain, device)]
    setup = plan.setup(chain.setup)
    assert setup is not None
    return Card(
        setup=chain.setup,
        device=device.id,
        name=device.name,
        point=POINTS[device.point],
        frame=_frame(plan, chain, device),
        boxes=boxes,
        read_back=sum(box.figures for box in boxes),
        notes=_notes(plan, chain, device),
    )


def _position(plan: Plan, chain: SetUpHeights, device: Device) -> list[Box]:
    """The horizontal position is the mark's for every point: the antenna stands plumb over it."""
    if device.position == "grid":
        mark, unit = plan.mark(chain.mark_id), UNITS[device.unit]
        assert mark is not None
        return [box_of(name, _in(value, device), unit.short) for name, value in (("E", mark.e), ("N", mark.n))]
    lat, lon = _degrees(plan, chain, device)
    if device.position == "degrees":
        return [box_of("latitude", f"{lat:.9f}", "°"), box_of("longitude", f"{lon:.9f}", "°")]
    return [
        box_of("latitude", f"{format_dms(abs(lat))} {'S' if lat < 0 else 'N'}", ""),
        box_of("longitude", f"{format_dms(abs(lon))} {'W' if lon < 0 else 'E'}", ""),
    ]


def _degrees(plan: Plan, chain: SetUpHeights, device: Device) -> tuple[float, float]:
    """In the frame of the device."""
    if device.frame == "satellites":
        return chain.latitude, chain.longitude
    return frame_of_chain(plan, chain).to_own(chain.latitude, chain.longitude)


def _height(plan: Plan, chain: SetUpHeights, device: Device) -> Box:
    ellipsoidal = device.height == "ellipsoidal"
    name = f"{device.point}_ellipsoidal" if ellipsoidal else device.point
    metres = getattr(chain, name)
    if ellipsoidal and device.frame == "grid":
        metres = frame_of_chain(plan, chain).up_to_own(*_degrees(plan, chain, device), metres)
    system = "ellipsoidal" if ellipsoidal else _bare(chain.system)
    short = {"mark": "of the mark", "arp": "of the ARP", "apc": "of the APC"}[device.point]
    return box_of(f"height {short}, {system}", _in(metres, device), UNITS[device.unit].short)


def _antenna(chain: SetUpHeights, device: Device) -> Box:
    """What is left for the device to add: from the mark it adds the antenna's height, else nothing."""
    left = chain.arp_above_mark if device.point == "mark" else 0.0
    name = "antenna height, vertical, mark to ARP" if device.point == "mark" else "antenna height"
    return box_of(name, _in(left, device), UNITS[device.unit].short)


def _bare(system: str) -> str:
    """A height system without the word that is said beside it."""
    return system.removesuffix(" height")


def _in(metres: float, device: Device) -> str:
    text = f"{UNITS[device.unit].from_metres(metres):.4f}"
    return text if float(text) else text.lstrip("-")


def _frame(plan: Plan, chain: SetUpHeights, device: Device) -> str:
    own = device.frame == "grid"
    horizontal = plan.grid.name if device.position == "grid" else str(plan.grid.geodetic.name) if own else chain.datum
    stated = ", ".join(
        part for part in (plan.brief.realisation, plan.brief.epoch and f"epoch {plan.brief.epoch}") if part
    )
    vertical = "ellipsoidal" if device.height == "ellipsoidal" else _bare(chain.system)
    return f"{horizontal}{f' ({stated})' if stated else ''}; height {vertical}"


def _notes(plan: Plan, chain: SetUpHeights, device: Device) -> list[str]:
    offset = length(chain.apc_above_arp, device.unit, 4)
    notes = {
        "mark": [
            "The device adds the antenna itself: the height above is vertical, not the slant. Choose its antenna, so"
            f" that it knows the {offset} from ARP to APC."
        ],
        "arp": [
            f"The antenna's height is in the figure above: leave the device's own at zero. It adds the {offset} to the"
            " APC by its antenna."
        ],
        "apc": ["Antenna height and phase centre are in the figure above: zero for both, no antenna chosen."],
    }[device.point]
    notes = [*_of_frame(plan, chain, device), *notes]
    if device.height == "orthometric":
        notes.append(
            f"The device must hold the geoid model of {_bare(chain.system)}: there it says N"
            f" {length(chain.separation, device.unit, 3)}. If it says otherwise, type the ellipsoidal height."
        )
    if device.position != "grid" and chain.longitude < 0:
        notes.append("Longitude is west: with a minus, or with W, never with both.")
    if device.unit != "m":
        notes.append(f"The {UNITS[device.unit].name}, {_feet_in_words(device.unit)}: {_other_feet(device.unit)}.")
    if not math.isclose(chain.spread, 0.0, abs_tol=0.003):
        notes.append(
            f"The readings of the antenna height differ by {length(chain.spread, device.unit, 4)}: measure again."
        )
    return notes


def _of_frame(plan: Plan, chain: SetUpHeights, device: Device) -> list[str]:
    """How the boxes came from the grid's datum to the satellites' frame, and whether that is good enough for a base:
    for coordinates that were taken there by a receiver it is, for they go back the way they came."""
    mark, frame = plan.mark(chain.mark_id), frame_of_chain(plan, chain)
    assert mark is not None
    if frame.own or device.position == "grid" or device.frame == "grid":
        return []
    said = f"{frame.name}, {frame.words}."
    needs = math.hypot(*mark_sigma(mark, plan.assume)[:2])
    if mark.known == "here" or frame.accuracy <= needs:
        return [said]
    unit = device.unit
    file = f" The file {frame.better_file} would do." if frame.better_file else ""
    words = f"CANNOT BE USED: {said} The base needs ±{length(needs, unit, 3)}."
    return [f"{words}{file} Or give the mark's published coordinates in {frame.name}."]


def _other_feet(unit: str) -> str:
    """How far the other feet are off."""
    own = float(UNITS[unit].metres)
    others = [(u.name, abs(float(u.metres) / own - 1) * 1e6) for u in UNITS.values() if u.id not in ("m", unit)]
    return ", ".join(f"the {name} is {ppm:.0f} ppm off" for name, ppm in others)


def _feet_in_words(unit: str) -> str:
    return {"ft": "0.3048 m", "us-ft": "1200/3937 m"}.get(unit, f"{float(UNITS[unit].metres):.7f} m")
