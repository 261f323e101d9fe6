"""The base in the field: a device's card on paper, what a device shows held against its card, the sky over it, when it
logs and what its log holds."""

from collections.abc import Iterable
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from kardo.core.accuracy.change.schemes import edits_for
from kardo.core.day.log_cover import log_findings
from kardo.core.day.sessions import Sessions, sessions
from kardo.core.errors import PlanError, ReadError
from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import SetUpHeights, heights
from kardo.core.gnss.readback import Difference, read_back
from kardo.core.gnss.remark import Remark
from kardo.core.gnss.settings_card import settings_card
from kardo.core.plan.edits import Edit
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Device
from kardo.core.site.overhead import DaySky, day_sky, midnight
from kardo.core.sky.orbits import gps_clock
from kardo.formats import rinex_nav, yuma
from kardo.formats.antex import AntennaModel, read_antex
from kardo.formats.card_sheet import card_html
from kardo.formats.day_sheet import session_calendar
from kardo.formats.documents import pdf
from kardo.formats.rinex import read_log
from kardo.formats.settings_sheet import settings_html
from kardo.server.access import job_of, paper_of
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.uploads import upload_of

router = Router(tags=["base"])
MOST_LOG, MOST_ANTEX = 60_000_000, 120_000_000  # bytes, as sent
Typed = Annotated[str, Field(min_length=1, max_length=60)]


@router.get("/{job_id}/scheme/{key}", response=list[Edit])
def offer_scheme(request: HttpRequest, job_id: UUID, key: str) -> list[Edit]:
    """The edits by which corrections come in one of the usual ways. Nothing is saved."""
    return list(edits_for(whole_plan(job_of(request, job_id)), key))


class LogOut(Schema):
    """What a base's raw log holds, times in GPS time, and what is to be said of it against the plan."""

    file: str
    marker: str
    antenna_height: float | None
    interval: float | None
    first: str
    last: str
    epochs: int
    systems: dict[str, int]
    gaps: int
    slips: int
    findings: list[Remark]


class Shown(Schema):
    """What a device shows in its boxes, as it is written there: latitude and longitude, or E and N; and the height."""

    first: Typed
    second: Typed
    height: Typed


def _device(request: HttpRequest, job_id: UUID, setup: str, device: str) -> tuple[Plan, SetUpHeights, Device]:
    """A device of a set-up, with the heights there. Raises PlanError for none, KardoError where heights cannot be
    had."""
    plan = whole_plan(job_of(request, job_id))
    found = plan.setup(setup)
    own = next((d for d in found.devices if d.id == device), None) if found else None
    if own is None:
        raise PlanError("There is no such device at this set-up.", where="Base, card", mend="Choose one of its cards.")
    return plan, heights(plan, setup), own


@router.get("/{job_id}/sky", response=DaySky)
def show_sky(request: HttpRequest, job_id: UUID, about: Query[str] = "", date: Query[str] = "") -> DaySky:
    """The satellites over a point of the plan on a date (the first visit's, where none is said), by constellations as
    they are meant to be."""
    return _sky(whole_plan(job_of(request, job_id)), about, date, None)


@router.post("/{job_id}/sky", response=DaySky)
def show_sky_of_almanac(
    request: HttpRequest, job_id: UUID, file: File[UploadedFile], about: Form[str] = "", date: Form[str] = ""
) -> DaySky:
    """The same by a YUMA almanac, or by broadcast ephemerides (RINEX navigation 3.0x, also gzip). Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    data, _ = upload_of(file, rinex_nav.MAX_BYTES)
    return _sky(plan, about, date, data)


def _sky(plan: Plan, about: str, date: str, almanac: bytes | None) -> DaySky:
    visit = next((v for v in plan.visits if v.date and date in ("", v.date)), None)
    day = date or (visit.date if visit else "")
    if not day:
        raise PlanError(
            "No visit has a date yet.", where="Base, satellites", mend="Give a date, or set one in the Day."
        )
    own = None
    if almanac is not None:
        is_rinex = almanac[:2] == b"\x1f\x8b" or b"RINEX VERSION / TYPE" in almanac[:100]
        own = rinex_nav.read_navigation(almanac) if is_rinex else yuma.read_yuma(almanac, midnight(day))
    return day_sky(plan, about, day, visit.utc_offset_h if visit else None, own)


@router.get("/{job_id}/sessions", response=Sessions)
def show_sessions(request: HttpRequest, job_id: UUID, wanted_up: Query[float | None] = None) -> Sessions:
    """From when to when each base logs, and what static sessions are good for; wanted_up: metres of sigma in height."""
    if wanted_up is not None and not 0.001 <= wanted_up <= 1.0:
        raise PlanError("No static session is asked for that.", where="Base, sessions", mend="Give 1 mm to 1 m.")
    return sessions(whole_plan(job_of(request, job_id)), wanted_up)


@router.get("/{job_id}/sessions.ics")
def put_sessions_in_calendar(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """From when to when each base logs, for a calendar."""
    calendar = session_calendar(whole_plan(job_of(request, job_id)))
    response = HttpResponse(calendar, content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="sessions.ics"'
    return response


@router.post("/{job_id}/log", response=LogOut)
def read_base_log(request: HttpRequest, job_id: UUID, file: File[UploadedFile]) -> LogOut:
    """What the raw log of a base holds, held against the plan. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    if (file.size or 0) > MOST_LOG:
        raise ReadError("This log is too large to send.", mend="Pack it (gzip, or Hatanaka's form), or use kardo log.")
    return log_told(plan, file.chunks(), file.name or "")


def log_told(plan: Plan, pieces: Iterable[bytes], name: str) -> LogOut:
    """What a raw log of this name holds, held against a plan. Raises ReadError, and KardoError where the plan's grid
    cannot be used."""
    with NamedTemporaryFile() as kept:
        for piece in pieces:
            kept.write(piece)
        kept.flush()
        log = read_log(Path(kept.name))
    return LogOut(
        **{name: getattr(log, name) for name in ("marker", "antenna_height", "interval", "epochs", "systems", "slips")},
        file=name,
        first=gps_clock(log.first),
        last=gps_clock(log.last),
        gaps=len(log.gaps),
        findings=log_findings(log, plan),
    )


@router.post("/{job_id}/antennas/read", response=list[AntennaModel])
def read_antennas(
    request: HttpRequest, job_id: UUID, file: File[UploadedFile], query: Form[str] = ""
) -> list[AntennaModel]:
    """Receiver antennas of an ANTEX file whose type holds some words. Nothing is saved."""
    job_of(request, job_id)
    if (file.size or 0) > MOST_ANTEX:
        raise ReadError("This file is larger than 120 MB.", mend="Cut it to the antennas that you use.")
    return read_antex(file, query[:60])


@router.get("/{job_id}/card/{setup}/{device}.pdf")
def print_card(request: HttpRequest, job_id: UUID, setup: str, device: str) -> HttpResponse:
    """One device's card: exactly what is typed into which box, large."""
    plan, chain, own = _device(request, job_id, setup, device)
    card = next(c for c in cards(plan, chain) if c.device == own.id)
    response = HttpResponse(pdf(card_html(plan, chain, card), paper=paper_of(request)), content_type="application/pdf")
    response["Content-Disposition"] = f'attachment; filename="card-{setup}-{device}.pdf"'
    return response


@router.get("/{job_id}/settings/{kind}/{key}.pdf")
def print_settings(
    request: HttpRequest, job_id: UUID, kind: Literal["setups", "correction_services"], key: str
) -> HttpResponse:
    """What is typed for the corrections of a base or of a service, large; no secret."""
    plan = stored_plan(job_of(request, job_id))
    response = HttpResponse(
        pdf(settings_html(plan, settings_card(plan, kind, key)), paper=paper_of(request)),
        content_type="application/pdf",
    )
    response["Content-Disposition"] = 'attachment; filename="corrections.pdf"'
    return response


@router.post("/{job_id}/card/{setup}/{device}/read-back", response=Difference)
def hold_against_card(request: HttpRequest, job_id: UUID, setup: str, device: str, shown: Shown) -> Difference:
    """How far what a device shows is from what it should be told, and what that looks like."""
    plan, chain, own = _device(request, job_id, setup, device)
    return read_back(plan, chain, own, shown.first, shown.second, shown.height)
