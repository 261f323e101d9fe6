"""What practitioners know, as rules: each is data plus a function that looks at a plan and its prediction.

A rule yields findings; a finding names the object, the measured value, the threshold and the mend. Thresholds are common
practice, not law: an organisation has its own where it says why and since when.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from kardo.core.accuracy.results import Result
from kardo.core.flight.coverage import Coverage, coverage
from kardo.core.flight.density import Density, density
from kardo.core.flight.pattern import FlightPlan
from kardo.core.kept import kept
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit
from kardo.core.plan.library import newer_profiles
from kardo.core.plan.model import Plan
from kardo.core.practice.house import House

Severity = Literal["stop", "warn", "note"]
Waives = Literal["anybody", "signer"]
Station = Literal["brief", "site", "flight", "base", "control", "verdict"]
Looks = Literal["plan", "point", "control", "layout"]
ORDER = {"stop": 0, "warn": 1, "note": 2}
FIELD = "field practice"


@dataclass(frozen=True)
class Finding:
    """What a rule found. station and object (a path of the plan, or empty) say where to go; edits, where given, are what
    mends it, and label what that is called. why: what the rule is for. house: since when and why the organisation asks otherwise than usual, empty where it does not.
    waives: who may accept it with a reason; waived: that reason, empty where it stands open; waived_by: who gave it, and when."""

    rule: str
    severity: Severity
    station: Station
    words: str
    mend: str
    object: str
    measured: float | None
    threshold: float | None
    edits: list[Edit]
    label: str
    why: str = ""
    house: str = ""
    waives: Waives = "anybody"
    waived: str = ""
    waived_by: str = ""


@dataclass(frozen=True)
class StandsOut:
    """A check that disagrees with the others, in words."""

    id: str
    words: str


@dataclass(frozen=True)
class Closed:
    """What the residuals of a survey said against their prediction: checks that stand out, and why all together are worse than predicted, empty where
    they are not."""

    outside: tuple[StandsOut, ...]
    worse: str


@dataclass(frozen=True)
class View:
    """What rules look at: the plan, its flights where they can be laid out, its prediction where there is one; covers: whether what they cover of the ground is
    looked at too, which takes a while. about: the paths of those points that are asked about, of all where it is None. closed: what the residuals said, of a survey that
    is being closed."""

    plan: Plan
    flights: tuple[FlightPlan, ...]
    result: Result | None
    covers: bool = False
    about: frozenset[str] | None = None
    closed: "Closed | None" = None

    @cached_property
    def points(self) -> tuple[ControlPoint, ...]:
        """The control that is asked about."""
        return tuple(p for p in self.plan.control if self.about is None or f"control/{p.id}" in self.about)

    @cached_property
    def coverage(self) -> Coverage | None:
        """What its images cover, of a plan that does not scan."""
        return coverage(self.plan) if self.covers and not self.plan.scans else None

    @cached_property
    def density(self) -> Density | None:
        """What its scan covers."""
        return density(self.plan) if self.covers and self.plan.scans else None

    @property
    def without_control(self) -> "View":
        """Of the same plan as it is before there is control or a prediction."""
        return View(self.plan.model_copy(update={"control": ()}), self.flights, None, self.covers)

    @property
    def imaged(self) -> tuple[FlightPlan, ...]:
        """The flights that take images."""
        return tuple(f for f in self.flights if not f.scans)

    @property
    def scanned(self) -> tuple[FlightPlan, ...]:
        """The flights that scan."""
        return tuple(f for f in self.flights if f.scans)

    def of_flight(self, name: str, words: str) -> str:
        """A sentence about a flight, which says which one where there are several."""
        return _sentence(f"{name}: {words}" if len(self.plan.flights) > 1 else words)

    def of_set_up(self, name: str, words: str) -> str:
        """A sentence about a set-up, which says which one where there are several."""
        return _sentence(f"{name}: {words}" if len(self.plan.setups) > 1 else words)


def _sentence(words: str) -> str:
    return words[0].upper() + words[1:]


@dataclass(frozen=True)
class Rule:
    """A rule of the catalogue: what it asks, its default threshold and the unit of that (empty where it has none), why, and where in the trade it comes from. looks: at the plan without control and without
    its prediction (it is given neither, and what it finds is kept while these change); at each point of the control by itself; at points among the others; or at the
    layout and its prediction as a whole, finding nothing in a single point."""

    id: str
    asks: str
    severity: Severity
    station: Station
    threshold: float
    why: str
    source: str
    looks: Looks
    unit: str = ""
    house: str = ""

    @property
    def waives(self) -> Waives:
        """Who may accept a finding of it: whoever may sign where it is usually a stop, whatever the organisation makes of it; else anybody who
        works on the job."""
        return "signer" if CATALOGUE[self.id][0].severity == "stop" else "anybody"

    def found(
        self,
        words: str,
        mend: str,
        object: str = "",
        measured: float | None = None,
        edits: tuple[Edit, ...] = (),
        label: str = "",
    ) -> Finding:
        """A finding of this rule."""
        return Finding(
            self.id,
            self.severity,
            self.station,
            words,
            mend,
            object,
            measured,
            self.threshold if self.threshold == self.threshold else None,
            list(edits),
            label,
            self.why,
            self.house,
            self.waives,
        )


def newer_in_library(r: Rule, view: View, of: tuple[str, ...]) -> Iterator[Finding]:
    """An offer for each profile of some lists of the kit that the library holds anew."""
    for newer in newer_profiles(view.plan, of):
        words = f"The library has a newer profile of “{newer.name}”; this plan goes on with its own."
        yield r.found(words, "Take the newer one, or leave it.", newer.path, edits=newer.edits, label="take it")


GRAVER_THAN = {"flight-smeared": "flight-blur"}  # rules that say it all where both find something in one thing
NO_THRESHOLD = float("nan")
Look = Callable[[Rule, View], Iterator[Finding]]
CATALOGUE: dict[str, tuple[Rule, Look]] = {}


def rule(
    id: str,
    asks: str,
    severity: Severity,
    station: Station,
    threshold: tuple[float, str] | None,
    why: str,
    source: str,
    looks: Looks | None = None,
) -> Callable[[Look], Look]:
    """Enter a function into the catalogue; looks: as most rules of its station do, unless said."""
    usual: Looks = "control" if station == "control" else "layout" if station == "verdict" else "plan"

    def enter(look: Look) -> Look:
        limit, unit = (NO_THRESHOLD, "") if threshold is None else threshold
        CATALOGUE[id] = Rule(id, asks, severity, station, limit, why, source, looks or usual, unit), look
        return look

    return enter


def findings(view: View, house: House | None = None) -> list[Finding]:
    """Everything the catalogue finds, as an organisation asks it, worst first."""
    asked = rules(house)
    before = _before_control(view.without_control, tuple(r for r in asked if r.looks == "plan"))
    found = [f for r in asked for f in (before[r.id] if r.looks == "plan" else CATALOGUE[r.id][1](r, view))]
    graver = {(GRAVER_THAN.get(f.rule), f.object) for f in found}
    found = [f for f in found if (f.rule, f.object) not in graver]
    return sorted(found, key=lambda f: ORDER[f.severity])


def findings_about(points: frozenset[str], view: View, house: House | None = None) -> list[Finding]:
    """Only what is found in some points, by their paths, worst first."""
    near = replace(view, about=points)
    looking = [r for r in rules(house) if r.looks in ("point", "control")]
    found = [f for r in looking for f in CATALOGUE[r.id][1](r, near) if f.object in points]
    return sorted(found, key=lambda f: ORDER[f.severity])


@kept(64, by=lambda view, asked: (view.plan.revision, len(view.flights), view.covers, asked))
def _before_control(view: View, asked: tuple[Rule, ...]) -> dict[str, list[Finding]]:
    return {r.id: list(CATALOGUE[r.id][1](r, view)) for r in asked}


def rules(house: House | None = None) -> list[Rule]:
    """The catalogue's rules, in the order of the stations; those that an organisation asks otherwise as it asks them, and without those that
    it does not ask."""
    import kardo.core.practice.rules  # noqa: F401 - enters the rules

    own = {change.rule: change for change in house.changes} if house else {}
    out = []
    for entry, _ in CATALOGUE.values():
        change = own.get(entry.id)
        if change is None:
            out.append(entry)
        elif change.severity != "off":
            out.append(
                replace(
                    entry,
                    threshold=entry.threshold if change.threshold is None else change.threshold,
                    severity=change.severity or entry.severity,
                    house=f"{change.since}: {change.reason}",
                )
            )
    return out
