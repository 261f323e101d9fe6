"""The kardo command: predictions without server or database."""

import argparse
import json
import sys
from dataclasses import replace
from pathlib import Path

from kardo.core.errors import KardoError


def main(argv: list[str] | None = None) -> int:
    """Exit status: 0 done, 1 the input is wrong, 3 the network has a defect."""
    args = _parser().parse_args(argv)
    try:
        return int(args.run(args))
    except KardoError as fault:
        print(f"kardo: {fault}", file=sys.stderr)
        return 1
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
    chain = commands.add_parser("heights", help="the height chain of every set-up, and what each device is told")
    chain.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    chain.add_argument("--json", type=Path, help="write the figures here")
    chain.set_defaults(run=_heights)
    visibility = commands.add_parser("visibility", help="satellites over a point of a plan, through a day in UTC")
    visibility.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    visibility.add_argument("--at", required=True, help="a set-up or a point: its id or name")
    visibility.add_argument(
        "--almanac", type=Path, help="a YUMA almanac (default: constellations as they are meant to be)"
    )
    visibility.add_argument("--date", help="year-month-day (default: the first visit's)")
    visibility.add_argument("--mask", type=float, default=15.0, help="degrees over the horizon (default: 15)")
    visibility.add_argument("--json", type=Path, help="write the figures here")
    visibility.set_defaults(run=_visibility)
    log = commands.add_parser("log", help="what the raw log of a base holds (RINEX, also Hatanaka and gzip)")
    log.add_argument("file", type=Path, help="a RINEX observation file")
    log.add_argument("--plan", type=Path, help="hold it against this plan")
    log.add_argument("--json", type=Path, help="write the figures here")
    log.set_defaults(run=_log)
    shift = commands.add_parser("shift", help="photo positions of a base “here”, moved to its final coordinates")
    shift.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    shift.add_argument("positions", type=Path, help="photo positions (CSV; grid, or latitude and longitude)")
    shift.add_argument(
        "--to", required=True, help="final coordinates of the mark: “E, N, H”, or latitude, longitude, height"
    )
    shift.add_argument("--mark", help="which mark, where several were taken “here”")
    shift.add_argument("--out", type=Path, required=True, help="write positions before and after here (CSV)")
    shift.set_defaults(run=_shift)
    demo = commands.add_parser("demo-plan", help="print a demo plan")
    demo.add_argument("name", help="sallow-bank or hask-quarry")
    demo.add_argument("--out", type=Path, help="write to a file instead of the screen")
    demo.set_defaults(run=_demo_plan)
    verify = commands.add_parser("verify", help="tell whether a signed report was altered")
    verify.add_argument("report", type=Path, help="a report as it was signed (PDF or HTML)")
    verify.add_argument("--key", help="the fingerprint that the key must have")
    verify.set_defaults(run=_verify)
    schema = commands.add_parser("plan-schema", help="print the JSON Schema of the plan")
    schema.set_defaults(run=_schema)
    bench = commands.add_parser("bench", help="time whole predictions against LAPACK's band Cholesky")
    bench.add_argument("--exposures", type=int, action="append", help="one size (default: 500, 2,000 and 10,000)")
    bench.add_argument("--json", type=Path, help="write the figures here")
    bench.set_defaults(run=_bench)
    return parser


def _read(path: Path) -> object:
    try:
        return json.loads(path.read_text())
    except (ValueError, UnicodeDecodeError) as fault:
        raise KardoError(f"Not JSON ({fault}).", where=str(path), mend="Give a file that Kardo wrote.") from fault


def _predict(args: argparse.Namespace) -> int:
    if (args.plan is None) == (args.network_in is None):
        raise KardoError(
            "Give either a plan or --network-in.",
            mend="kardo predict PLAN.json, or kardo predict --network-in NETWORK.json",
        )
    return _predict_network(args) if args.network_in else _predict_plan(args)


def _predict_network(args: argparse.Namespace) -> int:
    from kardo.core.accuracy.network import network_from_json
    from kardo.core.accuracy.prediction import predict_network
    from kardo.core.accuracy.results import result_json
    from kardo.core.accuracy.solution import DefectiveNetwork
    from kardo.core.plan.naming import without_braces

    network = network_from_json(_read(args.network_in))  # type: ignore[arg-type]
    try:
        result = predict_network(network)
    except DefectiveNetwork as fault:
        defects = [replace(d, words=without_braces(d.words)) for d in fault.defects]
        _write(args.json, {"defects": [result_json(d) for d in defects]})
        return _say_defects(defects)
    _write(args.json, result)
    _say_left_out(len(result["left_out"]))
    print(f"{len(result['cov'])} points, {len(result['seen']) // 3} checks")
    return 0


def _predict_plan(args: argparse.Namespace) -> int:
    from kardo.core.accuracy.planned import planned_network
    from kardo.core.accuracy.prediction import predict
    from kardo.core.accuracy.results import Undetermined, result_json
    from kardo.core.plan.model import plan_from_json
    from kardo.core.summary import told

    plan = plan_from_json(_read(args.plan))
    _write(args.network, planned_network(plan).network.to_json() if args.network else {})
    result = predict(plan)
    _write(args.json, result_json(result))
    words = told(plan, result)
    if isinstance(result, Undetermined):
        return _say_defects(words.defects)
    _say_left_out(len(result.left_out))
    print(f"on the map, absolute: H {result.rmse_h * 1000:.1f} mm, V {result.rmse_v * 1000:.1f} mm")
    if result.chance is not None and result.seen_rmse_h is not None and result.seen_rmse_v is not None:
        print(f"as the checks see it: H {result.seen_rmse_h * 1000:.1f} mm, V {result.seen_rmse_v * 1000:.1f} mm")
        print(f"chance to pass: {result.chance:.1%}")
    for name, share in zip(words.budget, result.budget, strict=True):
        if max(share.share_h, share.share_v) > SMALL_SHARE:
            print(f"  {share.share_h:4.0%} of H, {share.share_v:4.0%} of V: {name}")
    for sentence in words.blind:
        print(sentence)
    return 0


def _heights(args: argparse.Namespace) -> int:
    from kardo.core.geodesy.units import length
    from kardo.core.gnss.card import cards
    from kardo.core.gnss.heights import heights
    from kardo.core.plan.model import plan_from_json
    from kardo.core.plan.naming import name_of

    plan = plan_from_json(_read(args.plan))
    rows = []
    for setup in plan.setups:
        name = name_of(plan, "setup", setup.id)
        try:
            chain = heights(plan, setup.id)
        except KardoError as fault:
            print(f"{name}: {fault.what} {fault.mend}", file=sys.stderr)
            continue
        rows.append({"id": setup.id, **{key: getattr(chain, key) for key in CHAIN}})
        arp, apc = (length(v, plan.brief.unit, 4) for v in (chain.arp_ellipsoidal, chain.apc_ellipsoidal))
        print(f"{name}: ARP {arp}, APC {apc} ellipsoidal")
        for card in cards(plan, chain):
            boxes = "; ".join(f"{box.name} {box.typed} {box.unit}".rstrip() for box in card.boxes)
            print(f"  {card.name} ({card.point}): {boxes}; sum of figures {card.read_back}")
    _write(args.json, {"setups": rows})
    return 0


def _visibility(args: argparse.Namespace) -> int:
    import numpy as np

    from kardo.core.accuracy.results import nullable
    from kardo.core.day.overhead import midnight, sky_at, stand_of
    from kardo.core.gnss.orbits import nominal, utc
    from kardo.core.gnss.sky import windows
    from kardo.core.plan.model import plan_from_json
    from kardo.formats.yuma import read_yuma

    plan = plan_from_json(_read(args.plan))
    date = args.date or next((v.date for v in plan.visits if v.date), "")
    moments = midnight(date) + 60.0 * np.arange(24 * 60)
    almanac = read_yuma(args.almanac.read_bytes(), float(moments[0])) if args.almanac else nominal()
    found, _ = sky_at(plan, stand_of(plan, args.at), almanac, moments, args.mask)
    times = [utc(t) for t in moments]
    seen = {
        name: [[times[a], times[b]] for a, b in runs]
        for k, name in enumerate(found.names)
        if (runs := windows(found.seen[0, :, k]))
    }
    dops = {key: nullable(getattr(found, key)[0]) for key in ("gdop", "pdop", "hdop", "vdop", "tdop")}
    _write(args.json, {"times": times, "visible": seen, **dops})
    counts = found.counts[0]
    print(
        f"{args.at}, {date}: {counts.min()} to {counts.max()} satellites of {len(found.names)}, PDOP at worst {np.nanmax(found.pdop[0]):.2f}"
    )
    if almanac.source == "nominal":
        print("Constellations as they are meant to be: typical numbers, not this day's.")
    return 0


def _shift(args: argparse.Namespace) -> int:
    from kardo.core.close.closing import BlockShift
    from kardo.core.close.shift import marks_here, shift_by
    from kardo.core.geodesy.units import length
    from kardo.core.plan.model import plan_from_json
    from kardo.formats.positions import one_place, shifted_positions

    plan = plan_from_json(_read(args.plan))
    marks = [m for m in marks_here(plan) if args.mark in (None, m.id, m.name)]
    if len(marks) != 1:
        names = ", ".join(m.name for m in marks_here(plan)) or "none"
        raise KardoError(
            "It is not clear which mark is shifted.",
            where=str(args.plan),
            mend=f"Taken “here”: {names}. Say which with --mark.",
        )
    final = one_place(plan, args.to)
    shift = BlockShift(
        mark=marks[0].id, e=final.e, n=final.n, h=final.h, sigma_h=0.01, sigma_v=0.02, source="command line"
    )
    by = shift_by(plan, shift)
    text, count = shifted_positions(plan, args.positions.read_text(encoding="utf-8", errors="replace"), by)
    args.out.write_text(text)
    east, north, up = (length(v, plan.brief.unit, 4) for v in by)
    print(f"{count} photo positions moved by E {east}, N {north}, H {up}. The pictures' own records are left alone.")
    return 0


def _log(args: argparse.Namespace) -> int:
    from dataclasses import asdict

    from kardo.core.close.log_check import log_findings
    from kardo.core.gnss.orbits import SYSTEMS, gps_clock
    from kardo.core.plan.model import plan_from_json
    from kardo.formats.rinex import read_log

    plan = plan_from_json(_read(args.plan)) if args.plan else None
    log = read_log(args.file)
    findings = log_findings(log, plan)
    times = {"first": gps_clock(log.first), "last": gps_clock(log.last)}
    gaps = [[gps_clock(gap.first), gps_clock(gap.last)] for gap in log.gaps]
    _write(args.json, asdict(log) | times | {"gaps": gaps, "findings": [asdict(f) for f in findings]})
    seen = ", ".join(f"{count} {SYSTEMS.get(letter, letter)}" for letter, count in log.systems.items())
    every = f"every {log.interval:g} s" if log.interval else "once"
    print(
        f"{log.marker or 'no marker'}: {times['first']} to {times['last']} GPS time, {log.epochs} epochs {every}; {seen}"
    )
    for finding in findings:
        print(f"{finding.severity}: {finding.words} {finding.mend}")
    return 0


CHAIN = ("mark", "arp", "apc", "arp_ellipsoidal", "apc_ellipsoidal", "latitude", "longitude")
SMALL_SHARE = 0.005  # of the budget, not worth a line


def _write(path: Path | None, data: object) -> None:
    if path:
        path.write_text(json.dumps(data))


def _say_defects(defects: list) -> int:
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


def _bench(args: argparse.Namespace) -> int:
    try:
        from benchmarks import prediction
    except ModuleNotFoundError:
        raise KardoError("The benchmarks are not here.", mend="Run from a checkout of the sources.") from None
    prediction.run(tuple(args.exposures or prediction.SIZES), args.json)
    return 0


def _schema(_: argparse.Namespace) -> int:
    from kardo.core.plan.model import json_schema

    print(json.dumps(json_schema(), indent=1))
    return 0


if __name__ == "__main__":
    sys.exit(main())
