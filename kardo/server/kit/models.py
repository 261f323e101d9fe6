"""Profiles that an organisation keeps: cameras, scanners, aircraft and what goes with them. Versions are added and
never changed."""

import uuid

from django.conf import settings
from django.db import models

from kardo.server.accounts.models import Organisation


class KeptProfile(models.Model):
    """A thing of the organisation's kit. kind: the list of a plan's kit that it goes into."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="kit")
    kind = models.CharField(max_length=12)
    retired_at = models.DateTimeField(null=True, help_text="no longer offered; what it was stays")

    def __str__(self) -> str:
        return f"{self.kind} {self.pk}"

    @property
    def newest(self) -> "ProfileVersion":
        """The profile as it is now."""
        return max(self.versions.all(), key=lambda v: v.number)


class ProfileVersion(models.Model):
    """A profile as it was from one moment on: a profile of the plan's kit, whole."""

    profile = models.ForeignKey(KeptProfile, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    at = models.DateTimeField(auto_now_add=True)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    document = models.JSONField()

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["profile", "number"], name="each_profile_version_once")]

    def __str__(self) -> str:
        return f"{self.profile} {self.number}"
