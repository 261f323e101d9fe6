"""What an organisation asks otherwise than the catalogue: its own thresholds and severities, each with a reason and a date."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from kardo.core.errors import PlanError
from kardo.core.plan.parts import Clean, Identifier, Part, validated


class Change(Part):
    """One rule asked otherwise: another threshold, another severity or not at all; None and empty leave the catalogue's. since: a date."""

    rule: Identifier
    threshold: Annotated[float | None, Field(ge=0, le=1e6, allow_inf_nan=False)] = None
    severity: Literal["", "stop", "warn", "note", "off"] = ""
    reason: Annotated[str, Field(min_length=3, max_length=300), Clean]
    since: Annotated[str, Field(pattern=r"^\d{4}-\d\d-\d\d$")]
    by: Annotated[str, Field(max_length=150), Clean] = ""


class House(Part):
    """The rules of one organisation, each changed once at most."""

    format: Literal["kardo-house"] = "kardo-house"
    changes: Annotated[tuple[Change, ...], Field(max_length=200)] = ()

    @model_validator(mode="after")
    def _each_once(self) -> "House":
        names = [c.rule for c in self.changes]
        if twice := next((name for name in names if names.count(name) > 1), None):
            raise ValueError(f"{twice} is changed twice")
        return self


def house_from_json(data: Any) -> House:
    """Read an organisation's rules. Raises PlanError about the first fault, and for a rule that the catalogue has not."""
    house: House = validated(House, data, "house")
    require_known(house)
    return house


def require_known(house: House) -> None:
    """Raises PlanError for a rule that is not in the catalogue, a threshold of one that has none, and a stop that is not asked at all."""
    from kardo.core.practice.catalogue import rules

    known = {r.id: r for r in rules()}
    for change in house.changes:
        entry = known.get(change.rule)
        if entry is None:
            raise PlanError(f"There is no rule “{change.rule}”.", where="house rules", mend="See the table of rules.")
        if change.threshold is not None and entry.threshold != entry.threshold:
            raise PlanError(f"“{change.rule}” has no threshold.", where="house rules", mend="Change its severity.")
        if change.severity == "off" and entry.severity == "stop":
            raise PlanError(
                f"“{change.rule}” is a stop and is always asked.",
                where="house rules",
                mend="Make it a warning, or waive single findings with a reason.",
            )
