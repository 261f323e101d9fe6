"""The plan, version 3: immutable, versioned, published as JSON Schema; what every computation takes.

Coordinates are metres in the job's grid (whatever unit the grid itself has), heights metres in the job's height system,
sigmas one standard deviation in metres, angles degrees. A plan stands alone: what a computation needs is in it."""

import math
from collections import Counter
from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, PrivateAttr, model_validator

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.geodesy.crs import Grid, grid
from kardo.core.parts import MAX_POINTS, NOT_IN_HASH, Part, digest, document_digest, validated
from kardo.core.plan.assumptions import CURRENT_EDITION, Assumptions
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import Flight, Imaging, Scanning
from kardo.core.plan.kit import Aircraft, Antenna, Battery, Camera, Kit, Scanner
from kardo.core.plan.site import Site, Terrain
from kardo.core.plan.stands import (
    CorrectionService,
    Levelled,
    Mark,
    OnInstrument,
    OnService,
    OnSetUp,
    OwnSession,
    PositionSource,
    SetUp,
    setup_of,
)
from kardo.core.plan.visits import Visit
from kardo.core.policy.policy import Policy, usual
from kardo.core.terrain.surface import AnySurface

FORMAT: Literal["kardo-plan"] = "kardo-plan"
VERSION: Literal[3] = 3

Value = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]


def _in_order(figures: dict[str, float]) -> dict[str, float]:
    """By name, so that two plans of the same figures are the same plan."""
    return dict(sorted(figures.items()))


class Assumed(Part):
    """Which edition of the defaults the plan rests on, and what it says otherwise."""

    edition: Annotated[str, Field(pattern=r"^[0-9-]{1,10}$")] = CURRENT_EDITION
    overrides: Annotated[dict[str, Value], Field(max_length=200), AfterValidator(_in_order)] = {}


# What a plan remembers of itself, and the part that it is found from; None: the whole plan.
FOUND_FROM = {"hash": None, "revision": None, "assume": "assumptions", "grid": "brief", "surface": "site"}


class Plan(Part):
    """Everything a computation needs."""

    format: Literal["kardo-plan"] = FORMAT
    version: Literal[3] = VERSION
    brief: Brief = Brief()
    site: Site = Site()
    kit: Kit = Kit()
    marks: Annotated[tuple[Mark, ...], Field(max_length=200)] = ()
    correction_services: Annotated[tuple[CorrectionService, ...], Field(max_length=20)] = ()
    setups: Annotated[tuple[SetUp, ...], Field(max_length=200)] = ()
    flights: Annotated[tuple[Flight, ...], Field(max_length=20)] = ()
    control: Annotated[tuple[ControlPoint, ...], Field(max_length=MAX_POINTS)] = ()
    visits: Annotated[tuple[Visit, ...], Field(max_length=100), NOT_IN_HASH] = ()
    assumptions: Assumed = Assumed()
    _policy: Policy = PrivateAttr(default_factory=usual)

    @model_validator(mode="after")
    def _holds_together(self) -> "Plan":
        for what, rows in self._rows():
            twice = [key for key, count in Counter(row.id for row in rows).items() if count > 1]
            if twice:
                raise ValueError(f"two {what} have the id {twice[0]}")
        known = {what: {row.id for row in rows} for what, rows in self._rows()}
        for who, what, key in self._references():
            if key not in known[what]:
                raise ValueError(f"{who} needs “{key}”, which is not among the plan's {what}")
        return self

    def _rows(self) -> Iterator[tuple[str, tuple[Any, ...]]]:
        yield from (
            ("areas", self.site.areas),
            ("features", self.site.features),
            ("backdrops", self.site.backdrops),
            ("points of the local grid", self.brief.local.points if self.brief.local else ()),
            *((name, getattr(self.kit, name)) for name in type(self.kit).model_fields),
            *(("devices", setup.devices) for setup in self.setups),
            *(
                (name, getattr(self, name))
                for name in ("marks", "correction_services", "setups", "flights", "control", "visits")
            ),
        )

    def _references(self) -> Iterator[tuple[str, str, str]]:
        """Who refers to what, by id."""
        for s in self.setups:
            yield s.name, "antennas", s.antenna
            if s.mark is not None:
                yield s.name, "marks", s.mark
        for f in self.flights:
            yield from (
                (f.name, "cameras" if isinstance(f.sensor, Imaging) else "scanners", f.sensor.profile),
                (f.name, "aircraft", f.aircraft),
                (f.name, "batteries", f.battery),
            )
            for area in sorted(f.pattern.areas):
                yield f.name, "areas", area
        hung: list[tuple[str, PositionSource]] = [(f.name, f.positioned_from) for f in self.flights]
        hung += [(p.name, on) for p in self.control for on in (p.positioned_from, *p.by_source)]
        hung += [(self.brief.local.name, self.brief.local.positioned_from)] if self.brief.local else []
        for name, on in hung:
            if isinstance(on, OnSetUp | OnInstrument):
                yield name, "setups", on.setup
            if isinstance(on, OnService):
                yield name, "correction_services", on.service
            if isinstance(on, Levelled):
                yield name, "marks", on.mark
            if isinstance(on, OwnSession) and on.setup is not None:
                yield name, "setups", on.setup
            if isinstance(on, OwnSession) and on.logger is not None:
                yield name, "loggers", on.logger

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> "Plan":
        """A plan like this one but for some parts; what was found out about those parts is not taken along."""
        copied = super().model_copy(update=update, deep=deep)
        for found, part in FOUND_FROM.items():
            if update and (part is None or part in update):
                copied.__dict__.pop(found, None)
        return copied

    @property
    def policy(self) -> Policy:
        """The rules as the organisation asks them that looks at this plan: no part of its document, nor of its hash."""
        return self._policy

    def under(self, policy: Policy) -> "Plan":
        """The same plan, looked at by an organisation that asks these rules."""
        if policy == self._policy:
            return self
        copied = self.model_copy()
        copied._policy = policy
        return copied

    @cached_property
    def hash(self) -> str:
        """SHA-256 of what numbers depend on: equal hash, equal numbers, whatever the names and notes."""
        return digest(self) if len(self.visits) < 2 else document_digest([digest(self), self.first_visit])

    @property
    def first_visit(self) -> str:
        """On which all is observed that names no visit; empty where the plan has none."""
        return self.visits[0].id if self.visits else ""

    @cached_property
    def revision(self) -> str:
        """SHA-256 of everything, for signing; the terrain's heights by their digest."""
        return document_digest(self.without_heights().to_json())

    def to_json(self) -> Json:
        """The plan's document: what reading it back takes."""
        return self.model_dump(mode="json")

    def without_heights(self) -> "Plan":
        """The plan as it is stored: the terrain by its digest."""
        terrain = self.site.ground.terrain
        return self if terrain is None else self.with_terrain(terrain.without_heights())

    def without_pictures(self) -> "Plan":
        """The plan where its pictures are not kept: no number depends on them."""
        control = tuple(p.model_copy(update={"pictures": ()}) for p in self.control)
        return self.model_copy(update={"site": self.site.model_copy(update={"backdrops": ()}), "control": control})

    def with_terrain(self, terrain: Terrain) -> "Plan":
        """The plan on another terrain, or on its own with the heights."""
        ground = self.site.ground.model_copy(update={"terrain": terrain})
        return self.model_copy(update={"site": self.site.model_copy(update={"ground": ground})})

    @cached_property
    def assume(self) -> Assumptions:
        """The figures in force. Raises PlanError for an edition or a figure that is not known, or out of bounds."""
        return Assumptions(self.assumptions.overrides, self.assumptions.edition)

    @cached_property
    def grid(self) -> Grid:
        """The job's grid and heights. Raises PlanError, GeodesyError."""
        if not self.brief.crs:
            raise PlanError("No grid is chosen.", where="Brief", mend="Choose the job's coordinate system.")
        return grid(*self.brief.system)

    @cached_property
    def surface(self) -> AnySurface | None:
        """The ground, None before there is any. Raises PlanError when a terrain's heights are not at hand."""
        return self.site.ground.surface

    @property
    def targets(self) -> tuple[ControlPoint, ...]:
        """Control that adjusts the block."""
        return tuple(p for p in self.control if p.role == "target")

    @property
    def checks(self) -> tuple[ControlPoint, ...]:
        """Control that only tests it."""
        return tuple(p for p in self.control if p.role == "check")

    def mark(self, key: str | None) -> Mark | None:
        """A mark by id, None where there is none."""
        return _by_id(self.marks, key)

    def mark_height(self, mark: Mark) -> float:
        """A mark's height in metres: its own, or the ground's there; NaN where neither is known."""
        if mark.h is not None:
            return mark.h
        return float(self.surface.at(mark.e, mark.n)) if self.surface else math.nan

    def setup(self, key: str | None) -> SetUp | None:
        """A set-up by id, None where there is none."""
        return _by_id(self.setups, key)

    def base_mark(self, hung: PositionSource) -> Mark | None:
        """The mark that is observed from; None for what rests on no set-up, or on one without a mark."""
        setup = self.setup(setup_of(hung))
        return self.mark(setup.mark) if setup else None

    def service(self, key: str) -> CorrectionService | None:
        """A correction service by id, None where there is none."""
        return _by_id(self.correction_services, key)

    def camera(self, key: str) -> Camera:
        """A camera of the kit by id."""
        return next(c for c in self.kit.cameras if c.id == key)

    def scanner(self, key: str) -> Scanner:
        """A scanner of the kit by id."""
        return next(s for s in self.kit.scanners if s.id == key)

    @property
    def mapped_by(self) -> Literal["images", "scan"]:
        """What the map is made of: returns where some flight scans, else images."""
        return "scan" if any(isinstance(f.sensor, Scanning) for f in self.flights) else "images"

    def aircraft(self, key: str) -> Aircraft:
        """An aircraft of the kit by id."""
        return next(a for a in self.kit.aircraft if a.id == key)

    def battery(self, key: str) -> Battery:
        """A battery of the kit by id."""
        return next(b for b in self.kit.batteries if b.id == key)

    def antenna(self, key: str) -> Antenna:
        """An antenna of the kit by id."""
        return next(a for a in self.kit.antennas if a.id == key)


def _by_id(rows: tuple[Any, ...], key: str | None) -> Any:
    return next((row for row in rows if row.id == key), None)


def plan_from_json(data: Any) -> Plan:
    """Read a Kardo plan of this or an older version.

    Raises PlanError for what is not one, for a newer version, and for what does not hold together.

    >>> plan_from_json({"format": "kardo-plan", "version": 2}).version
    3
    >>> plan_from_json({"format": "kardo-plan", "version": 1, "flight": {"camera": "mp45"}}).flights[0].sensor.camera
    'mp45'
    """
    from kardo.core.plan.upgrades.chain import upgraded

    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise PlanError("This is not a Kardo plan.", mend='A plan is a JSON object with "format": "kardo-plan".')
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise PlanError(
            f"This plan is of version {version}; this Kardo reads up to version {VERSION}.",
            where="version",
            mend="Open it with a newer Kardo.",
        )
    return plan_of(upgraded(data))


def plan_of(document: Json) -> Plan:
    """The plan of a document of this version. Raises PlanError about the first fault."""
    plan: Plan = validated(Plan, document, "plan")
    return plan


def json_schema() -> Json:
    """The published schema of the plan."""
    schema = Plan.model_json_schema()
    return {
        **schema,
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Kardo plan, version {VERSION}",
    }
