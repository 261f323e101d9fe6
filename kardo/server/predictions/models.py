"""Results of computations, stored under the hash of the plan they belong to."""

import uuid

from django.db import models

from kardo.server.accounts.models import Organisation
from kardo.server.jobs.models import Job


class Computation(models.Model):
    """What one plan predicts, what would help it most, or what each correction scheme would. The plan is kept with it
    (its terrain by digest), so that any computed revision can be opened again exactly.

    runner is the token of the worker that has it in hand: whoever claims a computation writes a new one, and only the
    holder of the last may write progress or the result."""

    class Kind(models.TextChoices):
        PREDICTION = "prediction"
        ADVICE = "advice"
        CHECKS = "checks", "what the checks will measure, jointly"
        SCHEMES = "schemes", "correction schemes side by side"
        LAYOUTS = "layouts", "layouts of control, searched"

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled", "overtaken by an edit"
        STOPPED = "stopped", "stopped by a person"

    key = models.UUIDField(unique=True, default=uuid.uuid4, help_text="what the queue knows it by")
    organisation = models.ForeignKey(Organisation, on_delete=models.CASCADE, related_name="computations")
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="computations")
    kind = models.CharField(max_length=10, choices=Kind, default=Kind.PREDICTION)
    plan_hash = models.CharField(max_length=64)
    policy = models.CharField(max_length=64, blank=True, help_text="key of the figures of rules that it acts on")
    engine = models.PositiveSmallIntegerField()
    plan = models.JSONField()
    state = models.CharField(max_length=10, choices=State, default=State.QUEUED)
    stage = models.CharField(max_length=60, blank=True)
    share = models.FloatField(default=0)
    result = models.JSONField(null=True)
    promise = models.JSONField(null=True, help_text="the result in a line, for lists of many jobs")
    error = models.JSONField(null=True)
    runner = models.UUIDField(null=True)
    queue = models.CharField(max_length=10, default="quick", help_text="which it waits or waited on")
    queue_job = models.BigIntegerField(null=True, help_text="its number on the queue")
    created_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["organisation", "kind", "plan_hash", "policy", "engine"], name="one_result_per_plan"
            )
        ]
        indexes = [
            models.Index(fields=["job", "kind", "id"], name="computations_of_a_job"),
            models.Index(
                fields=["organisation", "job"], name="computations_waiting", condition=models.Q(state="queued")
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.plan_hash[:8]} ({self.state})"


WAITING = (Computation.State.QUEUED, Computation.State.RUNNING)
