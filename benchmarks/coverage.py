"""Coverage of blocks of 2,000 and 10,000 exposures over a terrain of 1,000 by 1,000 nodes: `python -m
benchmarks.coverage`."""

import argparse
import json
import time
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from kardo.core.flight.ground.coverage import covered
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.brief import Brief
from kardo.core.plan.flights import Flight, Imaging, ParallelLines
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Ground, Site, terrain_of
from kardo.core.terrain.surface import Surface

E0, N0, NODES, TURNS = 622_900.0, 5_128_300.0, 1000, 5
SIZES = {2000: (1045.0, 945.0), 10_000: (2480.0, 2150.0)}


def block(exposures: int) -> Plan:
    """A rectangle over rolling ground that takes about so many exposures at 80 and 70 %."""
    wide, high = SIZES[exposures]
    step = round(wide * 1.2 / NODES, 3)
    x = step * np.arange(NODES)
    heights = 20 + 15 * np.sin(x[None, :] / 180) * np.cos(x[:, None] / 230)
    surface = Surface(E0 - 0.1 * wide, N0 - 0.1 * wide, step, np.round(heights, 3))
    ring = ((E0, N0), (E0 + wide, N0), (E0 + wide, N0 + high), (E0, N0 + high))
    flight = Flight(id="main", name="block", sensor=Imaging(camera="mp20", forward_overlap=80.0), aircraft="quad", battery="quad", height_m=80.0, pattern=ParallelLines(side_overlap=70.0))  # fmt: skip
    return Plan(
        brief=Brief(title="block", crs="EPSG:25828"),
        site=Site(boundary=ring, ground=Ground(terrain=terrain_of(surface, "made"))),
        kit=kit_of(),
        flights=(flight,),
    )


@dataclass(frozen=True)
class Row:
    """One size: cells, and the least, middle and most of some turns in seconds."""

    cells: int
    least: float
    median: float
    most: float


def measured(turns: int = TURNS) -> dict[int, Row]:
    """Each size, the flights laid out beforehand."""
    out = {}
    for size in SIZES:
        plan = block(size)
        surface, flights = plan.surface, all_flown(plan)
        assert surface is not None
        seconds: list[float] = []
        for _ in range(turns + 1):
            began = time.perf_counter()
            found = covered(plan, flights, surface, site_polygon(plan))
            seconds.append(time.perf_counter() - began)
        took = sorted(seconds[1:])  # the first loads what was compiled
        out[size] = Row(found.images.size, took[0], took[turns // 2], took[-1])
    return out


def main() -> None:
    """Least, middle and most of five turns each."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--json", type=Path, help="write the figures here")
    args, rows = parser.parse_args(), measured()
    for size, row in rows.items():
        print(f"about {size:,} exposures, {row.cells:,} cells: {row.least:.2f}, {row.median:.2f}, {row.most:.2f} s")
    if args.json:
        args.json.write_text(json.dumps({size: asdict(row) for size, row in rows.items()}, indent=1))


if __name__ == "__main__":
    main()
