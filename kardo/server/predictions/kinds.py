"""The kinds of computation: what each computes of a plan, on which queue, what a plan lacks before it, and as what its
result is read."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter

from kardo.core.accuracy.change.advice import Advice, advise
from kardo.core.accuracy.change.schemes import Schemes, schemes
from kardo.core.accuracy.figures.results import Result, Undetermined
from kardo.core.accuracy.inputs.lacking import missing, missing_for_schemes
from kardo.core.accuracy.jointly import JointChecks, checks_jointly
from kardo.core.accuracy.prediction import predict
from kardo.core.layout.proposed import SearchOptions
from kardo.core.layout.search import Search, search
from kardo.core.plan.model import Plan
from kardo.server.predictions.models import Computation

Report = Callable[[str, float], None]  # stage, and share done of all
Part = Callable[[Any], None]  # takes a result that is not yet whole
Compute = Callable[[Plan, Report, Part], Any]


@dataclass(frozen=True)
class Kind:
    """compute: from the plan with its ground, reporting how far it is, and handing on what it has before it is done.
    patient: waits with the patient work whatever the plan's size. lacking: (station, sentence) of what the plan wants
    first."""

    compute: Compute
    answer: TypeAdapter[Any]
    patient: bool = False
    lacking: Callable[[Plan], list[tuple[str, str]]] = missing


def _whole(compute: Callable[[Plan, Report], Any]) -> Compute:
    return lambda plan, report, part: compute(plan, report)


def _searched(plan: Plan, report: Report, part: Part) -> Search:
    return search(plan, SearchOptions(plan.brief.chance), report, part)


KINDS: dict[str, Kind] = {
    Computation.Kind.PREDICTION: Kind(_whole(predict), TypeAdapter(Result | Undetermined)),
    Computation.Kind.CHECKS: Kind(_whole(checks_jointly), TypeAdapter(JointChecks | Undetermined)),
    Computation.Kind.ADVICE: Kind(_whole(advise), TypeAdapter(Advice), patient=True),
    Computation.Kind.SCHEMES: Kind(_whole(schemes), TypeAdapter(Schemes), patient=True, lacking=missing_for_schemes),
    Computation.Kind.LAYOUTS: Kind(_searched, TypeAdapter(Search), patient=True),
}
