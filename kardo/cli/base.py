"""Commands of the base: heights, satellites, logs, what is broadcast, and its shift."""

import argparse
import sys
from pathlib import Path

from kardo.cli.files import read, write
from kardo.core.errors import KardoError

CHAIN = ("mark", "arp", "apc", "arp_ellipsoidal", "apc_ellipsoidal", "latitude", "longitude")


def add(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """The commands' names and options."""
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
    visibility.add_argument("--nav", type=Path, help="broadcast ephemerides instead (RINEX navigation 3.0x, also gzip)")
    visibility.add_argument("--date", help="year-month-day (default: the first visit's)")
    visibility.add_argument("--mask", type=float, default=15.0, help="degrees over the horizon (default: 15)")
    visibility.add_argument("--json", type=Path, help="write the figures here")
    visibility.set_defaults(run=_visibility)
    log = commands.add_parser("log", help="what the raw log of a base holds (RINEX, also Hatanaka and gzip)")
    log.add_argument("file", type=Path, help="a RINEX observation file")
    log.add_argument("--plan", type=Path, help="hold it against this plan")
    log.add_argument("--json", type=Path, help="write the figures here")
    log.set_defaults(run=_log)
    broadcast = commands.add_parser("broadcast", help="what a base broadcasts through a caster (NTRIP 1 or 2)")
    broadcast.add_argument("host", help="the caster")
    broadcast.add_argument("port", type=int)
    broadcast.add_argument("mount", help="the mount point")
    broadcast.add_argument("--plan", type=Path, help="hold it against the nearest set-up of this plan")
    broadcast.add_argument("--user", default="", help="who asks; the password is taken from KARDO_CASTER_PASSWORD")
    broadcast.add_argument("--seconds", type=float, default=12.0, help="how long to listen at most (default: 12)")
    broadcast.add_argument("--json", type=Path, help="write the figures here")
    broadcast.set_defaults(run=_broadcast)
    shift = commands.add_parser("shift", help="photo positions of a base “here”, moved to its final coordinates")
    shift.add_argument("plan", type=Path, help="a Kardo plan (JSON)")
    shift.add_argument("positions", type=Path, help="photo positions (CSV; grid, or latitude and longitude)")
    shift.add_argument(
        "--to", required=True, help="final coordinates of the mark: “E, N, H”, or latitude, longitude, height"
    )
    shift.add_argument(
        "--heights",
        choices=("job", "ellipsoidal"),
        help="what the height of --to is; asked beside latitude and longitude",
    )
    shift.add_argument("--why", default="", help="why a shift is farther than a position taken “here” is mostly off")
    shift.add_argument("--mark", help="which mark, where several were taken “here”")
    shift.add_argument(
        "--back", action="store_true", help="take a shift back: from final coordinates to those taken “here”"
    )
    shift.add_argument("--out", type=Path, required=True, help="write positions before and after here (CSV)")
    shift.add_argument("--json", type=Path, help="write the shift here")
    shift.set_defaults(run=_shift)


def _heights(args: argparse.Namespace) -> int:
    from kardo.core.geodesy.units import length
    from kardo.core.gnss.card import cards
    from kardo.core.gnss.heights import heights
    from kardo.core.plan.model import plan_from_json
    from kardo.core.plan.naming import name_of

    plan = plan_from_json(read(args.plan))
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
    write(args.json, {"setups": rows})
    return 0


def _visibility(args: argparse.Namespace) -> int:
    import numpy as np

    from kardo.core.accuracy.figures.results import nullable
    from kardo.core.arrays import Floats
    from kardo.core.plan.model import plan_from_json
    from kardo.core.site.overhead import midnight, sky_at, stand_of
    from kardo.core.sky.ephemeris import Ephemerides
    from kardo.core.sky.orbits import Almanac, nominal, utc
    from kardo.core.sky.visibility import windows
    from kardo.formats.rinex_nav import read_navigation
    from kardo.formats.yuma import read_yuma

    plan = plan_from_json(read(args.plan))
    date = args.date or next((v.date for v in plan.visits if v.date), "")
    moments: Floats = midnight(date) + 60.0 * np.arange(24 * 60, dtype=np.float64)
    almanac: Almanac | Ephemerides = nominal()
    if args.nav:
        almanac = read_navigation(args.nav.read_bytes())
    elif args.almanac:
        almanac = read_yuma(args.almanac.read_bytes(), float(moments[0]))
    known = almanac.covers(moments)
    if not known.any():
        raise KardoError(f"The file says nothing of {date}.", where=str(args.nav), mend="Give that day's file.")
    hours = ", ".join(f"{utc(moments[a])[11:16]} to {utc(moments[b])[11:16]}" for a, b in windows(known))
    moments = moments[known]
    found, _ = sky_at(plan, stand_of(plan, args.at), almanac, moments, args.mask)
    times = [utc(t) for t in moments]
    seen = {
        name: [[times[a], times[b]] for a, b in runs]
        for k, name in enumerate(found.names)
        if (runs := windows(found.seen[0, :, k]))
    }
    dops = {key: nullable(getattr(found, key)[0]) for key in ("gdop", "pdop", "hdop", "vdop", "tdop")}
    write(args.json, {"times": times, "visible": seen, **dops})
    counts = found.counts[0]
    print(
        f"{args.at}, {date}: {counts.min()} to {counts.max()} satellites of {len(found.names)}, PDOP at worst"
        f" {np.nanmax(found.pdop[0]):.2f}"
    )
    if not known.all():
        print(f"The file reaches over {hours} UTC of this day: of the rest nothing is known.")
    if almanac.source == "nominal":
        print("Constellations as they are meant to be: typical numbers, not this day's.")
    return 0


def _shift(args: argparse.Namespace) -> int:
    from kardo.core.close.shift import backwards, marks_here, shift_to
    from kardo.core.geodesy.units import length
    from kardo.core.plan.model import plan_from_json
    from kardo.formats.positions import one_place, shifted_positions

    plan = plan_from_json(read(args.plan))
    marks = [m for m in marks_here(plan) if args.mark in (None, m.id, m.name)]
    if len(marks) != 1:
        names = ", ".join(m.name for m in marks_here(plan)) or "none"
        raise KardoError(
            "It is not clear which mark is shifted.",
            where=str(args.plan),
            mend=f"Taken “here”: {names}. Say which with --mark.",
        )
    there = shift_to(plan, marks[0].id, one_place(plan, args.to, args.heights), args.why)
    by = backwards(there) if args.back else there
    text, count = shifted_positions(plan, args.positions.read_text(encoding="utf-8", errors="replace"), by)
    args.out.write_text(text)
    write(args.json, {"mark": marks[0].id, "by": by, "count": count})
    east, north, up = (length(v, plan.brief.unit, 4) for v in by)
    print(f"{count} photo positions moved by E {east}, N {north}, H {up}. The pictures' own records are left alone.")
    return 0


def _log(args: argparse.Namespace) -> int:
    from dataclasses import asdict

    from kardo.core.day.log_cover import log_findings
    from kardo.core.plan.model import plan_from_json
    from kardo.core.sky.orbits import gps_clock
    from kardo.formats.rinex import read_log

    plan = plan_from_json(read(args.plan)) if args.plan else None
    log = read_log(args.file)
    findings = log_findings(log, plan)
    times = {"first": gps_clock(log.first), "last": gps_clock(log.last)}
    gaps = [[gps_clock(gap.first), gps_clock(gap.last)] for gap in log.gaps]
    write(args.json, asdict(log) | times | {"gaps": gaps, "findings": [asdict(f) for f in findings]})
    seen = ", ".join(f"{count} {name}" for name, count in log.systems.items())
    every = f"every {log.interval:g} s" if log.interval else "once"
    print(
        f"{log.marker or 'no marker'}: {times['first']} to {times['last']} GPS time, {log.epochs} epochs {every};"
        f" {seen}"
    )
    for finding in findings:
        print(f"{finding.severity}: {finding.words} {finding.mend}")
    return 0


def _broadcast(args: argparse.Namespace) -> int:
    import os
    from dataclasses import asdict

    from kardo.core.gnss.broadcast import held_against, of_stream, told
    from kardo.core.gnss.heights import nearest_to
    from kardo.core.plan.model import plan_from_json
    from kardo.formats.rtcm import heard
    from kardo.outside.line import Address
    from kardo.outside.ntrip import Caster, listen

    plan = plan_from_json(read(args.plan)) if args.plan else None
    seconds = min(max(args.seconds, 1.0), 600.0)
    caster = Caster(Address(args.host, args.port), args.user, os.environ.get("KARDO_CASTER_PASSWORD", ""))
    found = heard(listen(caster, args.mount, seconds), seconds)
    data, remarks = asdict(found), of_stream(found)
    chain = nearest_to(plan, found.positions[-1]) if plan and found.positions else None
    if plan and chain:
        held = held_against(plan, chain, found)
        data |= {"setup": held.setup, "difference": asdict(held.difference) if held.difference else None}
        remarks = held.remarks
        print(told(plan, held))
    write(args.json, data | {"findings": [asdict(r) for r in remarks]})
    for place in found.positions:
        print("ARP at " + ", ".join(f"{v:.4f}" for v in place) + " (earth-centred)")
    systems = ", ".join(f"{letter} {count}" for letter, count in found.systems.items())
    print(
        f"antenna {found.antenna or 'not told'}; satellites {systems or 'none'}; {sum(found.messages.values())}"
        " messages"
    )
    for remark in remarks:
        print(f"{remark.severity}: {remark.words} {remark.mend}")
    return 0
