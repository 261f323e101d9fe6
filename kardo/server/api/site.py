"""The site: what is brought in or found on it, the picture under it, and the airspace over it."""

from typing import Literal
from uuid import UUID

import numpy as np
from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.utils import timezone
from ninja import File, Form, Query, Router, Schema
from ninja.files import UploadedFile

from kardo.core.errors import PlanError, ReadError
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.geodesy.transformations import WGS84
from kardo.core.geodesy.units import UnitId
from kardo.core.parts import MAX_VERTICES, Clock, Date, validated
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Backdrop, Feature, Zone
from kardo.core.site.airspace import ZoneMet, compared
from kardo.core.site.derived import risen
from kardo.core.site.guesses import kind_of
from kardo.formats import raster
from kardo.formats.backdrop import MAX_BYTES as MOST_BACKDROP
from kardo.formats.backdrop import read_backdrop
from kardo.formats.coordinates import Option
from kardo.formats.map.reading import brought, read_map_file
from kardo.formats.map.things import MAX_BYTES, Thing
from kardo.formats.raster import TerrainChoices
from kardo.outside.airspace import Answer, FlightAsked, One, ask_leave, leave_now, zones_about
from kardo.outside.line import Address
from kardo.server.access import job_of, require_open
from kardo.server.api.readings import around_site, near_site
from kardo.server.outside import address_among
from kardo.server.plans.models import Picture
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.uploads import upload_of, uploads_of

router = Router(tags=["site"])
MOST_FEATURES, MOST_WORLD = 500, 2000


class FeaturesOut(Schema):
    """Things of a file, or found, as rows that the plan could hold: their ids are their numbers, their kinds
    guesses."""

    features: list[Feature]
    layers: list[str]
    how: list[str]
    options: list[Option]
    approximate: str


@router.post("/{job_id}/read/features", response=FeaturesOut)
def read_features(
    request: HttpRequest,
    job_id: UUID,
    file: File[UploadedFile],
    beside: File[list[UploadedFile] | None] = None,
    chosen: Form[str] = "",
) -> FeaturesOut:
    """Points, lines and areas of a map file as features of the site, each with a guess of what it is. Nothing is
    saved."""
    plan = stored_plan(job_of(request, job_id))
    data, name = uploads_of(file, beside, MAX_BYTES)
    found = brought(read_map_file(data, name), plan.grid, plan.brief.unit, near_site(plan), chosen)
    if len(found.things) > MOST_FEATURES:
        raise ReadError(
            f"The file holds {len(found.things)} things; a site has up to {MOST_FEATURES}.",
            mend="Export what matters about the site.",
        )
    rows = [_feature(k, thing) for k, thing in enumerate(found.things, 1)]
    layers, how = [thing.layer for thing in found.things], list(found.how)
    if holed := sum(thing.holes > 0 for thing in found.things):
        how.append(f"Of {holed} areas the holes are left out: what is in them counts as the area.")
    return FeaturesOut(
        features=rows, layers=layers, how=how, options=list(found.options), approximate=found.approximate
    )


def _feature(number: int, thing: Thing) -> Feature:
    kind = kind_of(thing.name, thing.said, thing.layer)
    return Feature(
        id=f"F{number}",
        name=thing.name or f"{thing.layer or kind.replace('_', ' ')} {number}"[:60],
        kind=kind,
        shape=thing.kind,
        vertices=_fewer(thing.vertices),
        height=thing.tall or 0.0,
        note=thing.said,
    )


def _fewer(vertices: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    step = -(-len(vertices) // MAX_VERTICES)
    return tuple((round(e, 3), round(n, 3)) for e, n in vertices[::step])


@router.post("/{job_id}/read/risen", response=FeaturesOut)
def read_risen(
    request: HttpRequest,
    job_id: UUID,
    file: File[UploadedFile],
    heights: Form[str] = "",
    unit: Form[Literal[""] | UnitId] = "",
    zeros: Form[Literal["", "gaps", "heights"]] = "",
    approximate: Form[Literal["", "accept"]] = "",
) -> FeaturesOut:
    """Things that a surface model (a GeoTIFF with its objects) shows over the plan's terrain. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    if plan.surface is None or plan.site.ground.terrain is None:
        raise PlanError("There is no terrain to rise over.", where="Site", mend="Bring in the terrain first.")
    data, name = upload_of(file, raster.MAX_BYTES)
    said = TerrainChoices(heights or plan.brief.heights, unit, zeros, approximate)
    found = raster.read_terrain(data, plan.grid, said, around_site(plan))
    things = risen(plan.surface, found.surface, site_polygon(plan))
    rows = [
        Feature(
            id=f"F{k}",
            name=f"{'building' if t.kind == 'obstacle' else 'trees'} {k}",
            kind=t.kind,
            shape="area",
            vertices=t.ring,
            height=t.height,
            note=f"found in {name}, {t.area:.0f} m2"[:2000],
        )
        for k, t in enumerate(things, 1)
    ]
    how = [*found.how, f"{len(rows)} things rise over the terrain by two metres or more; what they are is a guess."]
    return FeaturesOut(features=rows, layers=["" for _ in rows], how=how, options=[], approximate="")


class BackdropOut(Schema):
    """A picture as the plan would hold it, and how it was read."""

    value: Backdrop
    how: list[str]


@router.post("/{job_id}/read/backdrop", response=BackdropOut)
def read_picture(
    request: HttpRequest,
    job_id: UUID,
    file: File[UploadedFile],
    world: File[UploadedFile | None] = None,
    taken: Form[str] = "",
) -> BackdropOut:
    """Bring a picture of the site into the job's grid and keep it; the answer's value is what an edit of
    `site/backdrops` takes."""
    job = job_of(request, job_id)
    require_open(job)
    plan = stored_plan(job)
    data, name = upload_of(file, MOST_BACKDROP)
    said = upload_of(world, MOST_WORLD)[0].decode("ascii", "replace") if world else ""
    found = read_backdrop(data, name, said, plan.grid, around_site(plan))
    key = next(k for k in (f"B{n}" for n in range(1, 99)) if k not in {b.id for b in plan.site.backdrops})
    words = {"id": key, "name": name[:60] or key, "digest": found.digest, "extent": found.extent, "taken": taken}
    value = validated(Backdrop, words, "backdrop")
    Picture.objects.get_or_create(job=job, digest=found.digest, defaults={"data": found.jpeg})
    return BackdropOut(value=value, how=list(found.how))


@router.get("/{job_id}/backdrop/{digest}.jpg")
def show_picture(request: HttpRequest, job_id: UUID, digest: str) -> HttpResponse:
    """A picture of this job. Never changes: the digest names it."""
    row = job_of(request, job_id).backdrops.filter(digest=digest).first()
    if row is None:
        raise Http404("no such picture")
    response = HttpResponse(bytes(row.data), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


class AirspaceOut(Schema):
    """An authority's zones about the site against those of the plan, and the date of looking."""

    zones: list[ZoneMet]
    looked_up: str


@router.get("/{job_id}/authorities", response=list[str])
def list_authorities(request: HttpRequest, job_id: UUID) -> list[str]:
    """The airspace authorities that may be asked."""
    job_of(request, job_id)
    return list(settings.AUTHORITIES)


@router.get("/{job_id}/airspace", response=AirspaceOut)
def look_up_airspace(request: HttpRequest, job_id: UUID, authority: Query[str] = "") -> AirspaceOut:
    """The zones about the site as the authority has them now, against those of the plan. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    box = _box(plan)
    wanted = authority or next(iter(settings.AUTHORITIES), "")
    today = f"{timezone.localdate():%Y-%m-%d}"
    found = [
        _zone(plan, one, today) for one in zones_about(address_among(wanted, settings.AUTHORITIES, "authority"), box)
    ]
    return AirspaceOut(zones=compared(plan, found), looked_up=today)


def _box(plan: Plan) -> tuple[float, float, float, float]:
    west, south, east, north = site_polygon(plan).buffer(500.0).bounds
    lon, lat = plan.grid.to_world(np.array([west, east, west, east]), np.array([south, south, north, north]))
    return float(lon.min()), float(lat.min()), float(lon.max()), float(lat.max())


def _zone(plan: Plan, one: One, today: str) -> Feature:
    ring = one.geometry.coordinates[0]
    way = plan.grid.way_to(WGS84, *ring[0])
    e, n = plan.grid.from_other(way, *np.array(ring[:-1]).T)
    said = one.properties
    return Feature(
        id="Z",
        name=(said.name or said.number)[:60],
        kind="airspace",
        shape="area",
        vertices=_fewer(tuple(zip(e.tolist(), n.tolist(), strict=True))),
        height=min(said.ceiling_m or 0.0, 1000.0),
        zone=Zone(
            number=said.number, ceiling=said.ceiling_m, hours=said.hours, authority=said.authority, looked_up=today
        ),
    )


class Wanted(Schema):
    """What leave is asked for: a zone of the plan, and the flight's height above ground in metres, its date and hours
    by the site's clock."""

    feature: str
    height: float
    date: Date
    first: Clock
    last: Clock
    authority: str = ""


@router.post("/{job_id}/airspace/ask", response=Answer)
def ask_for_leave(request: HttpRequest, job_id: UUID, body: Wanted) -> Answer:
    """Ask the authority for leave to fly in a zone of the plan; what it answers is put into the plan by an edit."""
    job = job_of(request, job_id)
    require_open(job)
    plan = stored_plan(job)
    zone = next((f for f in plan.site.features if f.id == body.feature and f.zone is not None), None)
    if zone is None or zone.zone is None:
        raise PlanError("There is no such zone in the plan.", where="Site, airspace", mend="Take the zone first.")
    middle = site_polygon(plan).representative_point()
    lon, lat = plan.grid.to_world(middle.x, middle.y)
    asked = FlightAsked(
        zone=zone.zone.number,
        lon=float(lon),
        lat=float(lat),
        height_m=body.height,
        date=body.date,
        hours=(body.first, body.last),
    )
    return ask_leave(_authority(body.authority), asked)


@router.get("/{job_id}/airspace/asked/{reference}", response=Answer)
def show_leave(request: HttpRequest, job_id: UUID, reference: str, authority: Query[str] = "") -> Answer:
    """What has become of a request for leave."""
    job_of(request, job_id)
    return leave_now(_authority(authority), reference)


def _authority(wanted: str) -> Address:
    return address_among(wanted or next(iter(settings.AUTHORITIES), ""), settings.AUTHORITIES, "authority")
