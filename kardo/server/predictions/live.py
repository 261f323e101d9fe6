"""Live answers: what the figures would be with other control, from networks this process keeps solved.

A kept network stays good for every change of control; any other change of the plan needs another, which is solved in the
background when it is first asked for.
"""

import hashlib
import json
import os
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from kardo.core.accuracy.planned import missing
from kardo.core.accuracy.prediction import figures, map_json, map_variances
from kardo.core.accuracy.solution import DefectiveNetwork
from kardo.core.accuracy.whatif import Kept, keep, what_if
from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError
from kardo.core.plan.model import ControlPoint, Plan, validated
from kardo.server.jobs.models import Job
from kardo.server.plans import editing

GIVE_WAY = 15  # how nice a network being made ready is
MOST_NETWORKS = 2  # kept solved at a time in this process


@dataclass
class _Entry:
    """A network on its way, solved, or refused with the reason."""

    kept: Kept | None = None
    words: str = ""
    lock: threading.Lock = field(default_factory=threading.Lock)


class Networks:
    """The networks kept, the least lately asked for going first; one is solved at a time."""

    def __init__(self, solve: Callable[[Plan], Kept] = keep) -> None:
        self._solve, self._entries = solve, OrderedDict[str, _Entry]()
        self._guard, self._one_at_a_time = threading.Lock(), threading.Lock()

    def get(self, key: str) -> _Entry | None:
        with self._guard:
            if key in self._entries:
                self._entries.move_to_end(key)
            return self._entries.get(key)

    def start(self, key: str, plan: Plan) -> threading.Thread:
        """Solve a plan's network in the background."""
        with self._guard:
            entry = self._entries.setdefault(key, _Entry())
            while len(self._entries) > MOST_NETWORKS:
                self._entries.popitem(last=False)
        thread = threading.Thread(target=self._fill, args=(entry, plan), daemon=True)
        thread.start()
        return thread

    def _fill(self, entry: _Entry, plan: Plan) -> None:
        if hasattr(os, "setpriority"):  # of this thread alone: a full computation under way comes first
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), GIVE_WAY)
        with self._one_at_a_time:
            try:
                entry.kept = self._solve(plan)
            except DefectiveNetwork as fault:
                entry.words = fault.defects[0].words
            except KardoError as fault:
                entry.words = fault.what


networks = Networks()


def answer(job: Job, changes: list[Json]) -> Json:
    """Provisional figures of the job's plan with changes to its control ({object, value}, as an edit has them). state is
    ready, preparing (ask again) or refused (words say why; the full computation tells)."""
    started = time.perf_counter()
    rows = editing.outline(job)
    control = _changed(rows.pop("control"), changes)
    key = f"{job.pk} {hashlib.sha256(json.dumps(rows, sort_keys=True).encode()).hexdigest()}"
    entry = networks.get(key)
    if entry is None:
        plan = editing.assemble(job)
        if lacks := missing(plan):
            return _told("refused", lacks[0][1])
        networks.start(key, plan)
        return _told("preparing")
    if entry.kept is None:
        return _told("refused" if entry.words else "preparing", entry.words)
    with entry.lock:
        try:
            found = what_if(entry.kept, control)
        except KardoError as fault:
            return _told("refused", fault.what)
    planned = entry.kept.planned
    variances = map_variances(planned.plan, found.covariances)
    result = figures(planned.plan.brief, variances, found.joint, found.survey)
    surface = map_json(planned, variances)
    return _told("ready") | {"result": result | {"map": surface}, "seconds": time.perf_counter() - started}


def _told(state: str, words: str = "") -> Json:
    return {"state": state, "words": words, "result": None, "seconds": 0.0}


def _changed(rows: list[Json], changes: list[Json]) -> tuple[ControlPoint, ...]:
    """The control with changes laid over it, in the plan's order. Raises PlanError for anything but control."""
    by_id: dict[str, Any] = {row["id"]: row for row in rows}
    for change in changes:
        kind, _, identifier = change["object"].partition("/")
        if kind != "control" or not identifier:
            raise PlanError("Only control is answered live.", where=change["object"])
        by_id[identifier] = change.get("value")
    return tuple(validated(ControlPoint, value, f"control/{key}") for key, value in by_id.items() if value is not None)
