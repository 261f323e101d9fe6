"""The rules of practice with their figures, as the trade has them and as an organisation asks them.

A rule here is data; what finds by it is in practice/rules. Whatever else acts on a rule's figure (a search, a line of
sight, the Book) asks the plan's policy for it, and keeps none of its own."""

import hashlib
import json
import tomllib
from dataclasses import dataclass, replace
from functools import cache, cached_property
from importlib.resources import files
from typing import Literal

from kardo.core.policy.organisation import OrganisationRules

Severity = Literal["stop", "warn", "note"]
Waives = Literal["anybody", "signer"]
Station = Literal["brief", "site", "flight", "base", "control", "verdict"]
Looks = Literal["plan", "point", "control", "layout"]
# which figures each computation acts on; none named: all of them
ACTED_ON: dict[str, tuple[str, ...]] = {
    "prediction": ("flight-link",),
    "checks": ("flight-link",),
    "advice": ("flight-link",),
    "schemes": ("flight-link",),
    "layouts": (),
}
LOOKS_OF: dict[str, Looks] = {"control": "control", "verdict": "layout"}  # of other stations: at the plan


@dataclass(frozen=True, kw_only=True)
class Rule:
    """What a rule asks, its threshold and the unit of that (0 and empty where it has none), why, and where in the trade
    it comes from. looks: at the plan without control and without its prediction (it is given neither, and what it finds
    is kept while these change); at each point of the control by itself; at points among the others; or at the layout
    and its prediction as a whole, finding nothing in a single point. own: since when and why the organisation asks it
    otherwise; empty where it does not."""

    id: str
    asks: str
    severity: Severity
    station: Station
    why: str
    source: str
    looks: Looks
    threshold: float = 0.0
    unit: str = ""
    own: str = ""

    @property
    def has_threshold(self) -> bool:
        """Whether it asks by a figure."""
        return bool(self.unit)

    @property
    def waives(self) -> Waives:
        """Who may accept a finding of it: whoever may sign where it is usually a stop, whatever the organisation makes
        of it; else anybody who works on the job."""
        return "signer" if catalogue()[self.id].severity == "stop" else "anybody"


@cache
def catalogue() -> dict[str, Rule]:
    """Every rule as the trade has it, by id, in the order of the stations."""
    rows = tomllib.loads(files("kardo.core.policy").joinpath("rules.toml").read_text(encoding="utf-8"))
    return {key: Rule(**{"id": key, "looks": LOOKS_OF.get(row["station"], "plan"), **row}) for key, row in rows.items()}


@dataclass(frozen=True)
class Policy:
    """The rules as an organisation asks them, those that it does not ask left out. Two of the same rules are equal, and
    have one digest."""

    rules: tuple[Rule, ...]

    def __hash__(self) -> int:
        return self._hash

    def __reduce__(self) -> tuple[type["Policy"], tuple[tuple[Rule, ...]]]:
        return Policy, (self.rules,)  # what is remembered here is no other process's

    def __getitem__(self, rule: str) -> float:
        """The threshold of a rule, the trade's own where the rule is not asked. Raises KeyError for a rule that there
        is not.

        >>> usual()["flight-sight"]
        500
        """
        return (self._by_id.get(rule) or catalogue()[rule]).threshold

    def asks(self, rule: str) -> bool:
        """Whether the rule is asked at all. Raises KeyError for a rule that there is not."""
        return catalogue()[rule].id in self._by_id

    def key(self, computation: str) -> str:
        """What a computation of this kind depends on beside the plan: SHA-256 of the figures that it acts on; empty
        where they are the trade's own."""
        return self._digest(ACTED_ON[computation])

    @property
    def keys(self) -> dict[str, str]:
        """The same for every kind of computation."""
        return {kind: self.key(kind) for kind in ACTED_ON}

    def _digest(self, acting: tuple[str, ...]) -> str:
        if acting:
            asked = [self[rule] for rule in acting]
            usually = [catalogue()[rule].threshold for rule in acting]
            return "" if asked == usually else _sha(asked)
        asks = [(r.id, str(r.threshold), r.severity) for r in self.rules]
        return "" if self.rules == usual().rules else _sha(asks)

    @cached_property
    def _hash(self) -> int:
        return hash(self.rules)

    @cached_property
    def _by_id(self) -> dict[str, Rule]:
        return {r.id: r for r in self.rules}


def _sha(what: object) -> str:
    return hashlib.sha256(json.dumps(what).encode()).hexdigest()


@cache
def usual() -> Policy:
    """What is asked where no organisation asks otherwise."""
    return Policy(tuple(catalogue().values()))


def policy_of(own: OrganisationRules | None = None) -> Policy:
    """The catalogue as an organisation asks it; a change of a rule that there is no more changes nothing."""
    if own is None or not own.changes:
        return usual()
    changes = {change.rule: change for change in own.changes}
    out = []
    for entry in catalogue().values():
        change = changes.get(entry.id)
        if change is None:
            out.append(entry)
        elif change.severity != "off":
            threshold = entry.threshold if change.threshold is None else change.threshold
            severity = change.severity or entry.severity
            out.append(replace(entry, threshold=threshold, severity=severity, own=f"{change.since}: {change.reason}"))
    return Policy(tuple(out))
