"""The kardo command: predictions without server or database."""

import argparse
import json
import os
import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kardo.cli import base, control, flight, points
from kardo.cli.files import read, write
from kardo.core.errors import KardoError

if TYPE_CHECKING:
    from kardo.core.accuracy.equation.defects import Defect


def main(argv: list[str] | None = None) -> int:
    """Exit status: 0 done, 1 the input is wrong, 3 the network has a defect."""
    args = _parser().parse_args(argv)
    try:
        return int(args.run(args))
    except KardoError as fault:
        print(f"kardo: {fault}", file=sys.stderr)
        return 1
    except BrokenPipeError:
        sys.stdout = open(os.devnull, "w")  # noqa: SIM115 - nobody reads on; what is still buffered is written nowhere
        return 0
    except OSError as fault:
        print(f"kardo: {fault.filename}: {fault.strerror}", file=sys.stderr)
        return 1


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="kardo", description="Predicts the accuracy of a drone survey from its plan.")
    commands = parser.add_subparsers(required=True)
    predict = commands.add_parser("predict", help="predict from a plan or a bare network")
    predict.add_argument("plan", nargs="?", type=Path, help="a Kardo plan (JSON)")
    predict.add_argument("--network-in", type=Path, help="predict from a linear network instead")
    predict.add_argument("--json", type=Path, help="write the result here")
    predict.add_argument("--network", type=Path, help="write the plan's linear network here")
    predict.set_defaults(run=_predict)
    base.add(commands)
    control.add(commands)
    flight.add(commands)
    points.add(commands)
    demo = commands.add_parser("demo-plan", help="print a demo plan")
    demo.add_argument("name", help="sallow-bank, hask-quarry or tarn-wood")
    demo.add_argument("--out", type=Path, help="write to a file instead of the screen")
    demo.set_defaults(run=_demo_plan)
    verify = commands.add_parser("verify", help="tell whether a signed report was altered")
    verify.add_argument("report", type=Path, help="a report as it was signed (PDF or HTML)")
    verify.add_argument("--key", help="the fingerprint that the key must have")
    verify.set_defaults(run=_verify)
    schema = commands.add_parser("plan-schema", help="print the JSON Schema of the plan")
    schema.set_defaults(run=_schema)
    return parser


def _predict(args: argparse.Namespace) -> int:
    if (args.plan is None) == (args.network_in is None):
        raise KardoError(
            "Give either a plan or --network-in.",
            mend="kardo predict PLAN.json, or kardo predict --network-in NETWORK.json",
        )
    return _predict_network(args) if args.network_in else _predict_plan(args)


def _predict_network(args: argparse.Namespace) -> int:
    from kardo.core.accuracy.equation.network import network_from_json
    from kardo.core.accuracy.equation.solution import DefectiveNetwork
    from kardo.core.accuracy.figures.results import result_json
    from kardo.core.accuracy.prediction import predict_network
    from kardo.core.plan.naming import without_braces

    data = read(args.network_in)
    if isinstance(data, dict) and "laser" in data:
        return _predict_laser(args, data)
    network = network_from_json(data)  # type: ignore[arg-type]
    try:
        result = predict_network(network)
    except DefectiveNetwork as fault:
        defects = [replace(d, words=without_braces(d.words)) for d in fault.defects]
        write(args.json, {"defects": [result_json(d) for d in defects]})
        return _say_defects(defects)
    write(args.json, result)
    _say_left_out(len(result["left_out"]))
    print(f"{len(result['cov'])} points, {len(result['seen']) // 3} checks")
    return 0


def _predict_laser(args: argparse.Namespace, data: Any) -> int:
    import numpy as np

    from kardo.core.accuracy.scan.network import adjusted
    from kardo.core.accuracy.scan.network_json import laser_from_json

    found = adjusted(laser_from_json(data))
    seen = [[None if np.isnan(v) else v for v in row] for row in found.seen.tolist()]
    write(args.json, {"cov": found.cov.tolist(), "seen": seen})
    print(f"{len(found.cov)} places, {len(seen) // 3} checks")
    return 0


def _predict_plan(args: argparse.Namespace) -> int:
    from kardo.core.accuracy.figures.results import Undetermined, result_json
    from kardo.core.accuracy.images.planned import planned_network
    from kardo.core.accuracy.prediction import predict
    from kardo.core.accuracy.scan.planned import scan_to_json
    from kardo.core.plan.model import plan_from_json
    from kardo.core.presentation.words import result_text

    plan = plan_from_json(read(args.plan))
    if args.network:
        write(args.network, scan_to_json(plan) if plan.mapped_by == "scan" else planned_network(plan).network.to_json())
    result = predict(plan)
    write(args.json, result_json(result))
    words = result_text(plan, result)
    if isinstance(result, Undetermined):
        return _say_defects(words.defects)
    _say_left_out(len(result.left_out))
    print(f"on the map, absolute: H {result.rmse_h * 1000:.1f} mm, V {result.rmse_v * 1000:.1f} mm")
    if newer := result.newer:
        words_of = f"H {newer.rmse_h * 1000:.1f} mm, V {newer.rmse_v * 1000:.1f} mm by those of {newer.edition}"
        print(
            f"warning: the plan rests on the defaults of {plan.assumptions.edition}; it is {words_of}", file=sys.stderr
        )
    if result.chance is not None and result.seen_rmse_h is not None and result.seen_rmse_v is not None:
        print(f"as the checks see it: H {result.seen_rmse_h * 1000:.1f} mm, V {result.seen_rmse_v * 1000:.1f} mm")
        print(f"probability of passing: {100 * result.chance:.1f} %")
    for name, share in zip(words.budget, result.budget, strict=True):
        if max(share.share_h, share.share_v) > SMALL_SHARE:
            print(f"  {share.share_h:4.0%} of H, {share.share_v:4.0%} of V: {name}")
    for sentence in words.blind:
        print(sentence)
    return 0


SMALL_SHARE = 0.005  # of the budget, not worth a line


def _say_defects(defects: "list[Defect]") -> int:
    for defect in defects:
        print(f"defect: {defect.words} {defect.mend}", file=sys.stderr)
    return 3


def _say_left_out(count: int) -> None:
    if count:
        print(f"{count} exposures have too few tie rays to be oriented and are left out.")


def _demo_plan(args: argparse.Namespace) -> int:
    from kardo.demo import demo_plan

    text = json.dumps(demo_plan(args.name).to_json())
    if args.out:
        args.out.write_text(text)
    else:
        print(text)
    return 0


def _verify(args: argparse.Namespace) -> int:
    from kardo.core.close.record import faults
    from kardo.formats.report import read_report

    record, key = read_report(args.report.read_bytes())
    if args.key and args.key.strip().upper() != key:
        raise KardoError(
            f"The report is sealed with the key {key}, not {args.key}.", mend="It was not sealed by whom you expect."
        )
    found = faults(record)
    if record.signed is None:
        found.append("Nobody has signed it.")
    if found:
        raise KardoError(" ".join(found), where=str(args.report), mend="Ask for the report as it was signed.")
    assert record.signed is not None
    print(f"Intact since it was signed: {record.title}, revision {record.revision}.")
    print(f"{record.signed.by} signed at {record.signed.at[:16]} UTC and certifies: {record.signed.certified}")
    print(f"Key {key}{' as expected' if args.key else ': compare it with the one that the organisation gave you'}.")
    for name in ("plan", "book", "closing"):
        print(f"{name} {getattr(record, f'{name}_digest')}")
    return 0


def _schema(_: argparse.Namespace) -> int:
    from kardo.core.plan.model import json_schema

    print(json.dumps(json_schema(), indent=1))
    return 0
