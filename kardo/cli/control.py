"""Commands of control: what the rules find, a layout searched, the round past all points."""

import argparse
import sys
import time
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

from kardo.cli.files import read, write
from kardo.core.errors import KardoError

if TYPE_CHECKING:
    from kardo.core.layout.proposed import Layout

FOUND = ("rule", "severity", "station", "object", "words", "mend", "measured", "threshold")
FRONT = ("targets", "checks", "minutes", "rmse_h", "rmse_v", "chance", "good", "judged", "left")


def add(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """The commands' names and options."""
    check = commands.add_parser("check", help="what the rules of practice find in a plan")
    check.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    check.add_argument("--rules", "--house", type=Path, help="rules that an organisation asks otherwise (JSON)")
    check.add_argument("--json", type=Path, help="write the findings here")
    check.set_defaults(run=_check)
    search = commands.add_parser("search", help="few control and check points that pass with a probability")
    search.add_argument("plan", type=Path, help="a Kardo plan (JSON); control that is pinned in it stays")
    search.add_argument("--chance", type=float, help="probability of passing that is wanted (default: the plan's, 0.9)")
    search.add_argument("--places", type=int, default=1000, help="places that are tried, about (default: 1,000)")
    search.add_argument("--json", type=Path, help="write the front here")
    search.set_defaults(run=_search)
    walk = commands.add_parser("round", help="the rounds past all points: targets out, occupations, targets in")
    walk.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    walk.add_argument("--people", type=int, default=1, help="among how many it is shared (default: 1)")
    walk.add_argument("--by", choices=("foot", "vehicle"), default="foot", help="how one goes (default: foot)")
    walk.add_argument("--json", type=Path, help="write the rounds here")
    walk.set_defaults(run=_round)


def _check(args: argparse.Namespace) -> int:
    from kardo.core.accuracy.figures.results import Result
    from kardo.core.accuracy.inputs.lacking import missing
    from kardo.core.accuracy.prediction import predict
    from kardo.core.plan.model import plan_from_json
    from kardo.core.policy.organisation import organisation_rules
    from kardo.core.policy.policy import catalogue, policy_of
    from kardo.core.presentation.findings import check_plan

    own = organisation_rules(read(args.rules), catalogue()) if args.rules else None
    plan = plan_from_json(read(args.plan)).under(policy_of(own))
    predicted = None if missing(plan) else predict(plan)
    result = predicted if isinstance(predicted, Result) else None
    rows = [{key: getattr(f, key) for key in FOUND} for f in check_plan(plan, result)]
    write(args.json, {"findings": rows})
    for row in rows:
        print(f"{row['severity']:4}  {row['station']:7}  {row['words']} {row['mend']}")
    return 0


def _search(args: argparse.Namespace) -> int:
    from kardo.core.layout.proposed import SearchOptions
    from kardo.core.layout.search import Search, search
    from kardo.core.plan.edits import changed
    from kardo.core.plan.model import plan_from_json

    if args.chance is not None and not 0 < args.chance < 1:
        raise KardoError("A probability lies between 0 and 1.", where="--chance", mend="Give 0.9, for example.")
    plan, began = plan_from_json(read(args.plan)), time.perf_counter()
    first: list[float] = []

    def so_far(found: Search) -> None:
        if not first or (found.proposed is not None and found.proposed == len(found.front) - 1):
            print(_line(found.front[-1]), flush=True)
        first.append(time.perf_counter() - began)

    def progress(stage: str, share: float) -> None:
        print(f"{share:4.0%} {stage}", file=sys.stderr)

    found = search(plan, SearchOptions(args.chance or plan.brief.chance, args.places), progress, so_far)
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


def _line(one: "Layout") -> str:
    from kardo.core.geodesy.units import counted

    chance = "" if one.chance is None else f", {100 * one.chance:.0f} %"
    v = f"H {1000 * one.rmse_h:.1f} mm, V {1000 * one.rmse_v:.1f} mm"
    return (
        f"{counted(one.targets, 'control point')}, {counted(one.checks, 'check point')}: {v}{chance};"
        f" {one.minutes:.0f} min"
    )


def _round(args: argparse.Namespace) -> int:
    from kardo.core.day.rounds import rounds_of
    from kardo.core.geodesy.units import length
    from kardo.core.plan.model import plan_from_json

    plan = plan_from_json(read(args.plan))
    found = rounds_of(plan, args.people, args.by)
    names = {f"control/{p.id}": p.name for p in plan.control}
    rounds = [asdict(one) | {"order": [names[s.about] for s in one.stops]} for one in found.rounds]
    first = next(iter(rounds), {"order": [], "metres": 0.0, "minutes": 0.0})
    write(
        args.json,
        {key: first[key] for key in ("order", "metres", "minutes")} | {"rounds": rounds, "unreached": found.unreached},
    )
    for one in rounds:
        who = f" (person {one['person']})" if args.people > 1 else ""
        print(f"{one['words']}{who}: {' '.join(one['order'])}")
        print(f"  {length(one['metres'], plan.brief.unit)}, {one['minutes']:.0f} min with the work at each point")
    print(found.told)
    return 0
