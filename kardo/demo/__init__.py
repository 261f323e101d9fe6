"""The demo jobs on the made-up island of Corvane: synthetic ground, marks and plans, seeded and repeatable."""

from kardo.core.errors import KardoError
from kardo.core.plan.model import Plan
from kardo.demo.quarry import hask_quarry
from kardo.demo.sallow import sallow_bank
from kardo.demo.tarn import tarn_wood

DEMOS = {"sallow-bank": sallow_bank, "hask-quarry": hask_quarry, "tarn-wood": tarn_wood}


def demo_plan(name: str) -> Plan:
    """A demo plan by name. Raises KardoError for a name there is none of."""
    if name not in DEMOS:
        raise KardoError(f"There is no demo “{name}”.", mend=f"Demos: {', '.join(DEMOS)}.")
    return DEMOS[name]()
