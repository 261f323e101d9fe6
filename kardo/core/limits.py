"""What a value may be, in the words of the field it was typed into and in the unit of the job."""

import math
from collections.abc import Callable
from typing import Any

from pydantic_core import ErrorDetails

from kardo.core.geodesy.units import UNITS, small, speed

STATIONS = {
    "brief": "Brief",
    "site": "Site",
    "kit": "Flight, kit",
    "flights": "Flight",
    "marks": "Base, marks",
    "correction_services": "Base, services",
    "setups": "Base, set-ups",
    "control": "Control",
    "visits": "Day",
    "assumptions": "Assumptions",
}
LIMITS = {"greater_than", "greater_than_equal", "less_than", "less_than_equal"}
ABOVE_NOTHING = 1e-5  # a least value as small as this means: above zero

Wording = Callable[[float, str], str]


def _in(unit: str, factor: float = 1.0) -> Wording:
    return lambda value, _: f"{factor * value:.10g}{'' if unit == '°' else ' '}{unit}".strip()


def _small(value: float, unit: str) -> str:
    return small(value, unit) if value else f"0 {'mm' if unit == 'm' else UNITS[unit].short}"


def _length(value: float, unit: str) -> str:
    return f"{round(UNITS[unit].from_metres(value), 3):.10g} {UNITS[unit].short}"


_PER_CENT, _DEGREES, _SECONDS, _MINUTES, _HOURS, _COUNT = (_in(unit) for unit in ("%", "°", "s", "min", "h", ""))
# fields whose name does not tell what they are, or in which unit they are shown
FIELDS: dict[str, tuple[str, Wording]] = {
    "tolerance_h": ("tolerance H", _small),
    "tolerance_v": ("tolerance V", _small),
    "contour_interval": ("contour interval", _small),
    "sigma_h": ("sigma H", _small),
    "sigma_v": ("sigma V", _small),
    "sigma": ("sigma", _small),
    "range_noise_m": ("range noise", _small),
    "range_bias_m": ("range bias", _small),
    "chance": ("chance", _in("%", 100.0)),
    "point_share": ("share of points", _PER_CENT),
    "forward_overlap": ("forward overlap", _PER_CENT),
    "side_overlap": ("side overlap", _PER_CENT),
    "reserve_percent": ("reserve", _PER_CENT),
    "tilt_deg": ("camera's tilt", _DEGREES),
    "oblique_tilt_deg": ("tilt of the oblique lines", _DEGREES),
    "wind_from_deg": ("wind direction", _DEGREES),
    "sun_deg": ("minimum sun elevation", _DEGREES),
    "beam_deg": ("beam width", _DEGREES),
    "roll_pitch_deg": ("roll and pitch sigma", _DEGREES),
    "heading_deg": ("heading sigma", _DEGREES),
    "scan_angle_deg": ("scan angle", _DEGREES),
    "turn": ("turn", _DEGREES),
    "wind_m_per_s": ("wind", speed),
    "speed_m_per_s": ("speed", speed),
    "worst_speed_m_per_s": ("fastest ground speed", speed),
    "max_m_per_s": ("maximum speed", speed),
    "cruise_m_per_s": ("cruise speed", speed),
    "climb_m_per_s": ("climb speed", speed),
    "descend_m_per_s": ("descent speed", speed),
    "accelerate_m_per_s2": ("acceleration", _in("m/s²")),
    "lines_per_s": ("number of scan lines a second", _COUNT),
    "pulses_per_s": ("number of pulses a second", _COUNT),
    "exposure_s": ("exposure time", _SECONDS),
    "least_interval_s": ("minimum interval between exposures", _SECONDS),
    "turn_s": ("time of a turn", _SECONDS),
    "still_s": ("time it stands still", _SECONDS),
    "straight_s": ("straight run", _SECONDS),
    "eight_s": ("time of a figure of eight", _SECONDS),
    "eights": ("number of figures of eight", _COUNT),
    "after_min": ("time until it is occupied again", _MINUTES),
    "least_min": ("minimum occupation", _MINUTES),
    "per_km_min": ("occupation for each kilometre", _MINUTES),
    "transit_min": ("minimum transit time", _MINUTES),
    "travel_min": ("travel time", _MINUTES),
    "minutes": ("duration", _MINUTES),
    "epochs": ("number of epochs", _COUNT),
    "f_number": ("f-number", _COUNT),
    "focal_mm": ("focal length", _in("mm")),
    "most_iso": ("ISO", _COUNT),
    "width_px": ("number of pixels across", _COUNT),
    "height_px": ("number of pixels along", _COUNT),
    "pixel_um": ("pixel size", _in("µm")),
    "batteries": ("number of batteries", _COUNT),
    "most_checks": ("number of checks at most", _COUNT),
    "returns": ("number of returns", _COUNT),
    "cross_lines": ("number of cross lines", _COUNT),
    "oblique_lines": ("number of oblique lines", _COUNT),
    "oblique_across": ("number of oblique lines across", _COUNT),
    "extra_lines": ("number of flight lines beyond", _COUNT),
    "extra_exposures": ("number of exposures beyond", _COUNT),
    "hours": ("duration", _HOURS),
    "battery_h": ("battery", _HOURS),
    "utc_offset_h": ("offset of the clock from UTC", _HOURS),
    "memory_mb": ("memory", _in("MB")),
    "e": ("easting", _length),
    "n": ("northing", _length),
    "h": ("height", _length),
    "width": ("width", _length),
    "stand_off_m": ("stand-off", _length),
    "height": ("height", _length),
    "ceiling": ("ceiling", _length),
    "relief": ("relief", _length),
    "wind_at_m": ("height of the wind", _length),
    "range_gate_m": ("range gate", _length),
    "least_range": ("least range", _length),
    "most_range": ("longest range", _length),
    "aerial": ("aerial's height", _length),
    "adapter": ("adapter", _length),
    "move_e": ("shift in easting", _length),
    "move_n": ("shift in northing", _length),
    "move_h": ("shift in height", _length),
    "metres": ("length", _length),
    "disc_radius": ("radius of the disc", _length),
    "edge_above_arp": ("edge above ARP", _length),
    "apc_above_arp": ("APC above ARP", _length),
}
SUFFIXES: dict[str, Wording] = {
    "_min": _MINUTES,
    "_deg": _DEGREES,
    "_mrad": _in("mrad"),
    "_px": _in("px"),
    "_um": _in("µm"),
    "_mm": _in("mm"),
    "_ms": _in("ms"),
    "_s": _SECONDS,
    "_m": _length,
}


def field_of(key: str) -> tuple[str, Wording]:
    """What a field is called, and how one of its values is told."""
    if key in FIELDS:
        return FIELDS[key]
    suffix = next((s for s in SUFFIXES if key.endswith(s)), "")
    return key.removesuffix(suffix).replace("_", " "), SUFFIXES.get(suffix, _COUNT)


def limit_words(fault: ErrorDetails, unit: str) -> str:
    """One of the validator's faults as a sentence about the field."""
    loc = [p for p in fault["loc"] if isinstance(p, str)]
    name, told = field_of(loc[-1] if loc else "value")
    given, ctx = fault["input"], fault.get("ctx", {})
    match fault["type"]:
        case "greater_than":
            rule = f"be above {told(ctx['gt'], unit)}"
        case "greater_than_equal" if 0 < ctx["ge"] <= ABOVE_NOTHING:
            rule = f"be above {told(0.0, unit)}"
        case "greater_than_equal":
            rule = f"be {told(ctx['ge'], unit)} or more"
        case "less_than":
            rule = f"be below {told(ctx['lt'], unit)}"
        case "less_than_equal":
            rule = f"be {told(ctx['le'], unit)} or less"
        case "finite_number" | "float_type" | "float_parsing" | "int_type":
            rule = "be a number"
        case "int_parsing" | "int_from_float":
            rule = "be a whole number"
        case "string_too_short":
            rule = "not be empty" if ctx["min_length"] == 1 else f"have at least {ctx['min_length']} letters"
        case "string_too_long":
            rule = f"have at most {ctx['max_length']} letters"
        case "extra_forbidden":
            return f"There is no field “{loc[-1][:40] if loc else ''}”."
        case _:
            message = fault["msg"].removeprefix("Value error, ")
            return (
                f"The {name} {message}."
                if message.startswith(("has ", "is "))
                else f"{message[0].upper()}{message[1:]}."
            )
    return f"The {name} must {rule}{f'; it is {told(given, unit)}' if _finite(given) else ''}."


def _finite(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def station_of(loc: tuple[int | str, ...], document: Any) -> str:
    """Where in a plan a fault is: the station, and the name of the row."""
    names = []
    here = document
    for key in loc:
        try:
            here = here[key]
        except (KeyError, IndexError, TypeError):
            continue  # what the validator calls a kind of row is no key of it
        if isinstance(here, dict) and isinstance(here.get("name"), str) and here["name"]:
            names.append(here["name"][:60])
    return ", ".join([STATIONS.get(str(loc[0]), "the plan") if loc else "the plan", *names[-1:]])
