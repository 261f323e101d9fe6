"""What every part of the plan is made of: bounded numbers, clean text, and the one base class."""

import hashlib
import json
import types
import typing
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal, Self, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.geodesy.units import UNITS
from kardo.core.limits import LIMITS, limit_words, station_of


class _NotInHash:
    """Marks a field that no number depends on: names, notes, sources. It is left out of a plan's hash."""


NOT_IN_HASH = _NotInHash()


@dataclass(frozen=True)
class InGrid:
    """The kind of a coordinate of the job's own grid, metres: what carries it is found by walking the model
    (`plan/places.py`) and held against what the grid can hold. edge: of a raster, where no height is asked for. A
    coordinate without it is of another grid, or a difference."""

    axis: Literal["e", "n"]
    edge: bool = False


def _clean(text: str) -> str:
    """Text that can be stored and printed anywhere: no control characters but line breaks, no lone surrogates."""
    for letter in text:
        if unicodedata.category(letter) in {"Cc", "Cs"} and letter not in "\n\t":
            raise ValueError("has a character that cannot be printed")
    return text


Clean = AfterValidator(_clean)
Coordinate = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Easting = Annotated[Coordinate, InGrid("e")]
Northing = Annotated[Coordinate, InGrid("n")]
Height = Annotated[float, Field(ge=-1000, le=10000, allow_inf_nan=False)]
Sigma = Annotated[float, Field(ge=1e-6, le=100, allow_inf_nan=False)]
Length = Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)]
Identifier = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Name = Annotated[str, Field(min_length=1, max_length=60), Clean, NOT_IN_HASH]
Note = Annotated[str, Field(max_length=2000), Clean, NOT_IN_HASH]
Clock = Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")]
Date = Annotated[str, Field(pattern=r"^(\d{4}-\d{2}-\d{2})?$")]
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Place = tuple[Easting, Northing]
EdgeE = Annotated[Coordinate, InGrid("e", edge=True)]
EdgeN = Annotated[Coordinate, InGrid("n", edge=True)]
MAX_VERTICES, MAX_POINTS = 2000, 2000
Ring = tuple[Place, ...]


class Part(BaseModel):
    """Common manner of every part of the plan: frozen, and nothing unknown is let in."""

    model_config = ConfigDict(frozen=True, extra="forbid", json_schema_serialization_defaults_required=True)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A part like this one but for some fields. Raises AttributeError for a field that it has not, which pydantic
        would take in silence."""
        unknown = set(update or ()) - type(self).model_fields.keys()
        if unknown:
            raise AttributeError(f"{type(self).__name__} has no {', '.join(sorted(unknown))}")
        return super().model_copy(update=update, deep=deep)


Row = TypeVar("Row", bound=BaseModel)


@cache
def _not_in_hash(model: type[Part]) -> dict[str, Any]:
    """The fields of a part, and of parts within it, that no number depends on, as pydantic's dump leaves them out."""
    out: dict[str, Any] = {}
    for name, field in model.model_fields.items():
        inner = {key: left for part in parts_in(field.annotation) for key, left in _not_in_hash(part).items()}
        if NOT_IN_HASH in field.metadata:
            out[name] = True
        elif inner:
            out[name] = {"__all__": inner} if typing.get_origin(field.annotation) is tuple else inner
    return out


def parts_in(annotation: Any) -> list[type[Part]]:
    """The parts that a field's type names: its own, those it may be, or those it is a list of."""
    if isinstance(annotation, type) and not isinstance(annotation, types.GenericAlias):
        return [annotation] if issubclass(annotation, Part) else []
    return [part for inner in typing.get_args(annotation) for part in parts_in(inner)]


def digest(part: Part) -> str:
    """SHA-256 of what numbers depend on in a part: equal for equal numbers, whatever the names and notes."""
    return hashlib.sha256(part.model_dump_json(exclude=_not_in_hash(type(part))).encode()).hexdigest()


def document_digest(document: Any) -> str:
    """SHA-256 of a whole document as JSON, its keys in order. What carries a document is held against this, not against
    the document read again: a later model may know more fields than it has.

    >>> document_digest({"b": 1, "a": 2}) == document_digest({"a": 2, "b": 1})
    True
    """
    return hashlib.sha256(json.dumps(document, sort_keys=True, separators=(",", ":")).encode()).hexdigest()


def to_json(part: Part) -> Json:
    """A part as plain JSON."""
    return part.model_dump(mode="json")


def validated(model: type[Row], data: Any, where: str) -> Row:
    """Build a part of the plan, turning the validator's report into one clear error about the first fault. Raises
    PlanError."""
    try:
        return model.model_validate(data)
    except ValidationError as fault:
        first = fault.errors()[0]
        of_plan = where == "plan" and isinstance(data, dict)
        brief = data.get("brief") if of_plan else None
        unit = brief.get("unit") if isinstance(brief, dict) else "m"
        raise PlanError(
            limit_words(first, unit if unit in UNITS else "m"),
            where=station_of(first["loc"], data) if of_plan else ".".join([where, *(str(p) for p in first["loc"])]),
            mend="Nothing was changed." if first["type"] in LIMITS else f"Given: {ascii(first['input'])[:60]}",
        ) from fault
