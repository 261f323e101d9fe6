"""The rows a plan is made of, and the journal of edits that undo reads."""

from django.conf import settings
from django.db import models

from kardo.server.jobs.models import Job


class PlanObject(models.Model):
    """One part of a plan: `brief`, `site`, `control/G1` ... value is null once it has been removed.

    revision is the job's revision at which it last changed: an edit based on an older one is a conflict.
    """

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="objects_of_plan")
    name = models.CharField(max_length=60)
    value = models.JSONField(null=True)
    revision = models.PositiveIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "name"], name="one_row_per_plan_object")]

    def __str__(self) -> str:
        return f"{self.name} of {self.job_id}"


class TerrainGrid(models.Model):
    """Heights of a terrain, kept apart from the plan's small rows and named by their digest."""

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="terrains")
    digest = models.CharField(max_length=64)
    value = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "digest"], name="one_row_per_terrain")]

    def __str__(self) -> str:
        return f"terrain {self.digest[:8]}"


class Edit(models.Model):
    """One step of work: what it changed, from and to. Undo goes back along one person's steps."""

    class State(models.TextChoices):
        DONE = "done"
        UNDONE = "undone"
        GONE = "gone", "undone and then overtaken by another edit"

    job = models.ForeignKey(Job, on_delete=models.CASCADE, related_name="edits")
    revision = models.PositiveIntegerField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    changes = models.JSONField(help_text="list of {object, before, after}")
    state = models.CharField(max_length=8, choices=State, default=State.DONE)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"edit {self.revision} of {self.job_id}"
