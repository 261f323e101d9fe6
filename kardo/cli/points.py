"""Lists of points from one file to another, and from one grid to another."""

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kardo.core.errors import ReadError

if TYPE_CHECKING:
    from collections.abc import Callable

    from kardo.core.geodesy.crs import Grid
    from kardo.core.geodesy.units import UnitId
    from kardo.core.plan.model import Plan
    from kardo.formats.coordinates import ReadPoint

ASKED = 2  # exit status where a reading has to be asked about


def add(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """The command's name and options."""
    convert = commands.add_parser("convert", help="points from one file to another, also to another grid")
    convert.add_argument(
        "file", type=Path, help="a list (CSV, text), GeoJSON, KML, KMZ, GPX, GeoPackage, zipped Shapefile or DXF"
    )
    convert.add_argument("out", type=Path, help="where to: .csv, .geojson, .kml, .kmz, .gpx, .gpkg or .dxf")
    convert.add_argument("--crs", required=True, help="the grid of a list that names none, such as EPSG:25828")
    convert.add_argument("--to-crs", help="the grid to bring them to (default: the same)")
    convert.add_argument("--heights", default="ellipsoidal", help="the height system of both (default: ellipsoidal)")
    convert.add_argument("--unit", default="m", help="m, ft, us-ft or ind-ft, of a list that names none (default: m)")
    convert.add_argument("--approximate", action="store_true", help="an approximate transformation is good enough")
    convert.add_argument("--way", default="", help="which way of reading, where it was asked")
    convert.set_defaults(run=_convert)


def _convert(args: argparse.Namespace) -> int:
    from kardo.core.geodesy.crs import grid
    from kardo.core.geodesy.units import UNITS
    from kardo.formats.map.reading import is_map_file
    from kardo.formats.points import read_any_points

    if args.unit not in UNITS:
        raise ReadError(f"There is no unit {args.unit}.", where="--unit", mend=f"One of {', '.join(UNITS)}.")
    write = _writer(args.out)
    own, to = (grid(code, args.heights) for code in (args.crs, args.to_crs or args.crs))
    own = own.with_neighbours()
    data = args.file.read_bytes()
    # a list is read in its own grid and moved; a file that names its system is brought to the grid that is wanted
    read_in = to if is_map_file(data) else own
    found = read_any_points(data, args.file.name, read_in, args.unit, chosen=args.way)
    if found.options:
        print("This can be read in several ways; say which by --way:", file=sys.stderr)
        for option in found.options:
            print(f"  {option.key}  {option.words}", file=sys.stderr)
        return ASKED
    if found.approximate and not args.approximate:
        print(f"{found.approximate} Say by --approximate that this is good enough.", file=sys.stderr)
        return ASKED
    points, how = list(found.points), list(found.how)
    if read_in is own:
        points, moved = _brought(points, own, to)
        how += moved
    args.out.write_bytes(write(_as_plan(points, args.to_crs or args.crs, args.heights, args.unit)))
    for line in how:
        print(line)
    print(f"{len(points)} points written.")
    return 0


def _writer(out: Path) -> "Callable[[Plan], bytes]":
    from kardo.formats.files import PLAN_FILES

    found = {
        name.rpartition(".")[2]: made.write
        for name, made in PLAN_FILES.items()
        if name.startswith(("points", "control"))
    }
    if out.suffix.lower()[1:] not in found:
        raise ReadError(
            f"Points are not written as {out.suffix or out.name}.",
            mend=f"One of {', '.join(f'.{end}' for end in found)}.",
        )
    return found[out.suffix.lower()[1:]]


def _brought(points: "list[ReadPoint]", own: "Grid", to: "Grid") -> "tuple[list[ReadPoint], list[str]]":
    """Points in another grid, and how they came there."""
    from dataclasses import replace

    import numpy as np

    from kardo.core.plan.published import moved

    e, n, h = (np.array([getattr(p, axis) for p in points], dtype=float) for axis in "enh")  # None becomes nan
    there = moved(own, to, e, n, h)
    rows = zip(points, there.e.tolist(), there.n.tolist(), there.h.tolist(), strict=True)
    return [replace(p, e=a, n=b, h=c if np.isfinite(c) else None) for p, a, b, c in rows], there.words


def _as_plan(points: "list[ReadPoint]", crs: str, heights: str, unit: "UnitId") -> "Plan":
    """A plan with nothing but these points, which is what is written."""
    from kardo.core.plan.brief import Brief
    from kardo.core.plan.control import ControlPoint
    from kardo.core.plan.model import Plan
    from kardo.core.plan.stands import OnNothing

    def point(k: int, p: "ReadPoint") -> ControlPoint:
        role: Any = "check" if "check" in p.code.casefold() else "target"
        name = p.name[:60] or str(k)
        return ControlPoint(id=f"P{k}", name=name, role=role, e=p.e, n=p.n, h=p.h, positioned_from=OnNothing())

    brief = Brief(title="Points", crs=crs, heights=heights, unit=unit)
    return Plan(brief=brief, control=tuple(point(k, p) for k, p in enumerate(points, 1)))
