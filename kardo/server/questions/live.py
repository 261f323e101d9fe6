"""Live answers: what a job's figures would be with other control, from a network that is kept solved.

A network stays good for every change of control, and of what the brief promises; any other change of the plan needs
another, which is solved in the background when it is first asked for. Networks live in a process of their own
(solved_networks.py, ipc.py), one for the machine: their work never stands in the way of a request."""

import hashlib
from dataclasses import replace
from typing import Any, Protocol

from django.conf import settings

from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.parts import digest
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import ConflictError, apply, edit_from_json
from kardo.core.plan.model import Plan, plan_of
from kardo.core.plan.naming import named
from kardo.core.plan.upgrades.from_2 import edits_from_2
from kardo.core.practice.catalogue import Finding, View, findings_about
from kardo.server.plans.stored import with_ground
from kardo.server.predictions.ipc import Away, Remote, address
from kardo.server.predictions.solved_networks import METHODS, LiveAnswer
from kardo.server.questions.job_status import JobStatus

GONE = LiveAnswer("refused", "Live answers are away for a moment; the full computation follows.")


class LiveServer(Protocol):
    """Whoever keeps the networks."""

    def ask(self, key: str, brief: Brief, control: tuple[ControlPoint, ...]) -> LiveAnswer | None: ...

    def start(self, key: str, plan: Plan) -> LiveAnswer: ...


def where() -> tuple[str, bytes]:
    """Address and secret of the process that keeps the networks of this database."""
    name = f"live-{settings.DATABASES['default']['NAME']}"
    return address(settings.LOCAL, name), hashlib.sha256(f"live {settings.SECRET_KEY}".encode()).digest()


class RemoteNetworks:
    """The networks as another process keeps them; refused in words while it is away."""

    def __init__(self, remote: Remote | None = None) -> None:
        self._remote = remote or Remote(*where(), METHODS)

    def ask(self, key: str, brief: Brief, control: tuple[ControlPoint, ...]) -> LiveAnswer | None:
        return self._called("ask", key, brief, control)

    def start(self, key: str, plan: Plan) -> LiveAnswer:
        return self._called("start", key, plan.to_json(), plan.policy)

    def _called(self, method: str, *words: Any) -> Any:
        try:
            return self._remote.call(method, *words)
        except Away:
            return GONE


networks: LiveServer = RemoteNetworks()


def answer(at: JobStatus, edits: list[Json]) -> LiveAnswer:
    """Provisional figures of a job's plan with edits of its control that are not saved. Raises PlanError for any
    other."""
    plan = _with_control(at.plan, edits)
    key = _key(at, plan)
    told = networks.ask(key, plan.brief, plan.control)
    if told is None:
        if lacks := missing(at.plan):
            return LiveAnswer("refused", lacks[0][1])
        told = networks.start(key, at.whole_plan)
    points = {"/".join(one["path"].split("/")[:2]) for one in edits}
    return replace(told, words=named(told.words, plan), findings=_against(at, plan, points) if points else [])


def _against(at: JobStatus, plan: Plan, points: set[str]) -> list[Finding]:
    """What the rules find against some points, by all that needs no prediction."""
    whole = with_ground(at.job, plan)
    try:
        flights = all_flown(whole)
    except KardoError:
        return []
    return findings_about(frozenset(points), View(whole, flights, None))


def _with_control(plan: Plan, edits: list[Json]) -> Plan:
    """A plan with edits of control laid over it, whatever stands there now."""
    document = plan.to_json()
    wanted = edits_from_2([edit_from_json(one) for one in edits], document)
    for one in wanted:
        if not one.path.startswith("control/"):
            raise PlanError("Only control is answered live.", where=one.path[:60])
    applied = apply(document, wanted)
    if applied.conflicts:
        raise ConflictError(applied.conflicts)
    return plan_of(applied.document).under(plan.policy)


def _key(at: JobStatus, plan: Plan) -> str:
    """What a network depends on: all that numbers do, but for control and what the brief promises."""
    told = plan.brief
    crs, heights, geoid, separation = told.system
    frame = Brief(crs=crs, heights=heights, geoid=geoid, separation=separation, state=told.state)
    return f"{at.job} {digest(plan.model_copy(update={'control': (), 'brief': frame}))} {plan.policy.key('prediction')}"
