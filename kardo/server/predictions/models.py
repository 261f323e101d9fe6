"""Results of computations, stored under the hash of the plan they belong to."""

from django.db import models

from kardo.server.accounts.models import Organisation
from kardo.server.jobs.models import Job


class Prediction(models.Model):
    """What one plan predicts. The plan is kept with it, so that any computed revision can be opened again exactly."""

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="predictions")
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="predictions")
    plan_hash = models.CharField(max_length=64)
    engine = models.PositiveSmallIntegerField()
    plan = models.JSONField()
    state = models.CharField(max_length=10, choices=State, default=State.QUEUED)
    stage = models.CharField(max_length=60, blank=True)
    share = models.FloatField(default=0)
    result = models.JSONField(null=True)
    error = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["organisation", "plan_hash", "engine"], name="one_result_per_plan")
        ]

    def __str__(self) -> str:
        return f"prediction {self.plan_hash[:8]} ({self.state})"
