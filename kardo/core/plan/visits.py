"""The days on which the work is done: who comes, from when to when, and what somebody settled about the order."""

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from kardo.core.parts import NOT_IN_HASH, Clean, Clock, Date, Identifier, Name, Note, Part

Role = Literal["pilot", "surveyor", "helper"]
Minutes = Annotated[float, Field(ge=0, le=1440, allow_inf_nan=False)]
TaskId = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,90}$")]
MOST_PEOPLE = 40


class Person(Part):
    """Somebody who comes, and what this person may do. A pilot flies; a surveyor sets up and observes; everybody
    helps."""

    id: Identifier
    name: Annotated[str, Field(min_length=1, max_length=60), Clean]
    roles: Annotated[tuple[Role, ...], Field(max_length=3)] = ("pilot", "surveyor", "helper")


def _named(value: Any) -> Any:
    """A bare name, as the first plans of version 2 had it, is somebody who may do everything."""
    if not isinstance(value, str):
        return value
    plain = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in value)[:40]
    return {"id": plain or "somebody", "name": value}


class Visit(Part):
    """A day on site. Clock times are the site's: utc_offset_h hours ahead of UTC, None by the longitude. leave: not
    earlier from the office; back: home by then (empty: whenever). batteries: sets at hand of each kind; charge_min:
    minutes to charge one on site (None: not there). sun_deg: least height of the sun over the horizon for flying.

    What somebody settled: minutes of a task, the clock time that a task is pinned to, and who does it."""

    id: Identifier
    name: Name
    date: Annotated[Date, NOT_IN_HASH] = ""
    people: Annotated[
        tuple[Annotated[Person, BeforeValidator(_named)], ...], Field(max_length=MOST_PEOPLE), NOT_IN_HASH
    ] = ()
    utc_offset_h: Annotated[float | None, Field(ge=-14, le=14, allow_inf_nan=False), NOT_IN_HASH] = None
    leave: Annotated[Clock, NOT_IN_HASH] = "07:00"
    back: Annotated[Clock | Literal[""], NOT_IN_HASH] = ""
    travel_min: Annotated[Minutes, NOT_IN_HASH] = 30.0
    batteries: Annotated[int, Field(ge=0, le=100), NOT_IN_HASH] = 4
    charge_min: Annotated[Minutes | None, NOT_IN_HASH] = None
    sun_deg: Annotated[float, Field(ge=-6, le=60, allow_inf_nan=False), NOT_IN_HASH] = 10.0
    minutes: Annotated[dict[TaskId, Minutes], Field(max_length=300), NOT_IN_HASH] = {}
    pins: Annotated[dict[TaskId, Clock], Field(max_length=300), NOT_IN_HASH] = {}
    takers: Annotated[dict[TaskId, Identifier], Field(max_length=300), NOT_IN_HASH] = {}
    note: Note = ""
