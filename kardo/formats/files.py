"""Every file that a plan is written as: in each format of a map what the registry has, and lists."""

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from kardo.core.plan.model import Plan
from kardo.formats.lists import point_list_csv, waypoints_csv
from kardo.formats.map.registry import ENDINGS, FORMATS, Write


@dataclass(frozen=True)
class PlanFile:
    """A file that a plan is written as, and its media type."""

    write: Callable[[Plan], bytes]
    media: str


def plan_json(plan: Plan) -> str:
    """The Kardo plan: reading it back gives the same hash."""
    return json.dumps(plan.to_json(), ensure_ascii=False, indent=1)


def _file(write: Write, media: str) -> PlanFile:
    def written(plan: Plan) -> bytes:
        body = write(plan)
        return body.encode() if isinstance(body, str) else body

    return PlanFile(written, media)


@dataclass(frozen=True)
class Written:
    """A file of a map that is offered: its name, its format in words, and what of the plan it holds."""

    name: str
    words: str
    of: Literal["control", "site", "flight"]


def _written() -> Iterator[tuple[Written, PlanFile]]:
    parts: tuple[Literal["control", "site", "flight"], ...] = ("control", "site", "flight")
    for of in parts:
        for one in FORMATS:
            write = getattr(one, of)
            if write is not None:
                words = f"{one.name}, {one.note}" if one.note else one.name
                yield Written(f"{of}.{one.endings[0]}", words, of), _file(write, one.media)


WRITTEN = tuple(written for written, _ in _written())
PLAN_FILES = {
    **{written.name: made for written, made in _written()},
    "points.csv": _file(point_list_csv, "text/csv; charset=utf-8"),
    "flight.csv": _file(waypoints_csv, "text/csv; charset=utf-8"),
    "plan.json": _file(plan_json, "application/json"),
}

LISTS = (".csv", ".txt")
TERRAIN = (".tif", ".tiff")
# endings of what each reader takes, for whoever chooses a file
ACCEPTED = {
    "boundary": ENDINGS + LISTS,
    "features": ENDINGS,
    "points": LISTS + ENDINGS,
    "flown": LISTS + ENDINGS,
    "line": ENDINGS,
    "where": ENDINGS + LISTS + TERRAIN,
    "marks": LISTS + ENDINGS,
    "terrain": TERRAIN,
    "geoid": (".gtx", *TERRAIN),
    "backdrop": (*TERRAIN, ".jpg", ".jpeg", ".png"),
    "world_file": (".jgw", ".pgw", ".tfw", ".wld", ".jpgw", ".pngw", ".txt"),
    "local_grid": (".txt", "text/plain"),
    "report": (".pdf", ".html"),
    "picture": ("image/jpeg", "image/png", "image/webp"),
    "photo": ("image/jpeg",),
}
