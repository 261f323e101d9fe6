"""What every part of the plan is made of: bounded numbers, clean text, and the one base class."""

import unicodedata
from functools import cache
from typing import Annotated, Any, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from kardo.core.arrays import Json
from kardo.core.errors import PlanError


class _Prose:
    """Marks a field that no number depends on: names, notes, sources. It is left out of a plan's hash."""


PROSE = _Prose()


def _clean(text: str) -> str:
    """Text that can be stored and printed anywhere: no control characters but line breaks, no lone surrogates."""
    for letter in text:
        if unicodedata.category(letter) in {"Cc", "Cs"} and letter not in "\n\t":
            raise ValueError("has a character that cannot be printed")
    return text


Clean = AfterValidator(_clean)
Coordinate = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Height = Annotated[float, Field(ge=-1000, le=10000, allow_inf_nan=False)]
Sigma = Annotated[float, Field(ge=1e-6, le=100, allow_inf_nan=False)]
Length = Annotated[float, Field(gt=0, le=10, allow_inf_nan=False)]
Identifier = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Name = Annotated[str, Field(min_length=1, max_length=60), Clean, PROSE]
Note = Annotated[str, Field(max_length=2000), Clean, PROSE]
Place = tuple[Coordinate, Coordinate]
MAX_VERTICES, MAX_POINTS = 2000, 2000
Ring = tuple[Place, ...]


class Part(BaseModel):
    """Common manner of every part of the plan: frozen, and nothing unknown is let in."""

    model_config = ConfigDict(frozen=True, extra="forbid", json_schema_serialization_defaults_required=True)


Row = TypeVar("Row", bound=BaseModel)


@cache
def _numeric_fields(model: type[Part]) -> tuple[str, ...]:
    return tuple(name for name, field in model.model_fields.items() if PROSE not in field.metadata)


def essence(value: Any) -> Any:
    """What numbers depend on, as plain JSON: parts without their prose."""
    if isinstance(value, Part):
        return {name: essence(getattr(value, name)) for name in _numeric_fields(type(value))}
    if isinstance(value, tuple | list):
        return [essence(one) for one in value]
    if isinstance(value, dict):
        return {key: essence(one) for key, one in value.items()}
    return value


def to_json(part: Part) -> Json:
    """A part as plain JSON."""
    return part.model_dump(mode="json")


def validated(model: type[Row], data: Any, where: str) -> Row:
    """Build a part of the plan, turning the validator's report into one clear error about the first fault. Raises PlanError."""
    try:
        return model.model_validate(data)
    except ValidationError as fault:
        first = fault.errors()[0]
        path = ".".join([where, *(str(p) for p in first["loc"])])
        message = first["msg"].removeprefix("Value error, ")
        given = ascii(first["input"])[:60]
        raise PlanError(f"{message[0].upper()}{message[1:]}.", where=path, mend=f"Given: {given}") from fault
