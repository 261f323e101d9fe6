"""Commands of the flight: what its images cover, and its lines as a file."""

import argparse
import time
from dataclasses import asdict
from pathlib import Path

from kardo.cli.files import read, write
from kardo.core.errors import ReadError


def add(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """The commands' names and options."""
    covered = commands.add_parser("coverage", help="what the images cover: how many see each place, how fine, holes")
    covered.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    covered.add_argument("--json", type=Path, help="write the figures here")
    covered.set_defaults(run=_coverage)
    lines = commands.add_parser("flight", help="flight lines and exposures as a file")
    lines.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    lines.add_argument(
        "--out",
        type=Path,
        required=True,
        help="where to: .geojson, .kml, .gpkg, .dxf, .csv (waypoints) or .pdf (a card)",
    )
    lines.set_defaults(run=_flight)


def _coverage(args: argparse.Namespace) -> int:
    from kardo.core.flight.air.clearance import of_lines
    from kardo.core.flight.ground.coverage import coverage, told
    from kardo.core.flight.ground.density import density, told_density
    from kardo.core.flight.lines.pattern import all_flown
    from kardo.core.plan.model import plan_from_json

    plan, began = plan_from_json(read(args.plan)), time.perf_counter()
    of_images = plan.mapped_by == "images"
    found = told(plan, coverage(plan)) if of_images else told_density(plan, density(plan))
    seconds = time.perf_counter() - began
    least = [c.least for c in (of_lines(plan, f) for f in all_flown(plan)) if c is not None]
    more = {} if of_images else {"density": asdict(found)["pulses"]}
    whole = asdict(found) | more | {"clearance": min(least, default=None), "seconds": seconds}
    write(args.json, whole)
    print(found.words)
    return 0


def _flight(args: argparse.Namespace) -> int:
    from kardo.core.plan.model import plan_from_json
    from kardo.formats.documents import pdf
    from kardo.formats.files import PLAN_FILES
    from kardo.formats.flight_card import flight_card_html

    plan, ending = plan_from_json(read(args.plan)), args.out.suffix.lower()
    name = f"flight{ending}"
    known = [*(f".{name.partition('.')[2]}" for name in PLAN_FILES if name.startswith("flight")), ".pdf"]
    if ending == ".pdf":
        body = pdf(flight_card_html(plan))
    elif name in PLAN_FILES:
        body = PLAN_FILES[name].write(plan)
    else:
        raise ReadError(
            f"Kardo writes no flight as {ending or 'a file without an ending'}.",
            where="--out",
            mend=f"One of {', '.join(known)}.",
        )
    args.out.write_bytes(body)
    print(f"{args.out}: {len(body):,} bytes")
    return 0
