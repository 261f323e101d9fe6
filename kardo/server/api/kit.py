"""The organisation's kit over the API, seen from a job: what it keeps, as it is and as it was."""

import datetime
from typing import Any, Literal, cast
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router, Schema, Status

from kardo.core.parts import validated
from kardo.core.plan.kit import Kit
from kardo.server.access import job_of, name_of, organisation_of, person_of
from kardo.server.actions.keep_profile import keep, kept
from kardo.server.kit.models import KeptProfile, ProfileVersion

router = Router(tags=["kit"])
Kind = Literal["cameras", "scanners", "aircraft", "batteries", "antennas", "receivers", "poles", "loggers"]


class ProfileOut(Schema):
    """One version of a profile of the organisation's kit: which list it goes into, when it came and by whom, and itself
    without an id."""

    id: UUID
    kind: Kind
    revision: int
    at: datetime.datetime
    by: str
    document: dict[str, Any]


def _shown(version: ProfileVersion, profile: KeptProfile) -> ProfileOut:
    by = name_of(version.author) if version.author else ""
    return ProfileOut(
        id=profile.pk,
        kind=cast(Kind, profile.kind),
        revision=version.number,
        at=version.at,
        by=by,
        document=version.document,
    )


@router.get("/{job_id}/kit", response=list[ProfileOut])
def list_kit(request: HttpRequest, job_id: UUID) -> list[ProfileOut]:
    """What the organisation keeps, each as it is now, by name."""
    job_of(request, job_id)
    rows = [_shown(profile.newest, profile) for profile in kept(organisation_of(request))]
    return sorted(rows, key=lambda row: (row.kind, str(row.document.get("name", "")).casefold()))


class OfPlan(Schema):
    """A profile as the plan has it, and which list of its kit it stands in."""

    kind: Kind
    profile: dict[str, Any]


@router.post("/{job_id}/kit", response=ProfileOut)
def keep_profile(request: HttpRequest, job_id: UUID, of: OfPlan) -> ProfileOut:
    """Keep a profile of the plan: a new one, or the next version of the one it was taken from."""
    job_of(request, job_id)
    (own,) = getattr(validated(Kit, {of.kind: [of.profile]}, "kit"), of.kind)
    made = keep(organisation_of(request), person_of(request), of.kind, own)
    return _shown(made.newest, made)


def _profile(request: HttpRequest, profile_id: UUID) -> KeptProfile:
    return get_object_or_404(kept(organisation_of(request)), pk=profile_id)


@router.get("/{job_id}/kit/{profile_id}/versions", response=list[ProfileOut])
def list_profile_versions(request: HttpRequest, job_id: UUID, profile_id: UUID) -> list[ProfileOut]:
    """Every version of a profile, the newest first."""
    job_of(request, job_id)
    profile = _profile(request, profile_id)
    return [_shown(version, profile) for version in sorted(profile.versions.all(), key=lambda v: -v.number)]


@router.delete("/{job_id}/kit/{profile_id}", response={204: None})
def retire_profile(request: HttpRequest, job_id: UUID, profile_id: UUID) -> Status[None]:
    """No longer offer a profile. Plans keep what they took of it, and its versions stay."""
    job_of(request, job_id)
    profile = _profile(request, profile_id)
    profile.retired_at = timezone.now()
    profile.save(update_fields=["retired_at"])
    return Status(204, None)
