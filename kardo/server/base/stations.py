"""Reference networks: which may be asked, and their stations as seen from a job's site."""

from typing import Annotated
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest
from ninja import Query, Router
from pydantic import Field

from kardo.core.flight.stations import NearStation, stations_near
from kardo.outside.stations import stations_of
from kardo.server.access import job_of
from kardo.server.outside import address_among
from kardo.server.plans.stored import whole_plan

router = Router(tags=["base"])


@router.get("/{job_id}/networks", response=list[str])
def list_networks(request: HttpRequest, job_id: UUID):
    """The reference networks that may be asked."""
    job_of(request, job_id)
    return list(settings.NETWORKS)


@router.get("/{job_id}/stations", response=list[NearStation])
def list_stations(request: HttpRequest, job_id: UUID, network: Annotated[str, Field(max_length=100)] = Query("")):
    """The stations of a network nearest to the site: of the first that may be asked, where none is said."""
    plan = whole_plan(job_of(request, job_id))
    wanted = network or next(iter(settings.NETWORKS), "")
    return stations_near(plan, stations_of(address_among(wanted, settings.NETWORKS, "network")))
