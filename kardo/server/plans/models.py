"""What is kept beside a plan's document: the journal of edits that undo reads, and the heights of its terrains."""

from django.conf import settings
from django.db import models

from kardo.server.jobs.models import Job


class TerrainGrid(models.Model):
    """Heights of a terrain, kept once and named by their digest."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="terrains")
    digest = models.CharField(max_length=64)
    value = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "digest"], name="one_row_per_terrain")]

    def __str__(self) -> str:
        return f"terrain {self.digest[:8]}"


class Picture(models.Model):
    """A picture of a job's site, JPEG, kept once and named by its digest."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="backdrops")
    digest = models.CharField(max_length=64)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "digest"], name="one_row_per_picture")]

    def __str__(self) -> str:
        return f"picture {self.digest[:8]}"


class Edit(models.Model):
    """One step of work: what it changed, from and to. Undo goes back along one person's steps. uid is the sender's own
    number of it, so that a step sent twice is taken once."""

    class State(models.TextChoices):
        DONE = "done"
        UNDONE = "undone"
        GONE = "gone", "undone and then overtaken by another edit, or stepped over"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="edits")
    uid = models.UUIDField(null=True)
    revision = models.PositiveIntegerField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    changes = models.JSONField(help_text="list of {path, before, after}; of {object, before, after} before version 2")
    state = models.CharField(max_length=8, choices=State, default=State.DONE)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["job", "uid"], name="each_edit_taken_once")]
        indexes = [models.Index(fields=["job", "author", "state", "id"], name="steps_of_a_person")]

    def __str__(self) -> str:
        return f"edit {self.revision} of {self.job_id}"
