"""What practitioners know, as rules: each is data (core/policy) plus a function here that looks at a plan and its
prediction.

A rule yields findings; a finding names the object, the measured value, the threshold and the mend."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

from kardo.core.accuracy.figures.results import Result
from kardo.core.flight.ground.coverage import Coverage, coverage
from kardo.core.flight.ground.density import Density, density
from kardo.core.flight.lines.pattern import FlightPlan, imaged, scanned
from kardo.core.kept import kept
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit
from kardo.core.plan.library import newer_profiles
from kardo.core.plan.model import Plan
from kardo.core.policy.policy import Rule, Severity, Station, Waives

ORDER = {"stop": 0, "warn": 1, "note": 2}


@dataclass(frozen=True, kw_only=True)
class Finding:
    """What a rule found. station and object (a path of the plan, or empty) say where to go; edits, where given, are
    what mends it, and label what that is called. why: what the rule is for. own: since when and why the organisation
    asks otherwise than usual, empty where it does not. waives: who may accept it with a reason; waived: that reason,
    empty where it stands open; waived_by: who gave it, and when."""

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
    own: str = ""
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
    """What the residuals of a survey said against their prediction: checks that stand out, and why all together are
    worse than predicted, empty where they are not."""

    outside: tuple[StandsOut, ...]
    worse: str


@dataclass(frozen=True)
class View:
    """What rules look at: the plan, its flights where they can be laid out, its prediction where there is one; covers:
    whether what they cover of the ground is looked at too, which takes a while. about: the paths of those points that
    are asked about, of all where it is None. closed: what the residuals said, of a survey that is being closed."""

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
        return coverage(self.plan) if self.covers and self.plan.mapped_by == "images" else None

    @cached_property
    def density(self) -> Density | None:
        """What its scan covers."""
        return density(self.plan) if self.covers and self.plan.mapped_by == "scan" else None

    @property
    def without_control(self) -> "View":
        """Of the same plan as it is before there is control or a prediction."""
        return View(self.plan.model_copy(update={"control": ()}), self.flights, None, self.covers)

    @property
    def imaged(self) -> tuple[FlightPlan, ...]:
        """The flights that take images."""
        return imaged(self.flights)

    @property
    def scanned(self) -> tuple[FlightPlan, ...]:
        """The flights that scan."""
        return scanned(self.flights)

    def of_flight(self, name: str, words: str) -> str:
        """A sentence about a flight, which says which one where there are several."""
        return _sentence(f"{name}: {words}" if len(self.plan.flights) > 1 else words)

    def of_set_up(self, name: str, words: str) -> str:
        """A sentence about a set-up, which says which one where there are several."""
        return _sentence(f"{name}: {words}" if len(self.plan.setups) > 1 else words)


def _sentence(words: str) -> str:
    return words[0].upper() + words[1:]


def finding(
    r: Rule,
    words: str,
    mend: str,
    object: str = "",
    measured: float | None = None,
    edits: tuple[Edit, ...] = (),
    label: str = "",
) -> Finding:
    """What a rule finds."""
    return Finding(
        rule=r.id,
        severity=r.severity,
        station=r.station,
        words=words,
        mend=mend,
        object=object,
        measured=measured,
        threshold=r.threshold if r.has_threshold else None,
        edits=list(edits),
        label=label,
        why=r.why,
        own=r.own,
        waives=r.waives,
    )


def newer_in_library(r: Rule, view: View, of: tuple[str, ...]) -> Iterator[Finding]:
    """An offer for each profile of some lists of the kit that the library holds anew."""
    for newer in newer_profiles(view.plan, of):
        words = f"The library has a newer profile of “{newer.name}”; this plan goes on with its own."
        yield finding(r, words, "Take the newer one, or leave it.", newer.path, edits=newer.edits, label="take it")


GRAVER_THAN = {"flight-smeared": "flight-blur"}  # rules that say it all where both find something in one thing
Look = Callable[[Rule, View], Iterator[Finding]]
LOOKS: dict[str, Look] = {}


def rule(id: str) -> Callable[[Look], Look]:
    """Enter what finds by a rule of policy/rules.toml."""

    def enter(look: Look) -> Look:
        LOOKS[id] = look
        return look

    return enter


def _find(r: Rule, view: View) -> Iterator[Finding]:
    import kardo.core.practice.rules  # noqa: F401 - enters what finds

    return LOOKS[r.id](r, view)


def findings(view: View) -> list[Finding]:
    """Everything that the plan's policy asks and finds, worst first."""
    asked = view.plan.policy.rules
    before = _before_control(view.without_control)
    found = [f for r in asked for f in (before[r.id] if r.looks == "plan" else _find(r, view))]
    graver = {(GRAVER_THAN.get(f.rule), f.object) for f in found}
    found = [f for f in found if (f.rule, f.object) not in graver]
    return sorted(found, key=lambda f: ORDER[f.severity])


def findings_about(points: frozenset[str], view: View) -> list[Finding]:
    """Only what is found in some points, by their paths, worst first."""
    near = replace(view, about=points)
    looking = [r for r in view.plan.policy.rules if r.looks in ("point", "control")]
    found = [f for r in looking for f in _find(r, near) if f.object in points]
    return sorted(found, key=lambda f: ORDER[f.severity])


@kept(64, by=lambda view: (view.plan.revision, len(view.flights), view.covers, view.plan.policy))
def _before_control(view: View) -> dict[str, list[Finding]]:
    return {r.id: list(_find(r, view)) for r in view.plan.policy.rules if r.looks == "plan"}
