"""What positions come from: marks, set-ups over them, and correction services."""

import math
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from kardo.core.geodesy.units import UnitId
from kardo.core.parts import NOT_IN_HASH, Clean, Easting, Height, Identifier, Name, Northing, Note, Part, Sigma
from kardo.core.plan.kit import Origin

Hours = Annotated[float, Field(ge=0.1, le=240, allow_inf_nan=False)]
Moment = Annotated[str, Field(max_length=40), Clean, NOT_IN_HASH]


class Mark(Part):
    """A mark with coordinates. Where they come from: published, with sigmas per axis (95 % circle / 2.4477, 95 % height
    / 1.96); local, published so in the local grid that is delivered in; static, post-processed from so many hours of
    logging; or here, an autonomous position, which so many hours of its own log will shift afterwards (None: nothing
    will). h None takes the ground's height, until the mark's own is typed. origin: the library's mark, and the version
    of its coordinates. find: how it is found again."""

    id: Identifier
    name: Name
    e: Easting
    n: Northing
    h: Height | None = None
    sigma_h: Sigma = 0.010
    sigma_v: Sigma = 0.015
    known: Literal["published", "local", "static", "here"] = "published"
    hours: Hours = 4.0
    shift_hours: Hours | None = None
    realisation: Annotated[str, Field(max_length=60), Clean, NOT_IN_HASH] = ""
    epoch: Annotated[str, Field(max_length=20), Clean, NOT_IN_HASH] = ""
    source: Note = ""
    find: Note = ""
    origin: Annotated[Origin | None, NOT_IN_HASH] = None


class Log(Part):
    """When a set-up logs raw data: start and end as written, seconds between epochs; hours that its receiver runs on
    its battery and megabytes that it has room for, None where nobody said."""

    start: Moment = ""
    end: Moment = ""
    interval_s: Annotated[float, Field(ge=0.05, le=60, allow_inf_nan=False), NOT_IN_HASH] = 1.0
    battery_h: Annotated[float | None, Field(gt=0, le=1000, allow_inf_nan=False), NOT_IN_HASH] = None
    memory_mb: Annotated[float | None, Field(gt=0, le=1e9, allow_inf_nan=False), NOT_IN_HASH] = None


Bearing = Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)]
Elevation = Annotated[float, Field(ge=0, le=90, allow_inf_nan=False)]


class Device(Part):
    """What something that is told the base's position wants typed: the position of which point, which height, in which
    form and unit. Nothing of it is assumed: who adds a device says all four. frame: of its latitude and longitude, the
    satellites' there, or where it holds that, the grid's own datum."""

    id: Identifier
    name: Name
    point: Literal["mark", "arp", "apc"]
    height: Literal["ellipsoidal", "orthometric"]
    position: Literal["degrees", "dms", "grid"]
    unit: UnitId
    frame: Literal["satellites", "grid"] = "satellites"


USUAL_REACH = {
    "wireless": 50.0,
    "radio": 3000.0,
}  # metres in free sight: field practice, tens of metres and a few kilometres


class Settings(Part):
    """What is typed where corrections are wanted: address (a radio's channel or frequency), port, mount point, who
    asks, format. No secret is kept."""

    address: Annotated[str, Field(max_length=120), Clean, NOT_IN_HASH] = ""
    port: Annotated[int | None, Field(ge=1, le=65_535), NOT_IN_HASH] = None
    mount: Annotated[str, Field(max_length=60), Clean, NOT_IN_HASH] = ""
    user: Annotated[str, Field(max_length=60), Clean, NOT_IN_HASH] = ""
    format: Annotated[str, Field(max_length=60), Clean, NOT_IN_HASH] = "RTCM 3"


class Link(Settings):
    """How corrections leave a base for the controller that the aircraft is flown by: over local wireless or a ground
    radio as far as reach metres in free sight (None: as far as is usual), from an aerial so high above the mark; or by
    the internet, as far as there is signal. What is typed there for it."""

    kind: Literal["wireless", "radio", "internet"]
    reach: Annotated[float, Field(ge=1, le=100_000, allow_inf_nan=False)] | None = None
    aerial: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 2.0

    @property
    def reaches(self) -> float:
        """Metres in free sight; without end by the internet."""
        return math.inf if self.kind == "internet" else self.reach or USUAL_REACH[self.kind]


MOST_READINGS = 6


class Reading(Part):
    """One measurement of an antenna height, metres: slant, from the mark to the edge of the antenna's disc, or
    vertical, to what the antenna stands on; a pole's is its length, whatever the way: none, where the coordinates are
    those of the ARP. typed: as it was read, in its own unit. A bare number is read as a slant: so older plans have
    it."""

    metres: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)]
    measured_to: Literal["slant", "vertical"] = "slant"
    typed: Annotated[str, Field(max_length=40), Clean, NOT_IN_HASH] = ""

    @model_validator(mode="before")
    @classmethod
    def _bare(cls, said: Any) -> Any:
        return {"metres": said} if isinstance(said, int | float) else said


class SetUp(Part):
    """One standing of a base or an instrument over a mark. readings: the pole's length, or what is taped to a tripod's
    antenna; none yet counts as the two that custom asks for. pole_to: the point that the pole's stated length leads to.
    adapter: metres of adapter and spacer under the ARP, which a slant has in it, and a vertical height or a pole's
    length has not. horizon: (azimuth, elevation) in degrees. devices: what is told the position of this standing. link:
    how its corrections leave it; None: nobody looked, and what is live is taken to arrive."""

    id: Identifier
    name: Name
    mark: Identifier | None = None
    support: Literal["fixed_pole", "tripod"] = "tripod"
    antenna: Identifier
    readings: Annotated[tuple[Reading, ...], Field(max_length=MOST_READINGS)] = ()
    pole_to: Annotated[Literal["arp", "apc"], NOT_IN_HASH] = "arp"
    adapter: Annotated[float, Field(ge=0, le=2, allow_inf_nan=False), NOT_IN_HASH] = 0.0
    horizon: Annotated[tuple[tuple[Bearing, Elevation], ...], Field(max_length=360), NOT_IN_HASH] = ()
    log: Annotated[Log | None, NOT_IN_HASH] = None
    visit: Identifier | None = None
    devices: Annotated[tuple[Device, ...], Field(max_length=8), NOT_IN_HASH] = ()
    link: Link | None = None


class CorrectionService(Part):
    """A correction service: the offset of all its positions from the job's datum is one error, so wide. settings: what
    is typed for it."""

    id: Identifier
    name: Name
    sigma_h: Sigma = 0.010
    sigma_v: Sigma = 0.020
    settings: Annotated[Settings | None, NOT_IN_HASH] = None


class OnSetUp(Part):
    """Positioned from a base: from its mark and its set-up."""

    on: Literal["setup"] = "setup"
    setup: Identifier


class OnService(Part):
    """Positioned from a correction service."""

    on: Literal["service"] = "service"
    service: Identifier


class OwnSession(Part):
    """A static session of its own, post-processed: against a base of the job that logs meanwhile, a short baseline that
    shares the base's error; or against a reference network (setup None), which shares its error with nothing. logger:
    what records it, whose rule says how long at least."""

    on: Literal["session"] = "session"
    hours: Hours = 1.0
    logger: Annotated[Identifier | None, NOT_IN_HASH] = None
    setup: Identifier | None = None


class OnInstrument(Part):
    """Measured by angle and distance from an instrument on a set-up."""

    on: Literal["instrument"] = "instrument"
    setup: Identifier


class Levelled(Part):
    """Levelled there and back from a mark, over so many metres one way: its height alone; in plan it is no better than
    a position by code."""

    on: Literal["levelled"] = "levelled"
    mark: Identifier
    metres: Annotated[float, Field(ge=1, le=100_000, allow_inf_nan=False)] = 500.0


class OnNothing(Part):
    """An autonomous position."""

    on: Literal["nothing"] = "nothing"


PositionSource = Annotated[
    OnSetUp | OnService | OwnSession | OnInstrument | Levelled | OnNothing, Field(discriminator="on")
]


def setup_of(on: PositionSource) -> str | None:
    """The set-up that stands for what is positioned from this: a base, a total station, or the log that a session is
    worked out against."""
    return on.setup if isinstance(on, OnSetUp | OnInstrument | OwnSession) else None


FlightSource = Annotated[OnSetUp | OnService | OnNothing, Field(discriminator="on")]
