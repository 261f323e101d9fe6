"""How the work of a prediction divides among its stages, so that progress tells an honest share.

Work is counted in seconds of the machine of docs/benchmarks.md; only the proportions matter, for the time left is told
from the share and the time already spent."""

from collections.abc import Callable
from dataclasses import dataclass

Progress = Callable[[str, float], None]

LAYING_OUT, FORMING, FACTORING = "laying out the network", "forming the normal equations", "factoring them"
MAP, CHECKS, DONE = "propagating to the map", "judging by the checks", "done"
GUESSED = frozenset({"", LAYING_OUT, FORMING})  # stages before the size of the work is known

PER_RAY_LAID_OUT, PER_RAY_FORMED = 1.5e-6, 2.6e-6
FACTOR_RATE, MAP_RATE, CHECK_RATE = 20e9, 33e9, 6e9  # operations a second


@dataclass(frozen=True)
class Effort:
    """Work of each stage from the size of a network: rays, rows of the band and its half width, map points and
    checks."""

    rays: int
    order: int
    half_band: int
    map_points: int
    checks: int

    def stages(self) -> dict[str, float]:
        """Seconds by stage. The map's columns are solved forward from where each begins, and backward in full."""
        area = float(self.order) * self.half_band
        return {
            LAYING_OUT: PER_RAY_LAID_OUT * self.rays,
            FORMING: PER_RAY_FORMED * self.rays,
            FACTORING: area * self.half_band / FACTOR_RATE,
            MAP: 9 * area * self.map_points / MAP_RATE,
            CHECKS: 0.1 + 3 * area * (self.checks + 40) / CHECK_RATE,
        }

    def share(self, stage: str, part: float = 0.0) -> float:
        """Share of all work done when `part` of a stage is."""
        stages = self.stages()
        names = list(stages)
        before = sum(stages[name] for name in names[: names.index(stage)])
        return (before + part * stages[stage]) / sum(stages.values())
