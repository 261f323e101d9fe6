"""Entries of the book, as devices sent them: append only."""

from django.conf import settings
from django.db import models

from kardo.server.jobs.models import Job


class Attachment(models.Model):
    """A picture that an entry names by the digest of its bytes: kept once for a job, and served as it came."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="attachments")
    digest = models.CharField(max_length=64)
    kind = models.CharField(max_length=20)
    body = models.BinaryField()
    size = models.PositiveIntegerField()
    received = models.DateTimeField(auto_now_add=True)
    sender = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "digest"], name="each_picture_kept_once")]

    def __str__(self) -> str:
        return f"picture {self.digest[:8]} of {self.job_id}"


class BookEntry(models.Model):
    """One entry, taken once however often it is sent. clock_off_s: how far the device's clock was ahead of the server's
    when it was sent, in seconds."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="book_entries")
    uid = models.UUIDField()
    entry = models.JSONField()
    received = models.DateTimeField(auto_now_add=True)
    sender = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    clock_off_s = models.FloatField(default=0.0)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["job", "uid"], name="each_entry_taken_once")]

    def __str__(self) -> str:
        return f"entry {str(self.uid)[:8]} of {self.job_id}"
