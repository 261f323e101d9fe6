"""Receivers on the network: which may be listened to, and what one says of its position held against the plan."""

from typing import Annotated, Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from kardo.core.errors import ReadError
from kardo.core.gnss.heights import heights
from kardo.core.gnss.receiver import ReceiverHeard, receiver_against
from kardo.formats.nmea import receiver_said
from kardo.outside.receiver import receiver_pieces
from kardo.server.access import job_of
from kardo.server.outside import address_among
from kardo.server.plans.stored import whole_plan

router = Router(tags=["base"])
SECONDS = 12.0  # that one receiver is listened to at most


class ListenToReceiver(Schema):
    """A receiver out of those that may be listened to, the set-up that it should stand on, and which point its position
    is of."""

    receiver: Annotated[str, Field(max_length=100)]
    setup: Annotated[str, Field(max_length=100)]
    point: Literal["mark", "arp", "apc"] = "arp"


@router.get("/{job_id}/receivers", response=list[str])
def list_receivers(request: HttpRequest, job_id: UUID) -> list[str]:
    """The receivers that may be listened to."""
    job_of(request, job_id)
    return list(settings.RECEIVERS)


@router.post("/{job_id}/receivers/heard", response=ReceiverHeard)
def hear_receiver(request: HttpRequest, job_id: UUID, asked: ListenToReceiver) -> ReceiverHeard:
    """Listens to a receiver for some seconds and holds its position against a set-up. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    receiver = address_among(asked.receiver, settings.RECEIVERS, "receiver")
    if plan.setup(asked.setup) is None:
        raise ReadError("There is no such set-up.", where="Base", mend="Choose one of the plan's.")
    chain = heights(plan, asked.setup)
    said = receiver_said(receiver_pieces(receiver, SECONDS), SECONDS)
    return receiver_against(plan, chain, said, asked.point)
