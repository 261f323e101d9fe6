"""What Kardo predicts for set-ups of a published kind, beside the range that practice reports of such jobs.

`python -m benchmarks.evidence` writes docs/evidence.md anew. Figures are in ground pixels, so that height and camera
cancel."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from benchmarks.prediction import HEIGHT, SOUTH, WEST, block_plan
from kardo.core.accuracy.figures.results import Result
from kardo.core.accuracy.prediction import predict
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnSetUp

DOCUMENT = Path(__file__).parents[1] / "docs" / "evidence.md"
ALLOWED = 1 / 3  # beyond a range, before it has to be explained or the defaults changed
Range = tuple[float, float]


@dataclass(frozen=True)
class Case:
    """A set-up: what it is in words, images, targets, calibration state, changes to the flight, and the ranges of RMSE
    H (radial) and V in ground pixels that practice reports; why the prediction may lie outside of them."""

    words: str
    images: int
    targets: int
    h: Range
    v: Range
    flight: dict[str, Any]
    calibration: str = "earlier"
    camera: str = "mp20"
    why: str = ""


@dataclass(frozen=True)
class Predicted:
    """A case with its prediction in ground pixels: absolute and as checks on the same base see it, and the largest
    source of the error in height with its share."""

    case: Case
    images: int
    h: float
    v: float
    seen_h: float
    seen_v: float
    largest: str
    share: float

    def within(self, slack: float) -> bool:
        """Whether H and V lie inside their ranges widened by a share of the ends."""
        pairs = ((self.h, self.case.h), (self.v, self.case.v))
        return all(low * (1 - slack) <= is_ <= high * (1 + slack) for is_, (low, high) in pairs)

    @property
    def verdict(self) -> str:
        """In words."""
        return "inside" if self.within(0) else "within a third" if self.within(ALLOWED) else "explained below"


ABOUT_ONE = (0.8, 1.25)
NONE: dict[str, Any] = {"corrections": "none"}
CASES = (
    Case("fixed positions, no target", 200, 0, ABOUT_ONE, (2, 4), {}),
    Case("fixed positions, no target", 400, 0, ABOUT_ONE, (2, 4), {}),
    Case("fixed positions, one target", 200, 1, ABOUT_ONE, (1, 1.5), {}),
    Case("fixed positions, one target", 400, 1, ABOUT_ONE, (1, 1.5), {}),
    Case("fixed positions, five targets", 400, 5, ABOUT_ONE, (1, 1.5), {}),
    Case(
        "no positions, five targets",
        200,
        5,
        (1, 1.5),
        (2, 5),
        NONE,
        why=(
            "The block is small, 213 m a side: between five targets that near the pattern bends it little. Reports of"
            " this kind are of blocks of some hundred images; with 420 the prediction is within a third, with 840"
            " inside."
        ),
    ),
    Case("no positions, five targets", 400, 5, (1, 1.5), (2, 5), NONE),
    Case("no positions, five targets", 800, 5, (1, 1.5), (2, 5), NONE),
    Case("no positions, five targets, rolling shutter", 400, 5, (1, 1.5), (2, 5), NONE, camera="mp12"),
    Case("no positions, sixteen targets", 200, 16, ABOUT_ONE, (1.2, 2), NONE),
    Case("no positions, sixteen targets", 400, 16, ABOUT_ONE, (1.2, 2), NONE),
    Case("no positions, twenty targets", 800, 20, ABOUT_ONE, (1.2, 2), NONE),
)


def spots(count: int) -> list[tuple[float, float]]:
    """Places of some targets in a square of side one: the middle, the extremes and the middle, or rows of four."""
    low, high = 0.06, 0.94
    if count <= 1:
        return [(0.5, 0.5)][:count]
    if count == 5:
        return [(low, low), (high, low), (high, high), (low, high), (0.5, 0.5)]
    rows = count // 4
    step = high - low
    return [(low + step * i / 3, low + step * j / (rows - 1)) for j in range(rows) for i in range(4)]


def planned(case: Case) -> Plan:
    """The plan of a case: a square block at 80/70 over rolling ground, 30 checks on the base of the targets."""
    plan = block_plan(case.images)
    side = max(e for e, _ in plan.site.boundary) - WEST
    on_base = OnSetUp(setup="base")
    targets = tuple(
        ControlPoint(
            id=f"G{k}", name=f"G{k}", role="target", e=WEST + side * x, n=SOUTH + side * y, positioned_from=on_base
        )
        for k, (x, y) in enumerate(spots(case.targets), 1)
    )
    kit = kit_of(cameras=(case.camera,), calibration=case.calibration)
    gsd = HEIGHT / plan.kit.cameras[0].f_px  # the same for every camera: the height follows
    height = gsd * kit.cameras[0].f_px
    flight = plan.flights[0].having(camera=case.camera, height_m=height, **case.flight)
    return plan.model_copy(update={"control": targets + plan.checks, "kit": kit, "flights": (flight,)})


def predicted(case: Case) -> Predicted:
    """What Kardo says of a case."""
    plan = planned(case)
    result = predict(plan)
    assert isinstance(result, Result) and result.seen_rmse_h is not None and result.seen_rmse_v is not None
    gsd = plan.flights[0].height_m / plan.kit.cameras[0].f_px
    largest = max(result.budget, key=lambda s: s.share_v)
    figures = (x / gsd for x in (result.rmse_h, result.rmse_v, result.seen_rmse_h, result.seen_rmse_v))
    return Predicted(case, result.size.exposures, *figures, largest.kind, largest.share_v)


def lines(found: list[Predicted]) -> Iterator[str]:
    """The document."""
    yield from PREFACE
    yield "| set-up | images | reported H | reported V | H | V | as checks see H | V | largest in V | |"
    yield "|---|---|---|---|---|---|---|---|---|---|"
    for one in found:
        case = one.case
        reported = (f"{low:g} to {high:g}" for low, high in (case.h, case.v))
        yield (
            f"| {case.words} | {one.images} | {' | '.join(reported)} | {one.h:.2f} | {one.v:.2f} | {one.seen_h:.2f} | "
            f"{one.seen_v:.2f} | {one.largest} {one.share:.0%} | {one.verdict} |"
        )
    for one in found:
        if not one.within(ALLOWED):
            yield ""
            yield f"**{one.case.words}, {one.images} images.** {one.case.why}"
    yield from AFTERWORD


PREFACE = """# Held against the field

Levels are assumptions; what judges them is what closed jobs achieve. This page is made by `python -m benchmarks.evidence`: for
set-ups of a published kind, the range of RMSE at independent checks that practice reports, in ground pixels (H radial), and what Kardo
predicts for a plan of that set-up. A prediction more than a third outside its range is explained here, or the defaults are changed.

The plans: square blocks at 80 % forward and 70 % side overlap over ground that rolls by 6 m, 22 mm pixels, lens calibrated
earlier, base on a known mark (10 mm each axis, 15 mm V), targets once by RTK rover. Compared are the absolute figures: reports seldom
say what their checks had in common with the block. What checks on the same base see stands beside them; it lacks the mark's share.
""".splitlines()
AFTERWORD = """
## What is not held yet

- The ranges are round figures of what is known to be so, not a survey of the literature; closed jobs of this program's own users
  will be better evidence, set-up by set-up.
- Blocks from float positions, corridors, oblique and facade work, strong relief, laser: no range is at hand.
- In H the prediction rests on what a point is (0.4 of a pixel each axis): it is most of the figure in every row.
- The lens and shutter pattern is the same for all images of a camera. Drift during a flight (heat, focus) is not in it.
""".splitlines()


def main() -> None:
    """Write the document."""
    found = [predicted(case) for case in CASES]
    DOCUMENT.write_text("\n".join(lines(found)) + "\n")
    print(f"{sum(one.within(ALLOWED) for one in found)} of {len(found)} set-ups lie within a third of their range.")


if __name__ == "__main__":
    main()
