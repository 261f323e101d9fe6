"""Casters: which may be listened to, what they have, and what a base broadcasts held against the plan."""

from typing import Annotated
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from kardo.core.errors import ReadError
from kardo.core.gnss.broadcast import Broadcast, Heard, held_against, told
from kardo.core.gnss.heights import heights
from kardo.formats.rtcm import heard
from kardo.outside.ntrip import Caster, Mount, listen, mounts
from kardo.server.access import job_of
from kardo.server.outside import address_among
from kardo.server.plans.stored import whole_plan

router = Router(tags=["base"])
SECONDS = 12.0  # that one stream is listened to at most
Word = Annotated[str, Field(max_length=100)]


class Asked(Schema):
    """A caster out of those that may be listened to, and who asks. The password is used and forgotten."""

    caster: Word
    user: Word = ""
    password: Word = ""


class ListenTo(Asked):
    """A mount point, and the set-up whose position it should be."""

    mount: Word
    setup: Word


class HeardOut(Schema):
    """What was heard, against the set-up: in a sentence, and what is to be said of it."""

    broadcast: Broadcast
    held: Heard
    told: str


def _caster(asked: Asked) -> Caster:
    """Raises ReadError for one that this installation does not let be listened to."""
    return Caster(address_among(asked.caster, settings.CASTERS, "caster"), asked.user, asked.password)


@router.get("/{job_id}/casters", response=list[str])
def list_casters(request: HttpRequest, job_id: UUID) -> list[str]:
    """The casters that may be listened to."""
    job_of(request, job_id)
    return list(settings.CASTERS)


@router.post("/{job_id}/casters/mounts", response=list[Mount])
def list_mounts(request: HttpRequest, job_id: UUID, asked: Asked) -> list[Mount]:
    """The mount points of a caster."""
    job_of(request, job_id)
    return mounts(_caster(asked))


@router.post("/{job_id}/casters/heard", response=HeardOut)
def hear(request: HttpRequest, job_id: UUID, asked: ListenTo) -> HeardOut:
    """Listens to a mount point for some seconds and holds what it broadcasts against a set-up. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    if plan.setup(asked.setup) is None:
        raise ReadError("There is no such set-up.", where="Base", mend="Choose one of the plan's.")
    chain = heights(plan, asked.setup)
    found = heard(listen(_caster(asked), asked.mount, SECONDS), SECONDS)
    held = held_against(plan, chain, found)
    return HeardOut(broadcast=found, held=held, told=told(plan, held))
