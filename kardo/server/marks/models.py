"""Marks that an organisation goes back to. Versions of their coordinates are added and never changed."""

import uuid

from django.conf import settings
from django.contrib.gis.db import models

from kardo.core.plan.published import Published
from kardo.server.accounts.models import Organisation


class KnownMark(models.Model):
    """A mark of the library, where it is and how it is found. location is that of its newest coordinates."""

    class Kind(models.TextChoices):
        BASE = "base", "mark for a base"
        RETURN = "return", "return mark at a take-off place"
        TARGET = "target", "carries a target"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="known_marks")
    designation = models.CharField(max_length=60)
    kind = models.CharField(max_length=8, choices=Kind, default=Kind.BASE)
    description = models.TextField(blank=True, help_text="how it is found, and what it is")
    sky = models.CharField(max_length=300, blank=True)
    recovered = models.DateField(null=True, help_text="when somebody last stood on it")
    photo = models.BinaryField(null=True)
    photo_kind = models.CharField(max_length=20, blank=True)
    location = models.PointField(srid=4326, geography=True)
    retired_at = models.DateTimeField(null=True, help_text="no longer offered; what it was stays")

    class Meta:
        ordering = ["designation"]

    def __str__(self) -> str:
        return self.designation

    @property
    def newest(self) -> "MarkVersion":
        """The coordinates that hold now."""
        return max(self.versions.all(), key=lambda v: v.number)


class MarkVersion(models.Model):
    """Coordinates of a mark as they were published, from one moment on."""

    mark = models.ForeignKey(KnownMark, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    at = models.DateTimeField(auto_now_add=True)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    coordinates = models.JSONField(help_text="a Published of the core")

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["mark", "number"], name="each_version_once")]

    def __str__(self) -> str:
        return f"{self.mark} {self.number}"

    @property
    def published(self) -> Published:
        """The coordinates."""
        return Published.model_validate(self.coordinates)


class OwnGeoid(models.Model):
    """A geoid model that the organisation brought, as its file. Jobs hold the part about their site themselves."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="geoids")
    name = models.CharField(max_length=50)
    digest = models.CharField(max_length=64)
    covers = models.CharField(max_length=200, help_text="in words")
    data = models.BinaryField()
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["organisation", "digest"], name="each_geoid_once")]

    def __str__(self) -> str:
        return self.name
