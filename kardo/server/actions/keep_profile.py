"""Profiles kept and found: new ones, and new versions of old ones."""

from contextlib import suppress
from typing import Any
from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import QuerySet

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.parts import to_json
from kardo.server.accounts.models import Organisation
from kardo.server.kit.models import KeptProfile, ProfileVersion

MOST_PROFILES, MOST_VERSIONS = 500, 200
PLANS_OWN = {"id", "origin"}  # of a profile: where it stands in the plan, and where it came from


def kept(organisation: Organisation) -> QuerySet[KeptProfile]:
    """The profiles of an organisation that are still offered."""
    return KeptProfile.objects.filter(organisation=organisation, retired_at=None).prefetch_related("versions__author")


def of_library(profile: Any) -> Json:
    """A profile of a plan as the library keeps it."""
    return {key: value for key, value in to_json(profile).items() if key not in PLANS_OWN}


@transaction.atomic
def keep(organisation: Organisation, author: User, kind: str, profile: Any) -> KeptProfile:
    """Keep a profile of a plan: as the next version of the one that it was taken from, or as a new one. What has not
    changed is not kept again. Raises PlanError where the library is full."""
    document, known = of_library(profile), _origin(organisation, kind, profile)
    if known is None:
        if KeptProfile.objects.filter(organisation=organisation).count() >= MOST_PROFILES:
            raise PlanError(f"The kit holds up to {MOST_PROFILES} profiles.", mend="Retire some that nobody uses.")
        known = KeptProfile.objects.create(organisation=organisation, kind=kind)
    versions = list(ProfileVersion.objects.filter(profile=known))
    if versions and versions[-1].document == document:
        return known
    if len(versions) >= MOST_VERSIONS:
        raise PlanError(f"Up to {MOST_VERSIONS} versions of one profile are kept.", mend="Keep it under another name.")
    ProfileVersion.objects.create(profile=known, number=len(versions) + 1, author=author, document=document)
    return known


def _origin(organisation: Organisation, kind: str, profile: Any) -> KeptProfile | None:
    """The library's own that a profile was taken from, locked while a version is added."""
    with suppress(ValueError):
        if profile.origin is not None:
            rows = KeptProfile.objects.select_for_update().filter(organisation=organisation, kind=kind, retired_at=None)
            return rows.filter(pk=UUID(profile.origin.id)).first()
    return None
