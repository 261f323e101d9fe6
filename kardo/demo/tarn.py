"""Tarn Wood: the wooded catchment of a small reservoir, scanned for its ground; corrections of a network, one target
for the height and many checks."""

import numpy as np
from scipy.ndimage import gaussian_filter

from kardo.core.parts import Place
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.flights import Flight, ParallelLines, Scanning
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Area, Feature, Ground, Site, terrain_of
from kardo.core.plan.stands import CorrectionService, OnService, OwnSession, PositionSource
from kardo.core.plan.visits import Person, Visit
from kardo.core.terrain.surface import Surface

EAST, NORTH = 624_700.0, 5_132_300.0  # the outlet of the tarn
STEP, COLS, ROWS = 5.0, 220, 200
LEVEL = 74.0  # metres, of the water
NETWORK = OnService(service="reference")


def tarn_terrain() -> Surface:
    """A bowl open to the south-east, its floor under water, with a stream cut into the north side."""
    west, south = EAST - STEP * COLS / 2, NORTH - STEP * ROWS / 2
    e, n = np.meshgrid(west + STEP * np.arange(COLS), south + STEP * np.arange(ROWS))
    x, y = e - EAST, n - NORTH
    rough = gaussian_filter(np.random.default_rng(46_15).standard_normal(e.shape), 8)
    bowl = LEVEL - 3 + 85 * np.clip(np.hypot(x / 560, (y - 60) / 520) - 0.18, 0, None) ** 1.3 - 0.015 * x
    stream = 5 * np.exp(-(((x - 60 - 0.25 * y) / 14) ** 2)) * np.clip(y / 250, 0, 1)
    return Surface(west, south, STEP, np.round(np.maximum(bowl - stream + 14 * rough, LEVEL), 3))


def _at(*places: Place) -> tuple[Place, ...]:
    return tuple((EAST + x, NORTH + y) for x, y in places)


def _things() -> tuple[Feature, ...]:
    """Wood of three kinds, heather, the water, the forest road and its gate."""
    rows: list[tuple[str, str, str, float, tuple[Place, ...], dict[str, str]]] = [
        ("old wood", "canopy", "area", 22.0, _at((-380, -40), (-170, 20), (-150, 230), (-390, 260)), {"density": "open"}),
        ("north wood", "canopy", "area", 18.0, _at((-90, 210), (170, 190), (190, 330), (-80, 340)), {"density": "dense"}),
        ("thicket", "canopy", "area", 9.0, _at((215, 60), (330, 40), (340, 150), (225, 165)), {"density": "very_dense"}),
        ("heather", "low_growth", "area", 0.4, _at((-330, -250), (-60, -270), (-50, -150), (-320, -130)), {}),
        ("tarn", "water", "area", 0.0, _at((-80, 20), (70, 10), (90, 110), (-60, 130)), {}),
        ("forest road", "access", "line", 0.0, _at((420, -280), (180, -170), (-120, -120), (-360, -90)), {}),
        ("barrier", "gate", "place", 0.0, _at((400, -270)), {}),
    ]  # fmt: skip
    return tuple(
        Feature.model_validate(
            {"id": f"F{k}", "name": name, "kind": kind, "shape": shape, "height": height, "vertices": vertices} | more
        )
        for k, (name, kind, shape, height, vertices, more) in enumerate(rows, 1)
    )


def _point(key: str, x: float, y: float, on: PositionSource = NETWORK) -> ControlPoint:
    return ControlPoint(
        id=key,
        name=key,
        role="target" if key.startswith("G") else "check",
        e=EAST + x,
        n=NORTH + y,
        width=1.0,
        positioned_from=on,
        occupations=(Occupation(epochs=180), Occupation(epochs=180, after_min=90)),
    )


def tarn_wood() -> Plan:
    """Tarn Wood, scanned with live network corrections and one target; two checks lie by static sessions of their own
    and see the network's shift."""
    checks = [
        (-300, -200), (-120, -210), (60, -190), (250, -200), (-350, -75), (-105, 150), (120, 140), (310, -40),
        (-125, 305), (-250, 240),
    ]  # fmt: skip
    return Plan(
        brief=Brief(
            title="Tarn Wood, ground of the catchment",
            deliverable="surface",
            tolerance_h=0.20,
            tolerance_v=0.08,
            standard="user_rmse",
            crs="EPSG:25828",
            heights="EPSG:5773",
            unit="m",
            epoch="2026.9",
        ),
        site=Site(
            boundary=_at((-400, -290), (360, -290), (380, 330), (-400, 340)),
            areas=(Area(id="dam", name="dam", ring=_at((110, -60), (190, -60), (190, 20), (110, 20))),),
            features=_things(),
            ground=Ground(terrain=terrain_of(tarn_terrain(), "synthetic ground of Corvane, 5 m grid")),
        ),
        kit=kit_of(cameras=(), scanners=("tactical",), aircraft=("quad_large",)),
        correction_services=(CorrectionService(id="reference", name="Corvane reference network"),),
        flights=(
            Flight(
                id="main",
                name="scan",
                sensor=Scanning(scanner="tactical", adjustment="height"),
                pattern=ParallelLines(side_overlap=50.0, extra_lines=0),
                aircraft="quad_large",
                battery="quad_large",
                height_m=80.0,
                speed_m_per_s=6.0,
                positioned_from=NETWORK,
                take_off=(EAST + 20, NORTH - 130),  # on the forest road
                corrections="both",
            ),
        ),
        control=(
            _point("G1", 150, -110),
            *(_point(f"K{k}", x, y, NETWORK if k < 9 else OwnSession(hours=2.0)) for k, (x, y) in enumerate(checks, 1)),
        ),
        visits=(
            Visit(
                id="V1",
                name="scan of the catchment",
                date="2027-03-30",
                people=(
                    Person(id="chief", name="party chief", roles=("surveyor", "helper")),
                    Person(id="pilot", name="pilot", roles=("pilot", "helper")),
                ),
            ),
        ),
    )
