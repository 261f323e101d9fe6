"""A client of reference networks: GET /stations answers {"crs", "epoch", "stations": [...]} as `Served` has it, and
GET /stations/NAME/log?from=...&to=... (UTC) the raw log of a station in RINEX, packed or not."""

import datetime
from typing import Annotated
from urllib.parse import quote

from pydantic import BaseModel, Field, ValidationError

from kardo.core.flight.air.stations import Station
from kardo.core.parts import Clean
from kardo.outside.line import Address
from kardo.outside.service import asked, got, strange

SECONDS, LOG_SECONDS = 8.0, 60.0
MOST_LOG = 60_000_000  # bytes, as sent
Metres = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Sigma = Annotated[float, Field(ge=1e-5, le=10, allow_inf_nan=False)]


class One(BaseModel):
    """A station: its name, earth-centred metres of its ARP, sigmas H and V, and the share of time that it was up."""

    name: Annotated[str, Field(min_length=1, max_length=60), Clean]
    xyz: tuple[Metres, Metres, Metres]
    sigma: tuple[Sigma, Sigma] = (0.005, 0.010)
    uptime: Annotated[float, Field(ge=0, le=1)] | None = None


class Served(BaseModel):
    """What a network tells: the system of its coordinates by code, their year, and its stations."""

    crs: Annotated[str, Field(pattern=r"^EPSG:[0-9]{1,6}$")]
    epoch: Annotated[float, Field(ge=1980, le=2200)]
    stations: Annotated[list[One], Field(max_length=5000)]


def stations_of(network: Address) -> list[Station]:
    """The stations of a network. Raises ReadError."""
    try:
        told = Served.model_validate(asked(network, "GET /stations", b"", SECONDS))
    except ValidationError as fault:
        raise strange(network) from fault
    return [
        Station(name=s.name, crs=told.crs, epoch=told.epoch, xyz=s.xyz, sigma=s.sigma, uptime=s.uptime)
        for s in told.stations
    ]


def log_of(network: Address, station: str, first: datetime.datetime, last: datetime.datetime) -> bytes:
    """The raw log of a station from a moment (UTC) to another, as the network sends it. Raises ReadError."""
    span = f"from={first:%Y-%m-%dT%H:%M:%SZ}&to={last:%Y-%m-%dT%H:%M:%SZ}"
    return got(network, f"GET /stations/{quote(station, safe='')}/log?{span}", b"", LOG_SECONDS, MOST_LOG)
