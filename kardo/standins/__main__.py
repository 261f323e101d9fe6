"""Run the stand-ins beside the demo: python -m kardo.standins --caster 2101 --processing 2102."""

import argparse
import asyncio

from kardo.core.gnss.heights import heights
from kardo.demo import demo_plan
from kardo.standins.caster import Base, CasterStandIn, bases_of
from kardo.standins.processing import ProcessingStandIn

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
    args = parser.parse_args()
    asyncio.run(_serve(args.caster, args.processing))


async def _serve(caster: int, processing: int) -> None:
    casting = CasterStandIn(demo_bases(), USER, PASSWORD).serve(caster)
    await asyncio.gather(casting, ProcessingStandIn().serve(processing))


if __name__ == "__main__":
    main()
