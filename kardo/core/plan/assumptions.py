"""The assumptions of a prediction: shipped as data with their sources, by edition, overridden by the plan.

An edition never changes once plans rest on it: other figures are a new file beside it, which names the one it comes
after and says what differs."""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from kardo.core.errors import PlanError

CURRENT_EDITION = "2026-12-01"
BOUNDS = {  # by unit: the least and the most that can be meant
    "m": (1e-6, 1000.0),
    "px": (0.01, 1000.0),
    "rays": (12.0, 400.0),
    "ppm": (0.0, 1000.0),
    "s": (0.0, 10.0),
    "min": (0.0, 10_000.0),
    "m/min": (1.0, 1000.0),
    "arcsec": (0.01, 3600.0),
    "share": (0.001, 1.0),
    "times": (0.1, 100.0),
    "returns": (1.0, 100.0),
    "satellites": (1.0, 60.0),
    "PDOP": (0.5, 100.0),
}


@dataclass(frozen=True)
class Default:
    """One assumed figure with its reason, and the bounds of what can be put in its place."""

    id: str
    value: float
    unit: str
    what: str
    source: str
    least: float
    most: float


@lru_cache(maxsize=8)
def defaults(edition: str = CURRENT_EDITION) -> dict[str, Default]:
    """The figures of one edition, by id; those that only a later one knows as they were taken before it. Raises
    PlanError for an edition that is not shipped."""
    known = _in_file(edition)
    later = {
        key: entry | {"value": entry["before"]} for key, entry in _in_file(CURRENT_EDITION).items() if "before" in entry
    }
    return {key: _default(key, entry) for key, entry in (later | known).items()}


def _in_file(edition: str) -> dict[str, dict[str, object]]:
    """The entries of an edition, those of the editions before it included."""
    file = files("kardo.core.plan") / "editions" / f"{edition}.toml"
    if not file.is_file():
        raise PlanError(
            f"Edition {edition} of the defaults is not here.", where="assumptions", mend="Open it with a newer Kardo."
        )
    entries = tomllib.loads(file.read_text())
    before = entries.pop("after", None)
    return _in_file(before) | entries if before else entries


def _default(key: str, entry: dict[str, object]) -> Default:
    least, most = BOUNDS[str(entry["unit"])]
    if entry["value"] == 0:
        least = 0.0
    told = {name: value for name, value in entry.items() if name != "before"}
    return Default(**({"id": key, "least": least, "most": most} | told))  # type: ignore[arg-type]


class Assumptions:
    """The figures in force for one plan.

    Raises PlanError for a figure that the edition does not know, or that is out of its bounds.

    >>> Assumptions({"tie_ray_px": 0.9})["tie_ray_px"]
    0.9
    """

    def __init__(self, overrides: Mapping[str, float], edition: str = CURRENT_EDITION) -> None:
        known = defaults(edition)
        for key, value in overrides.items():
            if key not in known:
                raise PlanError(f"“{key}” is not an assumption Kardo knows.", where="assumptions", mend="Remove it.")
            d = known[key]
            if not d.least <= value <= d.most:
                raise PlanError(
                    f"{d.what[0].upper()}{d.what[1:]}: {value:g} {d.unit} cannot be meant.",
                    where=f"assumptions.{key}",
                    mend=f"Choose from {d.least:g} to {d.most:g} {d.unit}, or go back to {d.value:g}.",
                )
        self._values = {key: float(overrides.get(key, d.value)) for key, d in known.items()}

    def __getitem__(self, key: str) -> float:
        return self._values[key]
