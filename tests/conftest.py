"""What several tests share: small plans on made-up ground, and small random networks."""

from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import pytest
from hypothesis import settings

from kardo.core.accuracy import prediction
from kardo.core.accuracy.equation.deformation import default_terms
from kardo.core.accuracy.equation.network import Network, network_from_json
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import Flight, Imaging, ParallelLines, Scanning
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Assumed, Plan
from kardo.core.plan.site import Feature, Ground, LevelGround, Site, terrain_of
from kardo.core.plan.stands import Mark, OnSetUp, SetUp
from kardo.core.terrain.surface import Surface

MOST_PREDICTIONS = 64  # that are remembered


def _once(real):
    """Predictions of whole plans, the latest remembered under what their numbers and words come from: many tests ask
    for the same one. With a progress it is always made anew."""

    @lru_cache(maxsize=MOST_PREDICTIONS)
    def made(asked):
        return real(asked.plan)

    def once(plan, *more, **said):
        return real(plan, *more, **said) if more or said else made(_Asked(plan.revision, plan))

    return once


@dataclass(frozen=True)
class _Asked:
    """A plan, alike for every plan of the same revision."""

    revision: str
    plan: Plan = field(compare=False)


prediction.predict = _once(prediction.predict)  # before any test takes it from there

settings.register_profile("suite", deadline=None, derandomize=True)  # the same examples every time
settings.register_profile("free", deadline=None)  # others every time: `make test-long`
settings.load_profile("suite")


def pytest_make_parametrize_id(val: object, argname: str) -> str | None:
    """Files given as bytes are named by their argument: a packed one holds the second it was packed in."""
    return argname if isinstance(val, bytes) else None


E0, N0 = 622_900.0, 5_128_300.0
ON_BASE = OnSetUp(setup="base")
MAIN = Flight(
    id="main",
    name="main flight",
    sensor=Imaging(camera="mp20", forward_overlap=75),
    pattern=ParallelLines(course_deg=0.0, side_overlap=70, extra_lines=1, extra_exposures=1),
    aircraft="quad",
    battery="quad",
    height_m=80.0,
    positioned_from=ON_BASE,
)


def point(key: str, x: float, y: float, **more) -> ControlPoint:
    """A point so many metres from the site's corner: a target if its id begins with G, else a check."""
    role = "target" if key.startswith("G") else "check"
    return ControlPoint(
        **({"id": key, "name": key, "role": role, "e": E0 + x, "n": N0 + y, "positioned_from": ON_BASE} | more)
    )


def small_surface() -> Surface:
    """A gentle slope about the small site."""
    step = 10.0
    e, n = np.meshgrid(E0 - 200 + step * np.arange(65), N0 - 200 + step * np.arange(55))
    return Surface(E0 - 200, N0 - 200, step, np.round(4 + 0.01 * (e - E0) + 0.5 * np.sin(n / 40), 3))


def small_plan(
    *, flight=None, setup=None, areas=(), boundary=None, overrides=None, calibration="earlier", **changes
) -> Plan:
    """A 200 by 120 m site on a gentle slope, five targets, four checks, base on a known mark.

    flight and setup update the one flight and the one set-up, overrides the assumptions; anything else replaces a
    part."""
    spots = [(10, 10), (190, 10), (10, 110), (190, 110), (100, 60)]
    checks = [(50, 30), (150, 90), (60, 90), (140, 25)]
    control = [point(f"G{k}", x, y) for k, (x, y) in enumerate(spots, 1)]
    control += [point(f"K{k}", x, y) for k, (x, y) in enumerate(checks, 1)]
    main = MAIN.having(**(flight or {}))
    usual = {"id": "base", "name": "base", "mark": "A", "antenna": "disc", "readings": (1.8, 1.8)}
    base = SetUp(**(usual | (setup or {})))
    parts = {
        "brief": Brief(title="Test field", crs="EPSG:25828", tolerance_h=0.03, tolerance_v=0.05),
        "site": Site(
            boundary=boundary or ((E0, N0), (E0 + 200, N0), (E0 + 200, N0 + 120), (E0, N0 + 120)),
            areas=areas,
            ground=Ground(terrain=terrain_of(small_surface(), "test")),
        ),
        "kit": kit_of(cameras=tuple(dict.fromkeys(("mp20", main.sensor.profile))), calibration=calibration),
        "marks": (Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2),),
        "setups": (base,),
        "flights": (main,),
        "control": tuple(control),
        "assumptions": Assumed(overrides=overrides or {}),
    }
    return Plan(**(parts | changes))


def scan_plan(
    *, features=(), areas=(), level=True, scanner="tactical", overrides=None, brief=None, control=None, **flight
) -> Plan:
    """The small plan flown with a scanner, over level ground unless said otherwise; flight updates the one flight."""
    scanning = MAIN.having(sensor=Scanning(scanner=scanner), height_m=60.0, speed_m_per_s=5.0)
    scanning = scanning.having(side_overlap=50.0, extra_lines=0).having(**flight)
    ring = ((E0, N0), (E0 + 200, N0), (E0 + 200, N0 + 120), (E0, N0 + 120))
    ground = Ground(level=LevelGround(height=10.0)) if level else small_plan().site.ground
    parts = {
        "kit": kit_of(scanners=(scanner,)),
        "site": Site(boundary=ring, areas=areas, features=features, ground=ground),
        "brief": brief,
        "control": control,
    }
    given = {name: part for name, part in parts.items() if part is not None}
    return small_plan(flights=(scanning,), overrides=overrides, **given)


def canopy(density, e=E0, n=N0, side=60.0, kind="canopy") -> Feature:
    """A square wood on the small plan's site, or low growth."""
    ring = ((e, n), (e + side, n), (e + side, n + side), (e, n + side))
    key = f"{kind}-{density}-{e:.0f}"
    return Feature(id=key, name="wood", kind=kind, shape="area", vertices=ring, density=density)


@pytest.fixture(scope="session")
def plan() -> Plan:
    return small_plan()


def block_json(
    rows: int = 3,
    columns: int = 4,
    *,
    seed: int = 1,
    sigma_c: list[float] | None = (0.01, 0.01, 0.015),
    targets: int = 3,
    checks: int = 3,
    height: float = 80.0,
    oblique: bool = False,
    sigma_io: list[float | None] = (2.0, 2.0, 2.0, 3e-4, 3e-4, 2e-5, 2e-5),
    relief: float = 5.0,
    two_bases: bool = False,
    deformed_px: float = 0.0,
    local: bool = False,
) -> dict:
    """A network like those people plan, jittered by a seed: a block of flight lines, tie points, targets, checks, and
    the shifts of mark, set-up, two sorties, and another mark for some of the checks. With two_bases, every second
    target and check is the mean of an occupation from either mark; with deformed_px, the images share 24 terms of that
    sigma; local, the map is delivered in a grid calibrated from mark A, in which every second target and check was
    measured."""
    rng = np.random.default_rng(seed)
    f, half_w, half_h, base, spacing = 3600.0, 2700.0, 1800.0, 20.0, 35.0
    centres, ypr, sorties = [], [], []
    for r in range(rows):
        for c in range(columns):
            centres.append([c * base, r * spacing, height + rng.normal(0, 1.5)])
            ypr.append([0.0 if r % 2 else 180.0, -90 + rng.normal(0, 2), rng.normal(0, 2)])
            sorties.append(0 if r < rows / 2 else 1)
    if oblique:
        for c in range(columns):
            centres.append([c * base, -40.0, height])
            ypr.append([0.0, -60.0, 0.0])
            sorties.append(1)
    centres, ypr = np.array(centres), np.array(ypr)
    # flight lines run east, so the longer image side lies along north
    ypr[: rows * columns, 0] += 90.0

    def ground(x, y):
        return relief * np.sin(x / 25) * np.cos(y / 30)

    def seen(point):
        from kardo.core.flight.ground.imaging import project, rotations

        uv, depth = project(f, rotations(np.radians(ypr)), centres, np.tile(point, (len(centres), 1)))
        inside = (np.abs(uv[:, 0]) < half_w) & (np.abs(uv[:, 1]) < half_h) & (depth > 0)
        return [int(k) for k in np.flatnonzero(inside)]

    def spot():
        x, y = rng.uniform(-15, columns * base), rng.uniform(-15, rows * spacing)
        return [float(x), float(y), float(ground(x, y))]

    shifts = [
        {"name": "mark A", "sigma": [0.012, 0.012, 0.02]},
        {"name": "set-up A1", "sigma": [0.001, 0.001, 0.0015]},
        {"name": "sortie 1", "sigma": [0.006, 0.006, 0.012]},
        {"name": "sortie 2", "sigma": [0.006, 0.006, 0.012]},
        {"name": "mark B", "sigma": [0.008, 0.008, 0.015]},
    ]
    points = []
    while len(points) < 14 * rows * columns // 3:
        x = spot()
        rays = seen(x)
        if len(rays) >= 2:
            points.append({"name": f"t{len(points)}", "x": x, "sigma_px": 0.7, "rays": rays})
    for k in range(targets):
        x = spot()
        points.append(
            {
                "name": f"G{k}",
                "x": x,
                "sigma_px": 0.5,
                "rays": seen(x),
                "sigma_x": [0.008, 0.008, 0.014],
                "shifts": [0, 1],
            }
        )
    check_rows = []
    while len(check_rows) < checks:
        x = spot()
        if len(seen(x)) < 3:
            continue
        hang = [[0, 1], [4], [0]][len(check_rows) % 3]
        check_rows.append({"point": len(points), "sigma_x": [0.009, 0.009, 0.015], "shifts": hang})
        points.append({"name": f"K{len(check_rows)}", "x": x, "sigma_px": 0.5, "rays": seen(x), "check": True})
    for mean in [*points[len(points) - targets - checks : len(points) - checks], *check_rows][::2] if two_bases else ():
        mean |= {"shifts": [0, 1, 4], "shares": [[0.4, 0.4, 0.3], [0.4, 0.4, 0.3], [0.6, 0.6, 0.7]]}
    if local:
        _calibrate(shifts, points[len(points) - targets - checks :], check_rows, rng)
    exposures = [
        {
            "c": c.tolist(),
            "ypr": y.tolist(),
            "sigma_c": list(sigma_c) if sigma_c else None,
            "shifts": [0, 1, 2 + sortie],
        }
        for c, y, sortie in zip(centres, ypr, sorties, strict=True)
    ]
    return {
        "camera": {
            "f_px": f,
            "sigma_io": list(sigma_io),
            "width_px": 5400,
            "height_px": 3600,
            "deformation": [list(term) for term in default_terms(deformed_px)],
        },
        "shifts": shifts,
        "exposures": exposures,
        "points": points,
        "checks": check_rows,
    }


def _calibrate(shifts: list[dict], points: list[dict], checks: list[dict], rng: np.random.Generator) -> None:
    """Deliver points in a local grid: three shifts more, held at a place by parts that grow with it, and mark A taken
    up."""
    roots = rng.normal(0, 0.01, (2, 3, 3, 3))
    for point in points:
        tilted = roots[0] + roots[1] * point["x"][0] / 50
        shares = [*tilted.tolist(), np.eye(3).tolist()]
        point["delivered"] = {"shifts": [len(shifts), len(shifts) + 1, len(shifts) + 2, 0], "shares": shares}
    for target in [p for p in points if not p.get("check")][::2]:
        own = target.get("shares", [[1.0] * 3] * len(target["shifts"]))
        held = target["delivered"]
        target |= {"shifts": target["shifts"] + held["shifts"], "shares": own + held["shares"]}
    for check in checks[::2]:
        check["delivered"] = True
    shifts += [{"name": f"local {k}", "kind": "local", "sigma": [1.0, 1.0, 1.0]} for k in range(3)]


def block(**options) -> Network:
    return network_from_json(block_json(**options))
