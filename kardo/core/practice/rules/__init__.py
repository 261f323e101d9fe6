"""The rules, a file a station; importing this enters them all into the catalogue."""

from kardo.core.practice.rules import base, brief, control, flight, site, verdict

__all__ = ["base", "brief", "control", "flight", "site", "verdict"]
