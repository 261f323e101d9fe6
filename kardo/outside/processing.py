"""A client of services that post-process a base's raw log against a reference network: hand the log in, ask what became of it.

The service speaks HTTP and JSON: POST /jobs takes a RINEX file and answers {"id"}; GET /jobs/ID answers as `Answer` has it.
"""

import json
import re
from typing import Annotated, Literal

from pydantic import BaseModel, Field, ValidationError

from kardo.core.errors import ReadError
from kardo.core.plan.parts import Clean
from kardo.outside.line import Address, line

JOB = re.compile(r"^[A-Za-z0-9-]{1,60}$")
HAND_IN, ASK = 60.0, 8.0  # seconds that each may take
Metres = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Row = tuple[Metres, Metres, Metres]


class Answer(BaseModel):
    """What became of a log. waiting, failed (with why), or done: a position of the marker, earth-centred metres in a system by code at
    a year, its covariance, hours used, and against which stations."""

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
    answer = _asked(service, "POST /jobs", log, HAND_IN)
    job = answer.get("id")
    if not isinstance(job, str) or not JOB.match(job):
        raise _strange(service)
    return job


def answer_of(service: Address, job: str) -> Answer:
    """What became of a log. Raises ReadError."""
    if not JOB.match(job):
        raise ReadError("This is no job of a service.", where=job[:60], mend="Hand the log in again.")
    try:
        return Answer.model_validate(_asked(service, f"GET /jobs/{job}", b"", ASK))
    except ValidationError as fault:
        raise _strange(service) from fault


def _asked(service: Address, what: str, body: bytes, seconds: float) -> dict:
    head = f"{what} HTTP/1.1\r\nHost: {service}\r\nContent-Length: {len(body)}\r\nConnection: close\r\n\r\n"
    with line(service, seconds) as held:
        held.say(head.encode("ascii") + body)
        first = held.head()
        said = b"".join(held.body(first))
    status = first.split(b" ", 2)[1:2]
    if status != [b"200"]:
        raise ReadError(
            "The service does not take this.", where=str(service), mend="Look at its own page, or try it again."
        )
    try:
        data = json.loads(said)
    except (ValueError, RecursionError) as fault:
        raise _strange(service) from fault
    if not isinstance(data, dict):
        raise _strange(service)
    return data


def _strange(service: Address) -> ReadError:
    return ReadError("The service answers what is no answer.", where=str(service), mend="Is it the right address?")
