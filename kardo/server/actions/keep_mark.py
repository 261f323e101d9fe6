"""Marks kept and found: new ones, new coordinates of old ones, and the nearest to a site."""

from collections.abc import Iterable
from itertools import pairwise

from django.contrib.auth.models import User
from django.contrib.gis.db.models.functions import Distance
from django.contrib.gis.geos import Point
from django.db import transaction
from django.db.models import QuerySet

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.plan.model import Plan
from kardo.core.plan.published import Published, Step, step_between
from kardo.server.accounts.models import Organisation
from kardo.server.marks.models import KnownMark, MarkVersion

MOST_MARKS, MOST_VERSIONS, NEAREST = 20_000, 200, 50


def nearest(organisation: Organisation, plan: Plan, query: str = "") -> QuerySet[KnownMark]:
    """The marks of an organisation nearest to a plan's site, with their distance; by name where no site is known
    yet."""
    rows = (
        KnownMark.objects.filter(organisation=organisation, retired_at=None).prefetch_related("versions").defer("photo")
    )
    if query:
        rows = rows.filter(designation__icontains=query)
    here = middle(plan)
    if here is None:
        return rows[:NEAREST]
    return rows.annotate(away=Distance("location", here)).order_by("away")[:NEAREST]


def middle(plan: Plan) -> Point | None:
    """The middle of a plan's site, or of its marks, on WGS 84."""
    places = list(plan.site.boundary) or [(m.e, m.n) for m in plan.marks]
    if not places or not plan.brief.crs:
        return None
    e, n = (sum(p[k] for p in places) / len(places) for k in (0, 1))
    lon, lat = plan.grid.to_world(e, n)
    return Point(float(lon), float(lat), srid=4326)


def keep(organisation: Organisation, author: User, rows: Iterable[tuple[Json, Published]]) -> list[KnownMark]:
    """New marks with their first coordinates. Raises PlanError where the library is full, GeodesyError for a place that
    its grid cannot hold: then none is kept."""
    rows = list(rows)
    made = []
    with transaction.atomic():
        if KnownMark.objects.filter(organisation=organisation).count() + len(rows) > MOST_MARKS:
            raise PlanError(f"The library holds up to {MOST_MARKS} marks.", mend="Retire some that nobody uses.")
        for about, published in rows:
            mark = KnownMark.objects.create(organisation=organisation, location=_location(published), **about)
            MarkVersion.objects.create(
                mark=mark, number=1, author=author, coordinates=published.model_dump(mode="json")
            )
            made.append(mark)
    return made


def add_version(mark: KnownMark, author: User, published: Published) -> MarkVersion:
    """New coordinates of a mark: the old ones stay on record. Raises PlanError where nothing is new, or too many are
    kept."""
    with transaction.atomic():
        held = KnownMark.objects.select_for_update().get(pk=mark.pk)
        newest = held.newest
        if newest.number >= MOST_VERSIONS:
            raise PlanError(f"A mark keeps up to {MOST_VERSIONS} versions.", mend="Keep it as a new mark.")
        if newest.published == published:
            raise PlanError("These are the coordinates that it has.", where=mark.designation)
        held.location = _location(published)
        held.save(update_fields=["location"])
        return MarkVersion.objects.create(
            mark=held, number=newest.number + 1, author=author, coordinates=published.model_dump(mode="json")
        )


def steps(mark: KnownMark) -> list[Step]:
    """What lies between each version of a mark and the one before."""
    rows = [v.published for v in mark.versions.all()]
    return [step_between(older, newer) for older, newer in pairwise(rows)]


def _location(published: Published) -> Point:
    return Point(*published.at(), srid=4326)
