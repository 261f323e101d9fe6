"""An authority's airspace: its zones about a place as GeoJSON, and asking it for leave to fly."""

import json
from dataclasses import dataclass
from typing import Annotated, Literal
from urllib.parse import quote

from pydantic import BaseModel, Field, ValidationError

from kardo.core.parts import Clean, Clock
from kardo.outside.line import Address
from kardo.outside.service import asked, strange

SECONDS = 8.0
Degrees = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
Text = Annotated[str, Field(max_length=120), Clean]


class Served(BaseModel):
    """What a zone says of itself."""

    number: Annotated[str, Field(min_length=1, max_length=40), Clean]
    name: Text
    ceiling_m: Annotated[float, Field(ge=0, le=10_000)] | None = None
    hours: tuple[Clock, Clock] | None = None
    authority: Text = ""


class Outline(BaseModel):
    """Its outline: longitude and latitude on WGS 84."""

    type: Literal["Polygon"]
    coordinates: Annotated[
        list[Annotated[list[tuple[Degrees, Degrees]], Field(min_length=4, max_length=2000)]],
        Field(min_length=1, max_length=50),
    ]


class One(BaseModel):
    """A zone."""

    type: Literal["Feature"]
    properties: Served
    geometry: Outline


class Zones(BaseModel):
    """All zones of an answer."""

    type: Literal["FeatureCollection"]
    features: Annotated[list[One], Field(max_length=500)]


class Answer(BaseModel):
    """What becomes of a request."""

    reference: Annotated[str, Field(min_length=1, max_length=80), Clean]
    state: Literal["requested", "granted", "refused"]
    words: Annotated[str, Field(max_length=300), Clean] = ""


@dataclass(frozen=True)
class FlightAsked:
    """What leave is asked for: which zone, a place in degrees, how high above ground in metres, and when (date and
    clock of the site)."""

    zone: str
    lon: float
    lat: float
    height_m: float
    date: str
    hours: tuple[str, str]


def zones_about(authority: Address, box: tuple[float, float, float, float]) -> list[One]:
    """Zones that meet a box (west, south, east, north in degrees). Raises ReadError."""
    try:
        wanted = ",".join(f"{v:.5f}" for v in box)
        return Zones.model_validate(asked(authority, f"GET /zones?box={wanted}", b"", SECONDS)).features
    except ValidationError as fault:
        raise strange(authority) from fault


def ask_leave(authority: Address, flight: FlightAsked) -> Answer:
    """Ask for leave; the answer may still be waited for. Raises ReadError."""
    return _answer(authority, "POST /requests", json.dumps(vars(flight)).encode())


def leave_now(authority: Address, reference: str) -> Answer:
    """What has become of a request. Raises ReadError."""
    return _answer(authority, f"GET /requests/{quote(reference, safe='')}", b"")


def _answer(authority: Address, what: str, body: bytes) -> Answer:
    try:
        return Answer.model_validate(asked(authority, what, body, SECONDS))
    except ValidationError as fault:
        raise strange(authority) from fault
