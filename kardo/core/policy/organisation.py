"""What an organisation asks otherwise than the trade: its own thresholds and severities, each with a reason and a
date."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Protocol

from pydantic import Field, model_validator

from kardo.core.errors import PlanError
from kardo.core.parts import Clean, Identifier, Part, validated

WHERE = "organisation's rules"


class Change(Part):
    """One rule asked otherwise: another threshold, another severity or not at all; None and empty leave the
    catalogue's. since: a date."""

    rule: Identifier
    threshold: Annotated[float | None, Field(ge=0, le=1e6, allow_inf_nan=False)] = None
    severity: Literal["", "stop", "warn", "note", "off"] = ""
    reason: Annotated[str, Field(min_length=3, max_length=300), Clean]
    since: Annotated[str, Field(pattern=r"^\d{4}-\d\d-\d\d$")]
    by: Annotated[str, Field(max_length=150), Clean] = ""


class OrganisationRules(Part):
    """The rules of one organisation, each changed once at most. Documents of before 2026-12 call themselves
    kardo-house."""

    format: Literal["kardo-rules", "kardo-house"] = "kardo-rules"
    changes: Annotated[tuple[Change, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _each_once(self) -> "OrganisationRules":
        names = [c.rule for c in self.changes]
        if twice := next((name for name in names if names.count(name) > 1), None):
            raise ValueError(f"{twice} is changed twice")
        return self


class Known(Protocol):
    """What is asked of a rule of the catalogue."""

    @property
    def severity(self) -> str:
        """How grave it usually is."""

    @property
    def has_threshold(self) -> bool:
        """Whether it asks by a figure."""


def organisation_rules(data: Any, catalogue: Mapping[str, Known]) -> OrganisationRules:
    """Read an organisation's rules. Raises PlanError about the first fault, and for a rule that the catalogue has
    not."""
    own: OrganisationRules = validated(OrganisationRules, data, WHERE)
    require_known(own, catalogue)
    return own


def require_known(own: OrganisationRules, catalogue: Mapping[str, Known]) -> None:
    """Raises PlanError for a rule that is not in the catalogue, a threshold of one that has none, and a stop that is
    not asked at all."""
    for change in own.changes:
        entry = catalogue.get(change.rule)
        if entry is None:
            raise PlanError(f"There is no rule “{change.rule}”.", where=WHERE, mend="See the table of rules.")
        if change.threshold is not None and not entry.has_threshold:
            raise PlanError(f"“{change.rule}” has no threshold.", where=WHERE, mend="Change its severity.")
        if change.severity == "off" and entry.severity == "stop":
            raise PlanError(
                f"“{change.rule}” is a stop and is always asked.",
                where=WHERE,
                mend="Make it a warning, or waive single findings with a reason.",
            )
