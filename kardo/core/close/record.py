"""What is signed: plan, book and closing as they were, what came of them, and who certifies what. A report is made from
a record and nothing else, and carries it, so that it can be checked long after."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import TypeAdapter

from kardo.core.accuracy.figures.results import Result
from kardo.core.arrays import Json, Triple
from kardo.core.book.entries import Book
from kardo.core.book.entries import to_json as book_json
from kardo.core.close.against import Against
from kardo.core.close.closing import Closing, ResidualSet, Used, closing_from_json, with_waivers
from kardo.core.close.shift import ShiftPreview
from kardo.core.close.verdict import ClosedVerdict, components
from kardo.core.errors import ReadError
from kardo.core.parts import document_digest, to_json
from kardo.core.plan.model import Plan, plan_from_json
from kardo.core.plan.states import OTHER
from kardo.core.practice.catalogue import Finding

FORMAT: Literal["kardo-record"] = "kardo-record"


STATES = {"as_taken": "as taken “here”", "shifted": "once shifted"}


@dataclass(frozen=True)
class Promised:
    """What a plan promised: RMSE on the map, absolute, and as its checks see it, metres (None where there are none);
    the chance to pass; of a base taken "here", in which state, in words."""

    name: Literal["planned", "as done"]
    rmse_h: float
    rmse_v: float
    seen_h: float | None
    seen_v: float | None
    chance: float | None
    state: str = ""

    @classmethod
    def of(cls, name: Literal["planned", "as done"], result: Result) -> "Promised":
        """From a prediction."""
        state = STATES[OTHER[result.other.state]] if result.other else ""
        return cls(name, result.rmse_h, result.rmse_v, result.seen_rmse_h, result.seen_rmse_v, result.chance, state)


@dataclass(frozen=True)
class ResidualLine:
    """A point in the report: map minus survey in metres after any block shift, None where nothing was measured."""

    point: str
    name: str
    used: Used
    d: Triple | None
    images: int | None


@dataclass(frozen=True)
class BudgetLine:
    """A source of error by name, with its sigmas and its parts of the variance."""

    name: str
    sigma_h: float
    sigma_v: float
    share_h: float
    share_v: float


@dataclass(frozen=True)
class FindingLine:
    """A finding of the plan as it was closed, why it is accepted and by whom; empty where it stands open."""

    rule: str
    severity: str
    object: str
    words: str
    mend: str
    waived: str
    waived_by: str = ""


@dataclass(frozen=True)
class Signed:
    """Who certifies what, when (UTC), and the fingerprint of the key that seals the report."""

    by: str
    at: str
    certified: str
    key: str


@dataclass(frozen=True)
class Record:
    """Everything a report is made from. Digests are SHA-256; the plan is without the heights of its terrain, which its
    own digest stands for."""

    organisation: str
    title: str
    revision: int
    made_at: str
    plan: Json
    book: list[Json]
    closing: Json
    plan_digest: str
    book_digest: str
    closing_digest: str
    closed_hash: str
    promised: list[Promised]
    residuals: list[ResidualLine]
    verdict: ClosedVerdict
    against: Against | None
    shift: ShiftPreview | None
    blind: list[str]
    budget: list[BudgetLine]
    findings: list[FindingLine]
    contradictions: list[str]
    cautions: list[str]
    signed: Signed | None
    format: Literal["kardo-record"] = FORMAT
    version: Literal[1] = 1


RECORD = TypeAdapter(Record)


def documents(plan: Plan, book: Book, closing: Closing) -> dict[str, Any]:
    """The three documents of a record with their digests."""
    entries, closed = book_json(book), to_json(closing)
    return {
        "plan": plan.without_heights().to_json(),
        "book": entries,
        "closing": closed,
        "plan_digest": plan.revision,
        "book_digest": document_digest(entries),
        "closing_digest": document_digest(closed),
    }


def residual_lines(plan: Plan, taken: ResidualSet | None) -> list[ResidualLine]:
    """The outcomes of a set with the names that points have in the plan."""
    names = {p.id: p.name for p in plan.control}
    outcomes = taken.outcomes if taken else ()
    return [
        ResidualLine(point=o.point, name=names.get(o.point, o.point), used=o.used, d=o.d, images=o.images)
        for o in outcomes
    ]


def finding_lines(findings: list[Finding], closing: Closing) -> list[FindingLine]:
    """Findings with the reasons why they are accepted."""
    told = with_waivers(findings, closing)
    return [
        FindingLine(
            rule=f.rule,
            severity=f.severity,
            object=f.object,
            words=f.words,
            mend=f.mend,
            waived=f.waived,
            waived_by=f.waived_by,
        )
        for f in told
    ]


def record_from_json(data: Any) -> Record:
    """Read a record. Raises ReadError for what is none."""
    try:
        return RECORD.validate_python(data)
    except ValueError as fault:
        raise ReadError("This holds no record of Kardo that can be read.", mend="Ask for the report again.") from fault


def faults(record: Record) -> list[str]:
    """What in a record does not agree with itself: documents with other digests than it names, figures that do not
    follow from its residuals. Empty for a sound one. Raises PlanError for a plan or closing that cannot be read."""
    plan_from_json(record.plan)
    closing, found = closing_from_json(record.closing), []
    for name, stands, is_ in (
        ("plan", record.plan_digest, document_digest(record.plan)),
        ("book", record.book_digest, document_digest(record.book)),
        ("closing", record.closing_digest, document_digest(record.closing)),
    ):
        if stands != is_:
            found.append(f"The {name} is not the one that its digest names.")
    checks = [r for r in record.residuals if r.used == "checked" and r.d is not None]
    again = components([r.name for r in checks], np.array([r.d for r in checks]).reshape(-1, 3))
    told = [(c.axis, round(c.rmse, 7), round(c.mean, 7), c.n) for c in record.verdict.checks]
    if told != [(c.axis, round(c.rmse, 7), round(c.mean, 7), c.n) for c in again]:
        found.append("The figures do not follow from the residuals.")
    if not _follow(closing, record):
        found.append("The residuals are not those of the closing.")
    return found


def _follow(closing: Closing, record: Record) -> bool:
    """Whether the residuals shown are the closing's, or what its block shift makes of them."""
    moved = {p.point: p for p in record.shift.points} if record.shift else {}
    outcomes = closing.judged.outcomes if closing.judged else ()
    if [(o.point, o.used) for o in outcomes] != [(r.point, r.used) for r in record.residuals]:
        return False
    for outcome, line in zip(outcomes, record.residuals, strict=True):
        through = moved.get(line.point)
        if (outcome.d, line.d) != ((through.d_before, through.d_after) if through else (line.d, line.d)):
            return False
    return True
