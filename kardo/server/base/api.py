"""The base in the field: a device's card on paper, what a device shows held against its card, and the sky over it."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from pydantic import Field

from kardo.core.day.overhead import DaySky, day_sky
from kardo.core.errors import PlanError
from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import SetUpHeights, heights
from kardo.core.gnss.readback import Difference, read_back
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Device
from kardo.formats.card_sheet import card_html
from kardo.formats.documents import pdf
from kardo.server.access import job_of
from kardo.server.plans.stored import whole_plan

router = Router(tags=["base"])
Typed = Annotated[str, Field(min_length=1, max_length=60)]


class Shown(Schema):
    """What a device shows in its boxes, as it is written there: latitude and longitude, or E and N; and the height."""

    first: Typed
    second: Typed
    height: Typed


def _device(request: HttpRequest, job_id: UUID, setup: str, device: str) -> tuple[Plan, SetUpHeights, Device]:
    """A device of a set-up, with the heights there. Raises PlanError for none, KardoError where heights cannot be had."""
    plan = whole_plan(job_of(request, job_id))
    found = plan.setup(setup)
    own = next((d for d in found.devices if d.id == device), None) if found else None
    if own is None:
        raise PlanError("There is no such device at this set-up.", where="Base, card", mend="Choose one of its cards.")
    return plan, heights(plan, setup), own


@router.get("/{job_id}/sky", response=DaySky)
def show_sky(request: HttpRequest, job_id: UUID, about: Query[str] = "", date: Query[str] = ""):
    """The satellites over a point of the plan on a date (the first visit's, where none is said), by constellations as they are
    meant to be."""
    plan = whole_plan(job_of(request, job_id))
    visit = next((v for v in plan.visits if v.date and date in ("", v.date)), None)
    day = date or (visit.date if visit else "")
    if not day:
        raise PlanError(
            "No visit has a date yet.", where="Base, satellites", mend="Give a date, or set one in the Day."
        )
    return day_sky(plan, about, day, visit.clock_h if visit else None)


@router.get("/{job_id}/card/{setup}/{device}.pdf")
def print_card(request: HttpRequest, job_id: UUID, setup: str, device: str):
    """One device's card: exactly what is typed into which box, large."""
    plan, chain, own = _device(request, job_id, setup, device)
    card = next(c for c in cards(plan, chain) if c.device == own.id)
    response = HttpResponse(pdf(card_html(plan, chain, card)), content_type="application/pdf")
    response["Content-Disposition"] = f'attachment; filename="card-{setup}-{device}.pdf"'
    return response


@router.post("/{job_id}/card/{setup}/{device}/read-back", response=Difference)
def hold_against_card(request: HttpRequest, job_id: UUID, setup: str, device: str, shown: Shown):
    """How far what a device shows is from what it should be told, and what that looks like."""
    plan, chain, own = _device(request, job_id, setup, device)
    return read_back(plan, chain, own, shown.first, shown.second, shown.height)
