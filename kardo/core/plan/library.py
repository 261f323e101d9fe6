"""The library of generic profiles that plans take theirs from. Only who makes or edits a plan looks here; a computation
takes what the plan holds."""

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Any

from kardo.core.errors import PlanError
from kardo.core.parts import to_json
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import Edit
from kardo.core.plan.flights import Flight, Imaging
from kardo.core.plan.kit import Aircraft, Antenna, Battery, Calibration, Camera, Kit, Logger, Scanner
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnSetUp, Reading, SetUp


@dataclass(frozen=True)
class CalibrationState:
    """One state that a lens can be in, by name."""

    id: str
    name: str
    calibration: Calibration


@dataclass(frozen=True)
class Library:
    """All profiles on offer, by id."""

    cameras: dict[str, Camera]
    scanners: dict[str, Scanner]
    aircraft: dict[str, Aircraft]
    batteries: dict[str, Battery]
    antennas: dict[str, Antenna]
    loggers: dict[str, Logger]
    calibrations: dict[str, CalibrationState]


@lru_cache(maxsize=1)
def library() -> Library:
    """The library that ships."""
    data = tomllib.loads((files("kardo.core.plan") / "library.toml").read_text())
    states = {
        key: CalibrationState(key, entry["name"], Calibration(state=key, sigma_io=entry["sigma_io"]))
        for key, entry in data["calibrations"].items()
    }
    usual: dict[str, Any] = {"calibration": states["earlier"].calibration}
    return Library(
        cameras={key: Camera(**_profile(key, entry), **usual) for key, entry in data["cameras"].items()},
        scanners={key: Scanner(**_profile(key, entry)) for key, entry in data["scanners"].items()},
        aircraft={key: Aircraft(**_profile(key, entry)) for key, entry in data["aircraft"].items()},
        batteries={key: Battery(**_profile(key, entry)) for key, entry in data["batteries"].items()},
        antennas={key: Antenna(**_profile(key, entry)) for key, entry in data["antennas"].items()},
        loggers={key: Logger(**_profile(key, entry)) for key, entry in data["loggers"].items()},
        calibrations=states,
    )


def _profile(key: str, entry: dict[str, Any]) -> dict[str, Any]:
    own = {name: value for name, value in entry.items() if name != "revision"}
    return {"id": key, "origin": {"id": key, "revision": entry["revision"]}, **own}


def kit_of(
    cameras: tuple[str, ...] = ("mp20",),
    aircraft: tuple[str, ...] = ("quad",),
    antennas: tuple[str, ...] = ("disc",),
    calibration: str = "earlier",
    scanners: tuple[str, ...] = (),
) -> Kit:
    """A kit of the library's profiles; batteries come with their aircraft. Raises PlanError for one there is none of.

    >>> [c.f_px > 3000 for c in kit_of(cameras=("mp20", "mp45")).cameras]
    [True, True]
    """
    shelf = library()
    state = _find(shelf.calibrations, calibration, "calibration state").calibration
    return Kit(
        cameras=tuple(_find(shelf.cameras, key, "camera").model_copy(update={"calibration": state}) for key in cameras),
        scanners=tuple(_find(shelf.scanners, key, "scanner") for key in scanners),
        aircraft=tuple(_find(shelf.aircraft, key, "aircraft") for key in aircraft),
        batteries=tuple(_find(shelf.batteries, key, "battery") for key in aircraft),
        antennas=tuple(_find(shelf.antennas, key, "antenna") for key in antennas),
    )


PLANS_OWN = {"id", "calibration", "record"}  # of a profile: what the library does not know


@dataclass(frozen=True)
class Newer:
    """A profile of a plan's kit whose entry in the library has changed since: where it stands in the plan, and the
    edits that take the newer one. A camera's calibration stays the plan's own."""

    path: str
    name: str
    edits: tuple[Edit, ...]


def newer_profiles(plan: Plan, of: tuple[str, ...]) -> list[Newer]:
    """What the library offers anew for some lists of a plan's kit."""
    found = []
    for kind in of:
        shelf = getattr(library(), kind)
        for own in getattr(plan.kit, kind):
            entry = shelf.get(own.origin.id) if own.origin else None
            if entry is not None and entry.origin.revision > own.origin.revision:
                before, after, path = to_json(own), to_json(entry), f"kit/{kind}/{own.id}"
                changed = [k for k in before if k not in PLANS_OWN and before[k] != after[k]]
                found.append(Newer(path, own.name, tuple(Edit(f"{path}/{k}", before[k], after[k]) for k in changed)))
    return found


def _find(entries: dict[str, Any], key: str, what: str) -> Any:
    if key not in entries:
        raise PlanError(
            f"There is no {what} “{key}” in the library.", where="kit", mend=f"Choose one of {', '.join(entries)}."
        )
    return entries[key]


SCAN_OVERLAP, SCAN_EXTRA = (
    50.0,
    0,
)  # per cent of side overlap, and lines beyond the site: images need them, a scan only takes longer
STRENGTHENING_TILT = 30.0  # degrees of a flight beside another that strengthens its height


def new_plan(title: str = "Untitled job") -> Plan:
    """What a new job begins with: the usual kit, one flight positioned from one set-up that still wants its mark."""
    return Plan(
        brief=Brief(title=title),
        kit=kit_of(),
        setups=(SetUp(id="base", name="base", antenna="disc", readings=(Reading(metres=1.6),)),),
        flights=(
            Flight(
                id="main",
                name="main flight",
                sensor=Imaging(camera="mp20"),
                aircraft="quad",
                battery="quad",
                positioned_from=OnSetUp(setup="base"),
            ),
        ),
    )
