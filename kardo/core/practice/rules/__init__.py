"""The rules, a file a station, five for the Flight and three for Control; importing this enters them all into the
catalogue."""

from kardo.core.practice.rules import (
    base,
    brief,
    closed,
    control,
    coverage,
    design,
    flight,
    flying,
    laser,
    observing,
    occupiability,
    site,
    verdict,
)

__all__ = [
    "base",
    "brief",
    "closed",
    "control",
    "coverage",
    "design",
    "flight",
    "flying",
    "laser",
    "observing",
    "occupiability",
    "site",
    "verdict",
]
