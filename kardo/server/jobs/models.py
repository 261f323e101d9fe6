"""Jobs: one plan each, with a revision that every edit raises."""

import uuid

from django.conf import settings
from django.contrib.gis.db import models

from kardo.server.accounts.models import Organisation


class Job(models.Model):
    """A survey job with its plan's document, the terrain by its digest.

    revision counts edits and begins the ETag of the plan; plan_hash is the plan's, as the model `model` made it: a hash
    of another model is never trusted. done_hash is the hash of the plan as done with the rest as planned, leaving_hash
    of that if the crew left now, closed_hash of the plan as it was closed. location is for maps of all jobs, drawing
    for lists of them."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="jobs")
    title = models.CharField(max_length=120)
    document = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=0)
    plan_hash = models.CharField(max_length=64, blank=True)
    model = models.CharField(max_length=12, blank=True)
    done_hash = models.CharField(max_length=64, blank=True)
    leaving_hash = models.CharField(max_length=64, blank=True)
    closed_hash = models.CharField(max_length=64, blank=True)
    frozen_at = models.DateTimeField(
        null=True, help_text="when the signed report was made that nothing may change under"
    )
    location = models.PointField(srid=4326, null=True)
    drawing = models.JSONField(null=True)
    demo = models.BooleanField(default=False, help_text="loaded to try Kardo with")
    archived_at = models.DateTimeField(null=True)
    saved_at = models.DateTimeField(auto_now=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        ordering = ["-saved_at"]

    def __str__(self) -> str:
        return self.title
