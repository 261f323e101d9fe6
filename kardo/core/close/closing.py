"""The closing of a job: what processing made of its points, the block shift that was applied, and what was waived and
why."""

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from kardo.core.errors import PlanError
from kardo.core.parts import MAX_POINTS, Clean, Coordinate, Height, Identifier, Part, Sigma, validated
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import Finding

MOST_SETS = 100

Difference = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Count = Annotated[int, Field(ge=0, le=10_000_000)]
Line = Annotated[str, Field(max_length=300), Clean]
Used = Literal["adjusted", "checked", "unused"]


class Outcome(Part):
    """What became of a point in processing: whether it adjusted the block, only checked it, or was not used; map minus
    survey east, north and up in metres of the job's grid and heights, None where nothing was measured; images it was
    measured in."""

    point: Identifier
    used: Used
    d: tuple[Difference, Difference, Difference] | None = None
    images: Count | None = None

    @model_validator(mode="after")
    def _checked_is_measured(self) -> "Outcome":
        if self.used == "checked" and self.d is None:
            raise ValueError(f"{self.point} is to be a check and has no residual")
        return self


class ResidualSet(Part):
    """The residuals of one processing: the file they were read from, how it was read, and in how many images and camera
    positions processing found."""

    file: Line
    how: Annotated[tuple[Line, ...], Field(max_length=20)] = ()
    outcomes: Annotated[tuple[Outcome, ...], Field(max_length=MAX_POINTS)]
    images: Count | None = None
    positions: Count | None = None

    @model_validator(mode="after")
    def _each_once(self) -> "ResidualSet":
        ids = [o.point for o in self.outcomes]
        if twice := next((key for key in ids if ids.count(key) > 1), None):
            raise ValueError(f"{twice} has two residuals")
        return self

    def of(self, used: Used) -> tuple[Outcome, ...]:
        """The points that were used in a way."""
        return tuple(o for o in self.outcomes if o.used == used)


class BlockShift(Part):
    """The coordinates that a mark really has, which was occupied on a position taken "here": everything that rests on
    it moves with it. Sigmas are what the new coordinates are good to. heights: what h is, of the job's system or
    ellipsoidal. why_so_far: the reason for a shift that is farther than such a position is mostly off."""

    mark: Identifier
    e: Coordinate
    n: Coordinate
    h: Height
    sigma_h: Sigma
    sigma_v: Sigma
    source: Annotated[str, Field(min_length=1, max_length=300), Clean]
    heights: Literal["job", "ellipsoidal"] = "job"
    why_so_far: Annotated[str, Field(max_length=300), Clean] = ""


class Waiver(Part):
    """A finding that stands and is accepted, with the reason; by whom, and when (UTC). words: what it said: of a
    finding that names no object only that is accepted, and not whatever the same rule says of something else."""

    rule: Annotated[str, Field(max_length=60), Clean]
    object: Annotated[str, Field(max_length=120), Clean] = ""
    reason: Annotated[str, Field(min_length=3, max_length=500), Clean]
    by: Annotated[str, Field(max_length=150), Clean] = ""
    at: Annotated[str, Field(max_length=40), Clean] = ""
    words: Annotated[str, Field(max_length=600), Clean] = ""

    def accepts(self, finding: Finding) -> bool:
        """Whether it is this finding that was accepted."""
        same = (self.rule, self.object) == (finding.rule, finding.object)
        return same and (bool(self.object) or self.words in ("", finding.words))


class Closing(Part):
    """The third document beside plan and book. Of several residual sets the last is judged; the earlier ones stay on
    record."""

    format: Literal["kardo-closing"] = "kardo-closing"
    version: Literal[1] = 1
    sets: Annotated[tuple[ResidualSet, ...], Field(max_length=MOST_SETS)] = ()
    shift: BlockShift | None = None
    waivers: Annotated[tuple[Waiver, ...], Field(max_length=500)] = ()

    @property
    def judged(self) -> ResidualSet | None:
        """The set that counts."""
        return self.sets[-1] if self.sets else None

    def waiver(self, finding: Finding) -> Waiver | None:
        """Why a finding is accepted, where it is."""
        return next((w for w in self.waivers if w.accepts(finding)), None)


def with_waivers(found: list[Finding], closing: Closing) -> list[Finding]:
    """Findings, those that are accepted with the reason and who gave it."""
    out = []
    for finding in found:
        w = closing.waiver(finding)
        by = ", ".join(part for part in (w.by, w.at[:10]) if part) if w else ""
        out.append(replace(finding, waived=w.reason, waived_by=by) if w else finding)
    return out


def closing_from_json(data: Any) -> Closing:
    """Read a closing. Raises PlanError about its first fault."""
    return validated(Closing, data, "closing")


def with_set(plan: Plan, closing: Closing, taken: ResidualSet) -> Closing:
    """The closing with another set to be judged, the earlier ones on record. Raises PlanError for a residual of a point
    that the plan has not, and for more sets than are kept."""
    known = {p.id for p in plan.control}
    if len(closing.sets) >= MOST_SETS:
        raise PlanError(f"A closing keeps up to {MOST_SETS} sets of residuals.", where="Close, residuals")
    for outcome in taken.outcomes:
        if outcome.point not in known:
            raise PlanError(
                f"The plan has no point {outcome.point}.", where="Close, residuals", mend="Read the file again."
            )
    return closing.model_copy(update={"sets": (*closing.sets, taken)})
