"""How long a whole prediction takes, stage by stage, against LAPACK's band Cholesky of the same order and band.

Every size runs in a process of its own, so that its peak memory is its own. docs/benchmarks.md explains the figures."""

import argparse
import json
import math
import multiprocessing
import resource
import threading
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TypeVar

import numpy as np
from scipy.linalg import cholesky_banded

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.banded import factor
from kardo.core.accuracy.equation.network import Network
from kardo.core.accuracy.equation.solution import Solution, as_seen, smallest_eigenvalue
from kardo.core.accuracy.figures.acceptance import chance_to_pass
from kardo.core.accuracy.figures.standards import standards
from kardo.core.accuracy.images.budget import propagate_to_map
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import Flight, Imaging, ParallelLines
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Ground, Site, terrain_of
from kardo.core.plan.stands import Mark, OnSetUp, SetUp
from kardo.core.terrain.surface import Surface
from kardo.warm import warm

T = TypeVar("T")
SIZES, TURNS = (500, 2000, 10_000), 5
HEIGHT, FORWARD, SIDE = 80.0, 80.0, 70.0
WEST, SOUTH = 622_000.0, 5_128_000.0


@dataclass(frozen=True)
class Row:
    """One size: exposures, order and half band of the reduced matrix, seconds of each stage, and the two ratios."""

    exposures: int
    order: int
    half_band: int
    seconds: dict[str, float]
    operations: dict[str, float]
    gemm_rate: float
    ratio: float
    memory_ratio: float


def block_plan(exposures: int) -> Plan:
    """A square block over rolling ground with about so many exposures at 80/70, margins included; five targets and
    thirty checks."""
    kit, on_base = kit_of(), OnSetUp(setup="base")
    cam = kit.cameras[0]
    spacing = HEIGHT * cam.width_px / cam.f_px * (1 - SIDE / 100)
    trigger = HEIGHT * cam.height_px / cam.f_px * (1 - FORWARD / 100)
    margin = 5  # flight lines, and exposures along them, beyond the sides
    b, c = margin * (trigger + spacing), margin**2 * spacing * trigger - exposures * spacing * trigger
    side = (-b + math.sqrt(b * b - 4 * c)) / 2
    x = np.arange(-600, side + 600, 10.0)
    ee, nn = np.meshgrid(x, x)
    heights = 40 + 6 * np.sin(ee / 130) * np.cos(nn / 170)
    ring = ((0.0, 0.0), (side, 0.0), (side, side), (0.0, side))
    targets = [(0.05, 0.05), (0.95, 0.05), (0.95, 0.95), (0.05, 0.95), (0.5, 0.5)]
    checks = [((k % 6 + 0.6) / 6.2, (k // 6 + 0.7) / 5.3) for k in range(30)]
    control = [
        ControlPoint(
            id=f"{r}{k}", name=f"{r}{k}", role=role, e=WEST + side * x, n=SOUTH + side * y, positioned_from=on_base
        )
        for r, role, places in (("G", "target", targets), ("K", "check", checks))
        for k, (x, y) in enumerate(places, 1)
    ]
    mark = Mark(id="m", name="M", e=WEST + side / 2, n=SOUTH - 20, h=42)
    return Plan(
        brief=Brief(crs="EPSG:25828"),
        site=Site(
            boundary=tuple((WEST + e, SOUTH + n) for e, n in ring),
            ground=Ground(terrain=terrain_of(Surface(WEST - 600, SOUTH - 600, 10.0, heights), "synthetic")),
        ),
        kit=kit,
        marks=(mark,),
        setups=(SetUp(id="base", name="base", mark="m", antenna="disc", readings=(1.6,)),),
        flights=(
            Flight(
                id="main",
                name="main flight",
                sensor=Imaging(camera="mp20", forward_overlap=FORWARD),
                pattern=ParallelLines(course_deg=0, side_overlap=SIDE),
                aircraft="quad",
                battery="quad",
                height_m=HEIGHT,
                positioned_from=on_base,
            ),
        ),
        control=tuple(control),
    )


def run(sizes: tuple[int, ...] = SIZES, out: Path | None = None) -> list[Row]:
    """Measure, print and, where asked, write JSON."""
    print(_machine())
    rows = []
    for size in sizes:
        with multiprocessing.get_context("spawn").Pool(1) as alone:
            row = alone.apply(measure, (size,))
        rows.append(row)
        print(_lines(row), flush=True)
    if out:
        out.write_text(json.dumps([asdict(row) for row in rows], indent=1))
    return rows


def measure(exposures: int) -> Row:
    """One size, in this process. Prediction and band Cholesky take turns; the turn with the middle ratio is told."""
    warm()
    plan, gemm_rate = block_plan(exposures), _gemm_rate()
    net, map_points = planned_network(plan).network, len(planned_network(plan).map_points)
    turns = []
    for _ in range(TURNS if exposures <= 2000 else 1):
        stages, n, half, memory = _predict_once(plan)
        turns.append((sum(stages.values()) / cholesky_seconds(n, half), stages, memory))
    ratio, stages, _ = sorted(turns, key=lambda turn: turn[0])[len(turns) // 2]
    return Row(
        net.n_exposures,
        n + net.shift_sigma.size + net.sigma_io.size,
        half,
        stages | {"cholesky_banded": sum(stages.values()) / ratio},
        _operations(net.rays.start, n, half, map_points),
        gemm_rate,
        ratio,
        max(turn[2] for turn in turns) / (8 * n * (half + 1)),
    )


def _predict_once(plan: Plan) -> tuple[dict[str, float], int, int, int]:
    """Seconds by stage, rows of the band, half band, and bytes that the prediction needed at its peak."""
    seconds: dict[str, float] = {}

    def timed(stage: str, work: Callable[[], T]) -> T:
        started = time.perf_counter()
        answer = work()
        seconds[stage] = time.perf_counter() - started
        return answer

    before = _resident()
    with _Peak() as peak:
        planned = timed("laying out", lambda: planned_network(plan))
        solution = timed("forming and factoring", lambda: _solved(planned.network, seconds))
        seconds.pop("forming and factoring")
        targets = solution.columns(planned.targets)
        timed("map and budget", lambda: propagate_to_map(solution, planned.map_points, targets))
        seen = timed("checks", lambda: as_seen(solution))
        survey, standard = planned.network.check_sigma, standards()["user_rmse"]
        timed("chance", lambda: chance_to_pass(seen.joint, survey, standard, Brief().terms))
    return seconds, solution.factor.n, solution.half_band, peak.bytes - before


def _solved(net: Network, seconds: dict[str, float]) -> Solution:
    started = time.perf_counter()
    formed = normals.form(net)
    between = time.perf_counter()
    solved = factor(formed.band, formed.columns, formed.below, formed.diagonal)
    assert smallest_eigenvalue(solved) > 0
    seconds["forming"], seconds["factoring"] = between - started, time.perf_counter() - between
    return Solution(net, solved, formed.order, formed.position, formed.in_network, formed.rays, formed.half_band)


def _operations(start: np.ndarray, n: int, half: int, map_points: int) -> dict[str, float]:
    """Floating-point operations of the stages that count: pairs of rays for the elimination, the band's Cholesky, and
    two solves for three columns a map point (the forward one skips on average half of the rows)."""
    rays = np.diff(start).astype(float)
    return {
        "forming": float((rays**2 / 2 * 36 * 6).sum()),
        "factoring": float(n * half**2),
        "map and budget": 3.0 * map_points * n * half * 2 * 1.5,
    }


def cholesky_seconds(n: int, half: int) -> float:
    """Seconds for SciPy's band Cholesky of a regular matrix of this order and band; the middle one of three runs."""
    rng = np.random.default_rng(3)
    times = []
    for _ in range(3):
        band = rng.random((half + 1, n))
        band[0] += 2.0 * half
        started = time.perf_counter()
        cholesky_banded(band, overwrite_ab=True, lower=True, check_finite=False)
        times.append(time.perf_counter() - started)
    return sorted(times)[1]


def _gemm_rate() -> float:
    a = np.random.default_rng(1).random((2500, 2500))
    times = []
    for _ in range(3):
        started = time.perf_counter()
        a @ a
        times.append(time.perf_counter() - started)
    return 2 * 2500.0**3 / min(times)


def _resident() -> int:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize()


class _Peak:
    """The largest resident memory while the block runs, looked at every few milliseconds."""

    def __enter__(self) -> "_Peak":
        self.bytes, self._done = _resident(), threading.Event()
        self._watch = threading.Thread(target=self._look, daemon=True)
        self._watch.start()
        return self

    def _look(self) -> None:
        while not self._done.wait(0.005):
            self.bytes = max(self.bytes, _resident())

    def __exit__(self, *_: object) -> None:
        self._done.set()
        self._watch.join()


def _machine() -> str:
    models = [
        line.split(":")[1].strip() for line in Path("/proc/cpuinfo").read_text().splitlines() if "model name" in line
    ]
    blas = np.show_config(mode="dicts")["Build Dependencies"]["blas"]
    return f"{models[0] if models else 'unknown processor'}; {len(models)} cores; {blas['name']} {blas['version']}"


def _lines(row: Row) -> str:
    stages = []
    for stage, seconds in row.seconds.items():
        rate = row.operations.get(stage, 0.0) / seconds
        words = f"  {rate / 1e9:6.1f} Gflop/s, {rate / row.gemm_rate:4.0%} of GEMM" if rate else ""
        stages.append(f"    {stage:16s} {seconds:8.3f} s{words}")
    head = (
        f"{row.exposures} exposures: order {row.order}, half band {row.half_band}, GEMM {row.gemm_rate / 1e9:.0f}"
        " Gflop/s"
    )
    return "\n".join([head, *stages, f"    ratio {row.ratio:.2f}, memory {row.memory_ratio:.2f} x the band"])


def main(words: list[str] | None = None) -> None:
    """`python -m benchmarks.prediction [--exposures N] [--json FILE]`"""
    parser = argparse.ArgumentParser(description="Time whole predictions against LAPACK's band Cholesky.")
    parser.add_argument("--exposures", type=int, action="append", help="one size (default: 500, 2,000 and 10,000)")
    parser.add_argument("--json", type=Path, help="write the figures here")
    args = parser.parse_args(words)
    run(tuple(args.exposures or SIZES), args.json)


if __name__ == "__main__":
    main()
