"""Run the stand-ins beside the demo: python -m kardo.standins --caster 2101 --processing 2102 --receiver 2103 --network
2104 --airspace 2105; or write a receiver's raw log:
python -m kardo.standins --log base.rnx --hours 4."""

import argparse
import asyncio
import datetime
from pathlib import Path

from kardo.core.gnss.heights import frame_of_chain, heights
from kardo.demo import demo_plan
from kardo.standins.airspace import AirspaceStandIn
from kardo.standins.caster import Base, CasterStandIn, bases_of
from kardo.standins.network import NetworkStandIn
from kardo.standins.processing import ProcessingStandIn
from kardo.standins.raw_log import log_3
from kardo.standins.receiver import receiver_of

DEMO = {"SALLOW": "sallow-bank", "HASK": "hask-quarry"}
USER, PASSWORD = "corvane", "corvane-demo"


def demo_bases() -> list[Base]:
    """The first set-up of each demo plan on the air, as planned and wrong."""
    found = []
    for name, key in DEMO.items():
        plan = demo_plan(key)
        found += bases_of(plan, heights(plan, plan.setups[0].id), name)
    return found


def main() -> None:
    """Until it is ended."""
    parser = argparse.ArgumentParser(prog="kardo.standins")
    parser.add_argument("--caster", type=int, default=2101, help="port of the correction caster")
    parser.add_argument("--processing", type=int, default=2102, help="port of the static post-processing")
    parser.add_argument("--receiver", type=int, default=2103, help="port of the base receiver of Hask Quarry")
    parser.add_argument("--network", type=int, default=2104, help="port of the reference network")
    parser.add_argument("--airspace", type=int, default=2105, help="port of the airspace authority")
    parser.add_argument("--log", type=Path, help="write the raw log of that receiver to a file, and end")
    parser.add_argument("--hours", type=float, default=4.0, help="how long it logged, an epoch every 30 s")
    args = parser.parse_args()
    if args.log:
        args.log.write_text(hask_log(args.hours))
        return
    asyncio.run(_serve(args.caster, args.processing, args.receiver, args.network, args.airspace))


def hask_log(hours: float) -> str:
    """The raw log of the base of Hask Quarry, as its set-up has it, from half an hour before the day's first flight
    on."""
    plan = demo_plan("hask-quarry")
    chain = heights(plan, plan.setups[0].id)
    at = chain.latitude, chain.longitude, chain.mark_ellipsoidal
    place = frame_of_chain(plan, chain).earth_centred(at).tolist()
    start = datetime.datetime.fromisoformat(f"{plan.visits[0].date}T08:30:00")
    seconds = int(3600 * hours) + 1
    return log_3(
        seconds, 30, marker=chain.mark_name, height=chain.arp_above_mark, approx=place, interval=30.0, start=start
    )


async def _serve(caster: int, processing: int, receiver: int, network: int, airspace: int) -> None:
    plan = demo_plan("hask-quarry")
    casting = CasterStandIn(demo_bases(), USER, PASSWORD).serve(caster)
    standing = receiver_of(heights(plan, plan.setups[0].id), "converging").serve(receiver)
    others = NetworkStandIn().serve(network), AirspaceStandIn().serve(airspace)
    await asyncio.gather(casting, ProcessingStandIn().serve(processing), standing, *others)


if __name__ == "__main__":
    main()
