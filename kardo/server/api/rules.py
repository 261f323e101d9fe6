"""The rules of practice, and what the organisation asks otherwise."""

from dataclasses import dataclass
from typing import Literal

from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema

from kardo.core.parts import validated
from kardo.core.policy.organisation import Change, OrganisationRules
from kardo.core.policy.policy import Severity, Station, Waives, catalogue
from kardo.server.access import name_of, organisation_of, paper_of, person_of
from kardo.server.accounts.models import Organisation

router = Router()


@dataclass(frozen=True)
class RuleLine:
    """A rule as the catalogue has it, and what this organisation asks otherwise; threshold None where it has none."""

    id: str
    asks: str
    severity: Severity
    station: Station
    threshold: float | None
    unit: str
    why: str
    source: str
    waives: Waives
    own: Change | None


class RulesOut(Schema):
    may_change: bool
    paper: str
    rules: list[RuleLine]


@router.get("", response=RulesOut)
def list_rules(request: HttpRequest) -> RulesOut:
    """Every rule, in the order of the stations."""
    return _lines(request, organisation_of(request).own_rules)


def _lines(request: HttpRequest, asked: OrganisationRules) -> RulesOut:
    own = {change.rule: change for change in asked.changes}
    lines = [
        RuleLine(
            id=r.id,
            asks=r.asks,
            severity=r.severity,
            station=r.station,
            threshold=r.threshold if r.has_threshold else None,
            unit=r.unit,
            why=r.why,
            source=r.source,
            waives=r.waives,
            own=own.get(r.id),
        )
        for r in catalogue().values()
    ]
    return RulesOut(may_change=person_of(request).member.may("rules"), paper=paper_of(request), rules=lines)


class Asked(Schema):
    """A rule asked otherwise: another threshold, severity, or both, and why; neither takes it back to the
    catalogue's."""

    rule: str
    threshold: float | None = None
    severity: str = ""
    reason: str = ""


@router.post("", response=RulesOut)
def ask_otherwise(request: HttpRequest, body: Asked) -> RulesOut:
    """Ask a rule otherwise in the whole organisation, from today, or as the catalogue does again. For those who may
    sign."""
    with transaction.atomic():
        organisation = Organisation.objects.select_for_update().get(pk=organisation_of(request).pk)
        changes = [c for c in organisation.own_rules.changes if c.rule != body.rule]
        if body.threshold is not None or body.severity:
            by = name_of(person_of(request))
            words = body.dict() | {"since": f"{timezone.localdate():%Y-%m-%d}", "by": by}
            changes.append(validated(Change, words, "rule"))
        asked = OrganisationRules(changes=tuple(changes))
        organisation.ask(asked)
    return _lines(request, asked)


class PaperIn(Schema):
    """The paper that an organisation prints on: A4 with A3 beside it, or Letter with Tabloid."""

    paper: Literal["A4", "Letter"]


@router.post("/paper", response=RulesOut)
def choose_paper(request: HttpRequest, body: PaperIn) -> RulesOut:
    """What the whole organisation prints on from now on. For those who may sign."""
    organisation = organisation_of(request)
    organisation.paper = body.paper
    organisation.save(update_fields=["paper"])
    return _lines(request, organisation.own_rules)
