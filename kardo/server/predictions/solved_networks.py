"""Networks kept solved, and what each would say with other control.

They are bounded by the memory they take, solved and asked by a fixed number of threads, and never let go while they are
being solved."""

import os
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Literal

from pydantic import TypeAdapter

from kardo.core.accuracy.change.whatif import Kept, keep, what_if
from kardo.core.accuracy.equation.solution import DefectiveNetwork
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.figures.results import MapFigures
from kardo.core.accuracy.images.survey import map_of
from kardo.core.arrays import Json
from kardo.core.errors import KardoError
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan, plan_of
from kardo.core.policy.policy import Policy
from kardo.core.practice.catalogue import Finding
from kardo.server.memory import give_back
from kardo.server.predictions.ipc import Method

SHARE_OF_MEMORY = 0.25  # of the machine, for all networks kept
MOST_WAITING = 200  # networks asked for and not yet solved


@dataclass(frozen=True)
class LiveAnswer:
    """Provisional figures. state: ready, preparing (ask again), refused (words say why; the full computation tells).
    findings: what the rules find against the points that are being changed."""

    state: Literal["ready", "preparing", "refused"]
    words: str = ""
    result: MapFigures | None = None
    seconds: float = 0.0
    findings: list[Finding] = field(default_factory=list)


METHODS = {
    "ask": Method(TypeAdapter(tuple[str, Brief, tuple[ControlPoint, ...]]), TypeAdapter(LiveAnswer | None)),
    "start": Method(TypeAdapter(tuple[str, Json, Policy]), TypeAdapter(LiveAnswer)),
}


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
    """The networks kept, the least lately asked for going first; one is solved at a time, one asked at a time."""

    def __init__(self, solve: Callable[[Plan], Kept] = keep, most_bytes: int | None = None) -> None:
        self._solve, self._entries = solve, OrderedDict[str, _Entry]()
        self._most = memory_for_networks() if most_bytes is None else most_bytes
        self._guard = threading.Lock()
        self._solving = ThreadPoolExecutor(1, "solving")
        self._answering = ThreadPoolExecutor(1, "answering")  # two would wait for each other at the interpreter's lock

    def get(self, key: str) -> _Entry | None:
        """What is known of a network."""
        with self._guard:
            if key in self._entries:
                self._entries.move_to_end(key)
            return self._entries.get(key)

    def start(self, key: str, plan: Plan) -> LiveAnswer:
        """Have a plan's network solved in the background, once. Refused where too many wait already."""
        with self._guard:
            if key in self._entries:
                return LiveAnswer("preparing")
            if sum(not e.done for e in self._entries.values()) >= MOST_WAITING:
                return LiveAnswer("refused", "Too many networks are being made ready; the full computation follows.")
            entry = self._entries[key] = _Entry()
        self._solving.submit(self._fill, entry, plan)
        return LiveAnswer("preparing")

    @property
    def by_method(self) -> dict[str, Callable[..., LiveAnswer | None]]:
        """What answers each of METHODS."""
        return {
            "ask": self.ask,
            "start": lambda key, document, policy: self.start(key, plan_of(document).under(policy)),
        }

    def ask(self, key: str, brief: Brief, control: tuple[ControlPoint, ...]) -> LiveAnswer | None:
        """What a network says with other control and another promise; None of one that nobody started."""
        entry = self.get(key)
        if entry is None:
            return None
        if entry.kept is None:
            return LiveAnswer("refused", entry.words) if entry.done else LiveAnswer("preparing")
        return self._answering.submit(_answered, entry, brief, control).result()

    def _fill(self, entry: _Entry, plan: Plan) -> None:
        try:
            entry.kept = self._solve(plan)
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
            give_back()

    def _make_room(self) -> None:
        """Solved networks go, the least lately asked for first, until the rest fits; one being solved stays, and so
        does the newest."""
        with self._guard:
            taken = sum(e.kept.nbytes for e in self._entries.values() if e.kept)
            for key, entry in list(self._entries.items())[:-1]:
                if taken <= self._most:
                    return
                if entry.done:
                    taken -= entry.kept.nbytes if entry.kept else 0
                    del self._entries[key]


def _answered(entry: _Entry, brief: Brief, control: tuple[ControlPoint, ...]) -> LiveAnswer:
    started = time.perf_counter()
    try:
        told = _figures(entry, brief, control)
    except KardoError as fault:
        return LiveAnswer("refused", fault.what)
    return LiveAnswer("ready", "", told, time.perf_counter() - started)


def _figures(entry: _Entry, brief: Brief, control: tuple[ControlPoint, ...]) -> MapFigures:
    kept = entry.kept
    assert kept is not None
    with entry.lock:
        found = what_if(kept, control)
    plan = kept.planned.plan.model_copy(update={"brief": brief, "control": control})
    planned = replace(kept.planned, plan=plan)
    return MapFigures(**vars(figures(plan, found)), map=map_of(planned, found.map_variances(plan)))
