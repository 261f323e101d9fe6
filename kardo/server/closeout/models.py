"""The closing of a job, and the reports that were signed over it."""

import uuid

from django.conf import settings
from django.db import models

from kardo.server.jobs.models import Job


class JobClosing(models.Model):
    """The closing's document, with a revision that every step raises."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="closing")
    document = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=0)
    saved_at = models.DateTimeField(auto_now=True)
    saved_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    def __str__(self) -> str:
        return f"closing of {self.job_id}"


class SignedReport(models.Model):
    """A report as it was signed, for ever: its record and its two files, the key that sealed them, and who opened the
    job again and why, where somebody did."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="reports")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    record = models.JSONField()
    pdf = models.BinaryField()
    html = models.BinaryField()
    fingerprint = models.CharField(max_length=40)
    reopened_at = models.DateTimeField(null=True)
    reopened_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    reason = models.CharField(max_length=500, blank=True)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"report of {self.job_id}, {self.at:%Y-%m-%d %H:%M}"
