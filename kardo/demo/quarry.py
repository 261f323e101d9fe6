"""Hask Quarry: a stone quarry of 90 m relief, surveyed every month from a base that is set up "here" and shifted
afterwards."""

import math

import numpy as np
from scipy.ndimage import gaussian_filter

from kardo.core.arrays import Floats
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import Flight, Imaging, ParallelLines
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Area, Ground, Site, terrain_of
from kardo.core.plan.stands import (
    CorrectionService,
    Device,
    Link,
    Mark,
    OnService,
    OnSetUp,
    PositionSource,
    Reading,
    SetUp,
)
from kardo.core.plan.visits import Person, Visit
from kardo.core.terrain.surface import Surface

EAST, NORTH = 626_400.0, 5_131_200.0  # the middle of the pit
STEP, COLS, ROWS = 5.0, 200, 180
ACROSS, ALONG = 200.0, 160.0  # metres, half axes of the rim
DEEP, BENCHES, FLOOR = 90.0, 6, 0.42  # metres; steps of the wall; share of the rim's radius that is floor
PILE = (626_380.0, 5_131_215.0)
BASE = OnSetUp(setup="base")
NETWORK = OnService(service="reference")


def quarry_terrain() -> Surface:
    """A hill with a pit of six benches, and a heap of stone on its floor."""
    west, south = EAST - STEP * COLS / 2, NORTH - STEP * ROWS / 2
    e, n = np.meshgrid(west + STEP * np.arange(COLS), south + STEP * np.arange(ROWS))
    rng = np.random.default_rng(46_14)
    rough = gaussian_filter(rng.standard_normal(e.shape), 9)
    hill = 148.0 + 0.03 * (e - EAST) - 0.02 * (n - NORTH) + 25 * rough
    away = np.hypot((e - EAST) / ACROSS, (n - NORTH) / ALONG)
    down = np.clip((1 - away) / (1 - FLOOR), 0, 1)
    pit = DEEP * np.ceil(down * BENCHES) / BENCHES
    heap = 9.0 * np.clip(1 - np.hypot(e - PILE[0], n - PILE[1]) / 32.0, 0, 1)
    return Surface(west, south, STEP, np.round(gaussian_filter(hill - pit, 0.8) + heap, 3))


def _ring(e: float, n: float, across: float, along: float, count: int) -> tuple[tuple[float, float], ...]:
    turn = 2 * math.pi * np.arange(count) / count
    return tuple((round(e + across * math.cos(a), 1), round(n + along * math.sin(a), 1)) for a in turn)


def hask_quarry() -> Plan:
    """Hask Quarry, planned for post-processing from a base "here"; two checks rest on the reference network and see its
    shift."""
    surface = quarry_terrain()
    base = (EAST + 235.0, NORTH - 60.0)
    targets = [(205, 35), (-30, 165), (-208, -20), (40, -166), (30, -20)]
    checks = [(137, 127), (-133, 130), (-155, -115), (130, -132), (-60, 10), (57, 58)]
    return Plan(
        brief=Brief(
            title="Hask Quarry, monthly volume",
            deliverable="volume",
            tolerance_h=0.060,
            tolerance_v=0.060,
            standard="user_rmse",
            crs="EPSG:25828",
            heights="EPSG:5773",
            unit="m",
            epoch="2026.9",
        ),
        site=Site(
            boundary=_ring(EAST, NORTH, ACROSS + 25, ALONG + 25, 20),
            areas=(Area(id="heap", name="stone heap", ring=_ring(*PILE, 36, 36, 12)),),
            ground=Ground(terrain=terrain_of(surface, "synthetic ground of Corvane, 5 m grid")),
        ),
        kit=kit_of(),
        marks=(
            Mark(
                id="hask-1",
                name="Hask 1",
                e=base[0],
                n=base[1],
                h=round(_height(surface, *base) + 2.4, 3),
                known="here",
                shift_hours=4.0,
            ),
        ),
        correction_services=(CorrectionService(id="reference", name="Corvane reference network"),),
        setups=(
            SetUp(
                id="base",
                name="base",
                mark="hask-1",
                antenna="disc",
                readings=(Reading(metres=1.655), Reading(metres=1.613, measured_to="vertical")),
                link=Link(kind="wireless"),
                devices=(
                    Device(
                        id="D1", name="base receiver", point="mark", height="ellipsoidal", position="degrees", unit="m"
                    ),
                ),
            ),
        ),
        flights=(
            Flight(
                id="main",
                name="main flight",
                sensor=Imaging(camera="mp20", forward_overlap=80.0),
                # along the benches, which climbs least
                pattern=ParallelLines(course_deg=151.8, side_overlap=70.0, oblique_lines=2),
                aircraft="quad",
                battery="quad",
                height_m=80.0,
                speed_m_per_s=3.0,
                positioned_from=BASE,
                take_off=(626_610.0, 5_131_130.0),
                corrections="post_processed",
            ),
        ),
        control=(
            *(_point(f"G{k}", x, y, BASE) for k, (x, y) in enumerate(targets, 1)),
            *(_point(f"K{k}", x, y, BASE if k < 5 else NETWORK) for k, (x, y) in enumerate(checks, 1)),
        ),
        visits=(
            Visit(
                id="V1",
                name="monthly visit",
                date="2027-04-06",
                people=(
                    Person(id="chief", name="party chief", roles=("surveyor", "helper")),
                    Person(id="pilot", name="pilot", roles=("pilot", "helper")),
                ),
            ),
        ),
    )


def _height(surface: Surface, e: float, n: float) -> float:
    return float(surface.at(e, n))


def _point(key: str, x: Floats | float, y: Floats | float, on: PositionSource) -> ControlPoint:
    role = "target" if key.startswith("G") else "check"
    return ControlPoint.model_validate(
        {"id": key, "name": key, "role": role, "e": EAST + x, "n": NORTH + y, "positioned_from": on.model_dump()}
    )
