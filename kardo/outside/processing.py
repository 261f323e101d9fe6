"""A client of services that post-process a base's raw log against a reference network: hand the log in, ask what became
of it.

The service speaks HTTP and JSON: POST /jobs takes a RINEX file and answers {"id"}; GET /jobs/ID answers as `Answer` has
it."""

import re
from typing import Annotated, Literal

from pydantic import BaseModel, Field, ValidationError

from kardo.core.errors import ReadError
from kardo.core.parts import Clean
from kardo.outside.line import Address
from kardo.outside.service import asked, strange

JOB = re.compile(r"^[A-Za-z0-9-]{1,60}$")
HAND_IN, ASK = 60.0, 8.0  # seconds that each may take
Metres = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Row = tuple[Metres, Metres, Metres]


class Answer(BaseModel):
    """What became of a log. waiting, failed (with why), or done: a position of the marker, earth-centred metres in a
    system by code at a year, its covariance, hours used, and against which stations."""

    state: Literal["waiting", "done", "failed"]
    words: Annotated[str, Field(max_length=300), Clean] = ""
    crs: Annotated[str, Field(pattern=r"^(EPSG:[0-9]{1,6})?$")] = ""
    epoch: Annotated[float, Field(ge=1980, le=2200)] = 2000.0
    xyz: Row = (0.0, 0.0, 0.0)
    covariance: tuple[Row, Row, Row] = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))
    hours: Annotated[float, Field(ge=0, le=1000)] = 0.0
    stations: Annotated[list[Annotated[str, Field(max_length=60), Clean]], Field(max_length=50)] = []


def hand_in(service: Address, log: bytes) -> str:
    """Give a service a log: the name of its job there. Raises ReadError."""
    answer = asked(service, "POST /jobs", log, HAND_IN)
    job = answer.get("id")
    if not isinstance(job, str) or not JOB.match(job):
        raise strange(service)
    return job


def answer_of(service: Address, job: str) -> Answer:
    """What became of a log. Raises ReadError."""
    if not JOB.match(job):
        raise ReadError("This is no job of a service.", where=job[:60], mend="Hand the log in again.")
    try:
        return Answer.model_validate(asked(service, f"GET /jobs/{job}", b"", ASK))
    except ValidationError as fault:
        raise strange(service) from fault
