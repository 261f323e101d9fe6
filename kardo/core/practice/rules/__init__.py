"""The rules, a file a station; importing this enters them all into the catalogue."""

from kardo.core.practice.rules import base, control, flight, site, verdict

__all__ = ["base", "control", "flight", "site", "verdict"]
