"""What is to be said of something that came from a receiver."""

from dataclasses import dataclass
from typing import Literal

Severity = Literal["stop", "warn", "note"]


@dataclass(frozen=True)
class Remark:
    """stop (it will not do), warn, or note; what, and what to do."""

    severity: Severity
    words: str
    mend: str


def worst_first(remarks: list[Remark]) -> list[Remark]:
    """Remarks by severity, each kind in its own order."""
    return sorted(remarks, key=lambda r: ("stop", "warn", "note").index(r.severity))
