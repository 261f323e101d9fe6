"""Reference networks: which may be asked, their stations as seen from a job's site, and the logs of those that the plan
took."""

from typing import Annotated
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from kardo.core.day.sessions import hours_of
from kardo.core.errors import PlanError
from kardo.core.flight.air.stations import NearStation, stations_near
from kardo.outside.stations import log_of, stations_of
from kardo.server.access import job_of
from kardo.server.api.base import LogOut, log_told
from kardo.server.outside import address_among
from kardo.server.plans.stored import whole_plan

router = Router(tags=["base"])


@router.get("/{job_id}/networks", response=list[str])
def list_networks(request: HttpRequest, job_id: UUID) -> list[str]:
    """The reference networks that may be asked."""
    job_of(request, job_id)
    return list(settings.NETWORKS)


@router.get("/{job_id}/stations", response=list[NearStation])
def list_stations(request: HttpRequest, job_id: UUID, network: Query[str] = "") -> list[NearStation]:
    """The stations of a network nearest to the site: of the first that may be asked, where none is said."""
    plan = whole_plan(job_of(request, job_id))
    wanted = network or next(iter(settings.NETWORKS), "")
    return stations_near(plan, stations_of(address_among(wanted, settings.NETWORKS, "network")))


class LogAsked(Schema):
    """Whose log is wanted: of a network that may be asked, the station that a set-up of the plan stands on."""

    network: Annotated[str, Field(max_length=100)]
    setup: Annotated[str, Field(max_length=40)]


@router.post("/{job_id}/stations/log", response=LogOut)
def read_station_log(request: HttpRequest, job_id: UUID, wanted: LogAsked) -> LogOut:
    """The raw log of a reference station over the hours that the plan needs of it, held against the plan. Nothing is
    saved."""
    plan = whole_plan(job_of(request, job_id))
    setup = plan.setup(wanted.setup)
    mark = plan.mark(setup.mark) if setup else None
    if mark is None:
        raise PlanError("No such station is in the plan.", where="Base, reach", mend="Take it into the plan first.")
    network = address_among(wanted.network, settings.NETWORKS, "network")
    return log_told(plan, [log_of(network, mark.name, *hours_of(plan, wanted.setup))], f"{mark.name}, {network}")
