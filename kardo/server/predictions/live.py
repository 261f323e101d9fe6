"""Live answers: what the figures would be with other control, from networks this process keeps solved.

A kept network stays good for every change of control; any other change of the plan needs another, which is solved in the
background when it is first asked for. Networks are bounded by the memory they take, solved and asked by a fixed number of
threads, and never let go while they are being solved.
"""

import hashlib
import json
import os
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from kardo.core.accuracy.planned import missing
from kardo.core.accuracy.prediction import error_map, figures, map_variances
from kardo.core.accuracy.results import MapFigures
from kardo.core.accuracy.solution import DefectiveNetwork
from kardo.core.accuracy.whatif import Kept, keep, what_if
from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import ConflictError, apply, edit_from_json
from kardo.core.plan.model import Plan, plan_of
from kardo.core.plan.naming import named
from kardo.core.plan.parts import essence
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import bring_up_to_date, with_ground

GIVE_WAY = 15  # how nice a network being made ready is
SHARE_OF_MEMORY = 0.25  # of the machine, for all networks kept
ANSWERING = 2  # threads that answer
MOST_WAITING = 200  # networks asked for and not yet solved


@dataclass(frozen=True)
class LiveAnswer:
    """Provisional figures. state: ready, preparing (ask again), refused (words say why; the full computation tells)."""

    state: Literal["ready", "preparing", "refused"]
    words: str
    result: MapFigures | None
    seconds: float


@dataclass
class _Entry:
    """A network on its way, solved, or refused with the reason."""

    kept: Kept | None = None
    words: str = ""
    done: bool = False
    lock: threading.Lock = field(default_factory=threading.Lock)


def memory_for_networks() -> int:
    """Bytes that kept networks may take on this machine."""
    return int(SHARE_OF_MEMORY * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))


class Networks:
    """The networks kept, the least lately asked for going first; one is solved at a time."""

    def __init__(self, solve: Callable[[Plan], Kept] = keep, most_bytes: int | None = None) -> None:
        self._solve, self._entries = solve, OrderedDict[str, _Entry]()
        self._most = memory_for_networks() if most_bytes is None else most_bytes
        self._guard = threading.Lock()
        self._solving = ThreadPoolExecutor(1, "solving", initializer=_give_way)
        self.answering = ThreadPoolExecutor(ANSWERING, "answering")

    def get(self, key: str) -> _Entry | None:
        """What is known of a network."""
        with self._guard:
            if key in self._entries:
                self._entries.move_to_end(key)
            return self._entries.get(key)

    def start(self, key: str, plan: Callable[[], Plan]) -> None:
        """Have a plan's network solved in the background, once. Raises PlanError where too many wait already."""
        with self._guard:
            if key in self._entries:
                return
            if sum(not e.done for e in self._entries.values()) >= MOST_WAITING:
                raise PlanError("Too many networks are being made ready; the full computation follows.")
            entry = self._entries[key] = _Entry()
        self._solving.submit(self._fill, entry, plan)

    def _fill(self, entry: _Entry, plan: Callable[[], Plan]) -> None:
        try:
            entry.kept = self._solve(plan())
        except DefectiveNetwork as fault:
            entry.words = fault.defects[0].words
        except KardoError as fault:
            entry.words = fault.what
        except Exception as fault:
            entry.words = f"Live answers are not to be had for this plan ({type(fault).__name__})."
            raise
        finally:
            entry.done = True
            self._make_room()

    def _make_room(self) -> None:
        """Solved networks go, the least lately asked for first, until the rest fits; one being solved stays, and so does
        the newest."""
        with self._guard:
            taken = sum(e.kept.nbytes for e in self._entries.values() if e.kept)
            for key, entry in list(self._entries.items())[:-1]:
                if taken <= self._most:
                    return
                if entry.done:
                    taken -= entry.kept.nbytes if entry.kept else 0
                    del self._entries[key]


def _give_way() -> None:
    """Of this thread alone: a full computation under way comes first."""
    if hasattr(os, "setpriority"):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), GIVE_WAY)


networks = Networks()


def answer(job: Job, edits: list[Json]) -> LiveAnswer:
    """Provisional figures of the job's plan with edits of its control that are not saved. Raises PlanError for any other."""
    started = time.perf_counter()
    bring_up_to_date(job)
    plan = _with_control(job.document, edits)
    key = _key(job, plan)
    entry = networks.get(key)
    if entry is None:
        stored = plan_of(job.document)
        if lacks := missing(stored):
            return LiveAnswer("refused", lacks[0][1], None, 0.0)
        whole = with_ground(job.pk, stored)
        networks.start(key, lambda: whole)
        return LiveAnswer("preparing", "", None, 0.0)
    if entry.kept is None:
        return LiveAnswer("refused" if entry.done else "preparing", named(entry.words, plan), None, 0.0)
    try:
        told = networks.answering.submit(_figures, entry, with_ground(job.pk, plan)).result()
    except KardoError as fault:
        return LiveAnswer("refused", named(fault.what, plan), None, 0.0)
    return LiveAnswer("ready", "", told, time.perf_counter() - started)


def _figures(entry: _Entry, plan: Plan) -> MapFigures:
    kept = entry.kept
    assert kept is not None
    with entry.lock:
        found = what_if(kept, plan.control)
    planned = replace(kept.planned, plan=plan)
    variances = map_variances(plan, found.covariances)
    return MapFigures(
        **vars(figures(plan.brief, variances, found.joint, found.survey)), map=error_map(planned, variances)
    )


def _with_control(document: Json, edits: list[Json]) -> Plan:
    """The plan with edits of control laid over it, whatever stands there now."""
    wanted = [edit_from_json(one) for one in edits]
    for one in wanted:
        if not one.path.startswith("control/"):
            raise PlanError("Only control is answered live.", where=one.path[:60])
    applied = apply(document, wanted)
    if applied.conflicts:
        raise ConflictError(applied.conflicts)
    return plan_of(applied.document)


def _key(job: Job, plan: Plan) -> str:
    """What a network depends on: all that numbers do, but for control and what the brief promises."""
    where = Brief(crs=plan.brief.crs, heights=plan.brief.heights)
    rest: dict[str, Any] = essence(plan.model_copy(update={"control": (), "brief": where}))
    return f"{job.pk} {hashlib.sha256(json.dumps(rest, sort_keys=True).encode()).hexdigest()}"
