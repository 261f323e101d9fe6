"""Commands of control: what the rules find, a layout searched, the round past all points."""

import argparse
import sys
import time
from dataclasses import asdict
from pathlib import Path

from kardo.cli.files import read, write
from kardo.core.errors import KardoError

FOUND = ("rule", "severity", "station", "object", "words", "mend", "measured", "threshold")
FRONT = ("targets", "checks", "minutes", "rmse_h", "rmse_v", "chance", "good", "judged", "left")


def add(commands: argparse._SubParsersAction) -> None:
    """The commands' names and options."""
    check = commands.add_parser("check", help="what the rules of practice find in a plan")
    check.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    check.add_argument("--json", type=Path, help="write the findings here")
    check.set_defaults(run=_check)
    search = commands.add_parser("search", help="few targets and checks that pass with a chance")
    search.add_argument("plan", type=Path, help="a Kardo plan (JSON); control that is pinned in it stays")
    search.add_argument("--chance", type=float, default=0.9, help="chance to pass that is wanted (default: 0.9)")
    search.add_argument("--places", type=int, default=1000, help="places that are tried, about (default: 1,000)")
    search.add_argument("--json", type=Path, help="write the front here")
    search.set_defaults(run=_search)
    walk = commands.add_parser("round", help="the shortest order in which to walk past all points")
    walk.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    walk.add_argument("--json", type=Path, help="write the order here")
    walk.set_defaults(run=_round)


def _check(args: argparse.Namespace) -> int:
    from kardo.core.accuracy.planned import missing
    from kardo.core.accuracy.prediction import predict
    from kardo.core.accuracy.results import Result
    from kardo.core.plan.model import plan_from_json
    from kardo.core.summary import found

    plan = plan_from_json(read(args.plan))
    predicted = None if missing(plan) else predict(plan)
    result = predicted if isinstance(predicted, Result) else None
    rows = [{key: getattr(f, key) for key in FOUND} for f in found(plan, result)]
    write(args.json, {"findings": rows})
    for row in rows:
        print(f"{row['severity']:4}  {row['station']:7}  {row['words']} {row['mend']}")
    return 0


def _search(args: argparse.Namespace) -> int:
    from kardo.core.plan.edits import changed
    from kardo.core.plan.model import plan_from_json
    from kardo.core.practice.layout import search
    from kardo.core.practice.proposed import Layout, Wish

    if not 0 < args.chance < 1:
        raise KardoError("A chance lies between 0 and 1.", where="--chance", mend="Give 0.9, for example.")
    plan, began = plan_from_json(read(args.plan)), time.perf_counter()
    first: list[float] = []

    def proposed(layout: Layout) -> None:
        first.append(time.perf_counter() - began)
        print(_line(layout), flush=True)

    def progress(stage: str, share: float) -> None:
        print(f"{share:4.0%} {stage}", file=sys.stderr)

    found = search(plan, Wish(args.chance, args.places), progress, proposed)
    seconds = time.perf_counter() - began
    front = [
        {key: getattr(one, key) for key in FRONT}
        | {"control": [p.model_dump(mode="json") for p in changed(plan, one.edits).control]}
        for one in found.front
    ]
    beside = [{"id": one.id, "words": one.words} for one in found.schools]
    whole = {**asdict(found), "front": front, "schools": beside, "first_seconds": first[0], "seconds": seconds}
    write(args.json, whole)
    print(found.words)
    return 0


def _line(one) -> str:
    chance = "" if one.chance is None else f", {one.chance:.0%}"
    v = f"H {1000 * one.rmse_h:.1f} mm, V {1000 * one.rmse_v:.1f} mm"
    return f"{one.targets} targets, {one.checks} checks: {v}{chance}; {one.minutes:.0f} min"


def _round(args: argparse.Namespace) -> int:
    from kardo.core.control.round import walk
    from kardo.core.flight.areas import ground_scale, round_start
    from kardo.core.geodesy.units import length
    from kardo.core.plan.model import plan_from_json

    plan = plan_from_json(read(args.plan))
    order, metres = walk(round_start(plan), [(p.e, p.n) for p in plan.control])
    metres /= ground_scale(plan)
    names, minutes = [plan.control[k].name for k in order], metres / plan.assume["walking_speed"]
    write(args.json, {"order": names, "metres": metres, "minutes": minutes})
    print(" ".join(names))
    print(f"{length(metres, plan.brief.unit)}, {minutes:.0f} min on foot")
    return 0
