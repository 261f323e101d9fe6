"""Sallow Bank: a tidal flood bank to be raised, on synthetic ground, seeded and repeatable."""

import math

import numpy as np
from scipy.ndimage import gaussian_filter

from kardo.core.arrays import Floats
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import Flight, Imaging, ParallelLines
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature, FeatureKind, Ground, Shape, Site, terrain_of
from kardo.core.plan.stands import Device, Link, Mark, OnSetUp, Reading, SetUp
from kardo.core.plan.visits import Person, Visit
from kardo.core.terrain.surface import Surface

WEST, SOUTH, STEP, COLS, ROWS = 622_100.0, 5_127_900.0, 5.0, 460, 240

RADIO = Link(kind="radio", mount="SALLOW", user="corvane")
DEVICES = (
    Device(id="D1", name="base receiver", point="arp", height="ellipsoidal", position="degrees", unit="m"),
    Device(id="D2", name="rover's controller", point="mark", height="orthometric", position="grid", unit="m"),
)


def _crest(e: Floats) -> Floats:
    """Northing of the bank's crest along its easting: a gentle double bend."""
    t = (e - WEST) / (STEP * COLS)
    return SOUTH + 430 + 230 * t + 55 * np.sin(2 * math.pi * t * 1.15 + 0.4)


def sallow_terrain() -> Surface:
    """A flood bank of 3 m between salt marsh and grazing land, with creeks and a sluice channel."""
    e, n = np.meshgrid(WEST + STEP * np.arange(COLS), SOUTH + STEP * np.arange(ROWS))
    rng = np.random.default_rng(46_13)
    rough = gaussian_filter(rng.standard_normal(e.shape), 14)
    fine = gaussian_filter(rng.standard_normal(e.shape), 3)
    off = n - _crest(e)
    marsh = 1.6 + 0.0011 * np.clip(off, -400, 0)
    field = 2.6 + 0.0040 * np.clip(off, 0, 700)
    ground = np.where(off < 0, marsh, field) + 22 * rough + 1.2 * fine
    bank = 3.6 * np.exp(-((off / 9.0) ** 4))
    creek = -1.5 * np.exp(-(((n - SOUTH - 190 - 40 * np.sin((e - WEST) / 170)) / 14) ** 2))
    sluice = -1.2 * np.exp(-(((e - 623_285) / 9) ** 2)) * (off > 5)
    return Surface(WEST, SOUTH, STEP, np.round(ground + bank + creek + sluice, 3))


def _boundary() -> tuple[tuple[float, float], ...]:
    """The corridor about the crest, 1.9 km, with the sluice spur to the north."""
    e = np.linspace(622_240, 624_140, 15)
    south = [(float(x), float(round(y, 1))) for x, y in zip(e, _crest(e) - 45, strict=True)]
    north = [(float(x), float(round(y, 1))) for x, y in zip(e[::-1], _crest(e[::-1]) + 45, strict=True)]
    spur_n = float(round(float(_crest(np.array([623_285.0]))[0]) + 235, 1))
    spur_foot = float(round(float(_crest(np.array([623_285.0]))[0]) + 47, 1))
    spur = [(623_320.0, spur_foot), (623_320.0, spur_n), (623_250.0, spur_n), (623_250.0, spur_foot)]
    east = [p for p in north if p[0] > 623_320]
    west = [p for p in north if p[0] < 623_250]
    return tuple((round(x, 1), y) for x, y in [*south, *east, *spur, *west])


def _along(e: list[float], off: list[float]) -> tuple[tuple[float, float], ...]:
    """Places by easting and metres north of the crest."""
    crest = _crest(np.array(e, dtype=float))
    return tuple((float(x), round(float(c) + o, 1)) for x, c, o in zip(e, crest, off, strict=True))


def _features() -> tuple[Feature, ...]:
    """What the work must mind: the way along the crest with its gate, tide and stock beside it, a line over it, a
    neighbour who says no."""
    crest = list(np.linspace(622_200, 624_160, 15))
    marsh = list(np.linspace(622_240, 624_140, 15))
    shore = _along(marsh, [-140.0] * 15) + _along(marsh[::-1], [-38.0] * 15)
    rows: tuple[tuple[str, FeatureKind, Shape, tuple[tuple[float, float], ...], float], ...] = (
        ("crest path", "access", "line", _along(crest, [0.0] * 15), 0.0),
        ("field gate", "gate", "place", _along([623_030], [58]), 0.0),
        ("saltmarsh", "tide", "area", shore, 0.0),
        ("sluice", "hazard", "area", _along([623_276, 623_294, 623_294, 623_276], [50, 50, 75, 75]), 0.0),
        ("11 kV line", "power_line", "line", _along([622_640, 622_680], [-180, 260]), 9.0),
        ("hedge", "canopy", "area", _along([623_790, 623_990, 623_990, 623_790], [50, 50, 54, 54]), 3.0),
        ("grazing", "livestock", "area", _along([622_450, 623_000, 623_000, 622_450], [60, 60, 180, 180]), 0.0),
        (
            "Fenwold parcel",
            "no_permission",
            "area",
            _along([623_420, 623_640, 623_640, 623_420], [34, 34, 130, 130]),
            0.0,
        ),
    )
    return tuple(
        Feature(id=f"F{k}", name=name, kind=kind, shape=shape, vertices=vertices, height=height)
        for k, (name, kind, shape, vertices, height) in enumerate(rows, 1)
    )


def sallow_bank() -> Plan:
    """Sallow Bank: a tidal flood bank to be raised, planned as far as a first round of control."""
    surface = sallow_terrain()
    marks = (
        _mark(surface, "heron-4", "Heron 4", 623_060.412, 82.0, 0.008, 0.016),
        _mark(surface, "heron-2", "Heron 2", 622_410.087, 78.0, 0.009, 0.018),
    )
    control = [
        *_row("target", "G", [(622_270, -30), (622_290, 32), (623_190, 4), (624_110, -31), (624_085, 30)]),
        *_row(
            "check", "K", [(622_520, 12), (622_830, -24), (623_150, 30), (623_470, -8), (623_730, 26), (623_960, -20)]
        ),
        *_row("check", "K", [(623_285, 150)], first=7),
        *_row("check", "K", [(624_082, 27)], first=8),
    ]
    control[6] = control[6].model_copy(update={"positioned_from": OnSetUp(setup="rover")})
    return Plan(
        brief=Brief(
            title="Sallow Bank, raising of the flood bank",
            deliverable="surface",
            tolerance_h=0.030,
            tolerance_v=0.040,
            standard="user_rmse",
            crs="EPSG:25828",
            heights="EPSG:5773",
            unit="m",
            epoch="2026.9",
        ),
        site=Site(
            boundary=_boundary(),
            features=_features(),
            ground=Ground(terrain=terrain_of(surface, "synthetic ground of Corvane, 5 m grid")),
        ),
        kit=kit_of(),
        marks=marks,
        setups=(
            SetUp(
                id="base",
                name="base",
                mark="heron-4",
                antenna="disc",
                readings=(Reading(metres=1.872),),
                devices=DEVICES,
                link=RADIO,
            ),
            SetUp(id="rover", name="second base", mark="heron-2", antenna="disc"),
        ),
        flights=(
            Flight(
                id="main",
                name="main flight",
                sensor=Imaging(camera="mp20", forward_overlap=75.0, exposure_s=0.001),
                pattern=ParallelLines(course_deg=80.0, side_overlap=70.0),
                aircraft="quad",
                battery="quad",
                height_m=70.0,
                speed_m_per_s=7.0,
                positioned_from=OnSetUp(setup="base"),
                take_off=(623_100.0, 5_128_480.0),  # near the base, halfway: a bank of 1.9 km has no better
            ),
        ),
        control=tuple(control),
        visits=(
            Visit(
                id="V1",
                name="first visit",
                date="2027-03-16",
                people=(
                    Person(id="chief", name="party chief", roles=("surveyor", "helper")),
                    Person(id="pilot", name="pilot", roles=("pilot", "helper")),
                ),
            ),
        ),
    )


def _mark(surface: Surface, key: str, name: str, e: float, off: float, sigma_h: float, sigma_v: float) -> Mark:
    n = round(float(_crest(np.array([e]))[0]) + off, 3)
    return Mark(
        id=key, name=name, e=e, n=n, h=round(float(surface.at(e, n)) + 0.12, 3), sigma_h=sigma_h, sigma_v=sigma_v
    )


def _row(role: str, letter: str, places: list[tuple[float, float]], first: int = 1) -> list[ControlPoint]:
    rows = []
    for k, (e, off) in enumerate(places, first):
        n = round(float(_crest(np.array([float(e)]))[0]) + off, 1)
        name, hung = f"{letter}{k}", {"on": "setup", "setup": "base"}
        rows.append(
            ControlPoint.model_validate(
                {"id": name, "name": name, "role": role, "e": e, "n": n, "positioned_from": hung}
            )
        )
    return rows
