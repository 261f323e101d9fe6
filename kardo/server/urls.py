"""Routes: the API under /api, and the built front end for everything else."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from ninja import NinjaAPI

from kardo.server import problems
from kardo.server.accounts.seen import seen
from kardo.server.api.base import router as base
from kardo.server.api.book import router as book
from kardo.server.api.casters import router as casters
from kardo.server.api.catalogue import catalogues
from kardo.server.api.close import checking
from kardo.server.api.close import router as closeout
from kardo.server.api.computations import router as computations
from kardo.server.api.control import router as control
from kardo.server.api.day import router as day
from kardo.server.api.exports import router as exports
from kardo.server.api.flight import router as flight
from kardo.server.api.geoids import router as geoids
from kardo.server.api.jobs import router as jobs
from kardo.server.api.kit import router as kit
from kardo.server.api.local_grid import router as local_grid
from kardo.server.api.marks import router as marks
from kardo.server.api.plan import router as plans
from kardo.server.api.processing import router as processing
from kardo.server.api.readings import router as readings
from kardo.server.api.receivers import router as receivers
from kardo.server.api.rules import router as rules
from kardo.server.api.session import router as session
from kardo.server.api.site import router as site
from kardo.server.api.stations import router as stations
from kardo.server.events import job_events

api = NinjaAPI(title="Kardo", version="1", auth=seen, docs_url=None)
problems.install(api)
api.add_router("/session", session)
api.add_router("/rules", rules)
api.add_router("/jobs", jobs)
api.add_router("/jobs", plans)
api.add_router("/jobs", readings)
api.add_router("/jobs", exports)
api.add_router("/jobs", computations)
api.add_router("/jobs", control)
api.add_router("/jobs", flight)
api.add_router("/jobs", site)
api.add_router("/jobs", base)
api.add_router("/jobs", casters)
api.add_router("/jobs", local_grid)
api.add_router("/jobs", receivers)
api.add_router("/jobs", stations)
api.add_router("/jobs", marks)
api.add_router("/jobs", kit)
api.add_router("/jobs", geoids)
api.add_router("/jobs", day)
api.add_router("/jobs", book)
api.add_router("/jobs", closeout)
api.add_router("/jobs", processing)
api.add_router("", checking)
api.add_router("", catalogues)


def page(request: HttpRequest) -> HttpResponse:
    """The front end's one page; its own router does the rest."""
    built = settings.WEB_DIST / "index.html"
    if not built.exists():
        return HttpResponse("The front end is not built: run make demo.", status=503, content_type="text/plain")
    response = HttpResponse(built.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


urlpatterns = [
    path("api/jobs/<uuid:job_id>/events", job_events),
    path("api/", api.urls),
    re_path(r"^(?!api/|assets/).*$", page),
]
handler404 = "kardo.server.problems.not_here"
handler500 = "kardo.server.problems.broken"
