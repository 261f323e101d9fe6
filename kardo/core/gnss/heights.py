"""The heights of a set-up: from the mark to the phase centre, as planned, with every value between."""

import math
from dataclasses import dataclass

from kardo.core.errors import KardoError
from kardo.core.geodesy.antenna import height_chain, vertical_from_slant
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.satellites import SatelliteFrame, frame_at
from kardo.core.geodesy.units import length
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark, Reading, SetUp


@dataclass(frozen=True)
class SetUpHeights:
    """The height chain of one set-up, metres, and its mark's latitude and longitude in degrees in the frame that
    satellite receivers work in there, with that frame's name: ellipsoidal heights are above its ellipsoid. readings as
    planned, verticals what each comes to; slants: those of the readings that are; adapter: what those that are not have
    added."""

    setup: str
    mark_id: str
    mark_name: str
    system: str
    mark: float
    separation: float
    mark_ellipsoidal: float
    readings: list[Reading]
    verticals: list[float]
    adapter: float
    slants: list[float]
    arp_above_mark: float
    apc_above_arp: float
    arp: float
    arp_ellipsoidal: float
    apc: float
    apc_ellipsoidal: float
    spread: float
    latitude: float
    longitude: float
    datum: str


def heights(plan: Plan, key: str) -> SetUpHeights:
    """The height chain of the set-up with this id. Raises KardoError where it stands on no mark, no antenna height is
    planned, or the mark has no height; GeodesyError where the geoid cannot be reached. Source: docs/accuracy.md,
    section 6."""
    setup = plan.setup(key)
    assert setup is not None
    mark = plan.mark(setup.mark)
    if mark is None:
        raise KardoError(
            "The set-up stands on no mark yet.", where="Base", mend="Choose a mark with known coordinates, or add one."
        )
    if not setup.readings:
        raise KardoError("No antenna height is planned yet.", where="Base", mend="Type one as it will be measured.")
    if not math.isfinite(plan.mark_height(mark)):
        raise KardoError(
            f"{mark.name} has no height, and no ground is known there.", where="Base", mend="Type the mark's height."
        )
    frame = frame_of(plan, mark)
    lat, lon, up = frame.of(plan.grid, mark.e, mark.n, plan.mark_height(mark))
    separation = up - plan.mark_height(mark)
    verticals = tuple(vertical_height(plan, setup, reading) for reading in setup.readings)
    system, antenna = height_name(plan.brief.heights), plan.antenna(setup.antenna)
    chain = height_chain(system, plan.mark_height(mark), separation, verticals, antenna)
    own = vars(chain) | {"verticals": list(chain.verticals)}
    return SetUpHeights(
        setup=setup.id,
        readings=list(setup.readings),
        adapter=setup.adapter,
        slants=[r.metres for r in setup.readings if setup.support == "tripod" and r.measured_to == "slant"],
        mark_id=mark.id,
        mark_name=mark.name,
        latitude=lat,
        longitude=lon,
        datum=frame.name,
        **own,
    )


def frame_of(plan: Plan, mark: Mark) -> SatelliteFrame:
    """The frame that receivers on a mark work in. Raises GeodesyError where nothing leads there from the grid's
    datum."""
    return frame_at(plan.grid, mark.e, mark.n)


def frame_of_chain(plan: Plan, chain: SetUpHeights) -> SatelliteFrame:
    """The same of the mark of a chain."""
    mark = plan.mark(chain.mark_id)
    assert mark is not None
    return frame_of(plan, mark)


def all_heights(plan: Plan) -> list[SetUpHeights]:
    """The height chains of the set-ups that have one."""
    chains = []
    for setup in plan.setups:
        try:
            chains.append(heights(plan, setup.id))
        except KardoError:
            continue
    return chains


def nearest_to(plan: Plan, xyz: tuple[float, float, float]) -> SetUpHeights | None:
    """The set-up nearest to earth-centred metres in the satellites' frame; None where none has heights."""
    chains = all_heights(plan)
    if not chains:
        return None
    lat, lon, _ = frame_of_chain(plan, chains[0]).of_earth_centred(*xyz)
    return min(chains, key=lambda c: math.hypot(c.latitude - lat, (c.longitude - lon) * math.cos(math.radians(lat))))


def read_words(plan: Plan, chain: SetUpHeights) -> str:
    """What was read at a set-up, in words: 1.8720 m slant, 1.8297 m vertical."""
    setup, unit = plan.setup(chain.setup), plan.brief.unit
    pole = setup is not None and setup.support == "fixed_pole"
    return ", ".join(f"{length(r.metres, unit, 4)} {'pole' if pole else r.measured_to}" for r in chain.readings)


@dataclass(frozen=True)
class Added:
    """Metres that lead from what is read at a set-up to the ARP: beside a vertical height, and beside a pole's
    length."""

    vertical: float
    pole: float


def added_over(plan: Plan, setup: SetUp) -> Added:
    """What a set-up adds to its readings: the adapter; less the phase centre's height over the ARP where a pole's
    length leads there."""
    offset = plan.antenna(setup.antenna).apc_above_arp if setup.pole_to == "apc" else 0.0
    return Added(setup.adapter, setup.adapter - offset)


def vertical_height(plan: Plan, setup: SetUp, reading: Reading) -> float:
    """Metres from the mark to the ARP, of one reading as its set-up is measured: a slant to the disc's edge; a vertical
    height, or a pole's length that leads to the ARP or to the phase centre, with the adapter over it. Raises PlanError
    for a slant shorter than the disc's radius."""
    if setup.support == "tripod" and reading.measured_to == "slant":
        return vertical_from_slant(reading.metres, plan.antenna(setup.antenna))
    added = added_over(plan, setup)
    return reading.metres + (added.pole if setup.support == "fixed_pole" else added.vertical)
