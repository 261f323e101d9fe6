"""How a job stands, in one question to the database: enough to say whether what a browser holds is still good.

Most requests of a day ask for what has not changed. Asked through the models, row by row, such a question costs four
times the work of answering it."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import connection
from django.http import Http404, HttpRequest
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core.accuracy.figures.results import ENGINE
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.policy.policy import Policy
from kardo.server.access import organisation_of, person_of
from kardo.server.accounts.models import Organisation
from kardo.server.closeout.models import JobClosing
from kardo.server.jobs.models import Job
from kardo.server.plans.models import Edit
from kardo.server.plans.stored import bring_up_to_date, model_digest, plan_at, with_ground
from kardo.server.predictions.models import WAITING, Computation


@dataclass(frozen=True)
class JobStatus:
    """A job's revision and hash; whether the one who asks has steps to undo and to redo; and the computation of its
    plan, row None where there is none (ahead: how many wait before it on the queue). rules and closing: revisions of
    the organisation's rules, and of the job's closing, which holds what was waived."""

    job: UUID
    organisation: int
    revision: int
    model: str
    plan_hash: str
    can_undo: bool
    can_redo: bool
    row: int | None
    state: str
    stage: str
    share: float
    started_at: datetime | None
    finished_at: datetime | None
    ahead: int
    frozen_at: datetime | None
    rules: int
    closing: int

    @property
    def under_way(self) -> bool:
        """Whether the computation is waited for, so that what is told of it changes by itself."""
        return self.row is not None and self.state in WAITING

    @property
    def plan(self) -> Plan:
        """The job's plan as it stands, terrain by its digest."""
        return plan_at(self.job, self.revision, self.model, self.policy)

    @property
    def whole_plan(self) -> Plan:
        """The same with the heights of its terrain."""
        return with_ground(self.job, self.plan)

    @property
    def policy(self) -> Policy:
        """The rules as the organisation asks them."""
        return _policy_of(self.organisation, self.rules)

    @property
    def of_plan(self) -> tuple[Any, ...]:
        """What an answer about the plan alone depends on, as the organisation looks at it."""
        return self.revision, self.model, self.rules

    @property
    def made_of(self) -> tuple[Any, ...]:
        """What an answer about a computation that is not under way depends on."""
        computed = self.row, self.state, self.stage, self.share, self.finished_at
        return *self.of_plan, self.closing, *computed


@kept(64, by=lambda organisation_id, revision: (organisation_id, revision))
def _policy_of(organisation_id: int, revision: int) -> Policy:
    return Organisation.objects.get(pk=organisation_id).policy


_TABLES = {
    "job": Job._meta.db_table,
    "organisation": Organisation._meta.db_table,
    "closing": JobClosing._meta.db_table,
    "edit": Edit._meta.db_table,
    "computation": Computation._meta.db_table,
    "queue": ProcrastinateJob._meta.db_table,
}
_STATES = {"done": Edit.State.DONE, "undone": Edit.State.UNDONE, "queued": Computation.State.QUEUED}
_QUESTION = """
SELECT job.id, job.organisation_id, job.revision, job.model, job.plan_hash,
    EXISTS (SELECT FROM {edit} WHERE job_id = job.id AND author_id = %(person)s AND state = %(done)s),
    EXISTS (SELECT FROM {edit} WHERE job_id = job.id AND author_id = %(person)s AND state = %(undone)s),
    made.id, coalesce(made.state, ''), coalesce(made.stage, ''), coalesce(made.share, 0),
    made.started_at, made.finished_at,
    CASE WHEN made.state = %(queued)s THEN (
        SELECT count(*) FROM {queue} AS own JOIN {queue} AS other USING (queue_name)
        WHERE own.id = made.queue_job AND other.status = 'todo'
            AND (other.priority > own.priority OR other.priority = own.priority AND other.id < own.id)
    ) ELSE 0 END,
    job.frozen_at,
    (SELECT rules_revision FROM {organisation} WHERE id = job.organisation_id),
    coalesce((SELECT revision FROM {closing} WHERE job_id = job.id), 0)
FROM {job} AS job LEFT JOIN {computation} AS made
    ON made.organisation_id = job.organisation_id AND made.kind = %(kind)s
    AND made.plan_hash = job.plan_hash AND made.engine = %(engine)s
    AND made.policy = coalesce((SELECT policy_keys ->> %(kind)s FROM {organisation} WHERE id = job.organisation_id), '')
WHERE job.id = %(job)s AND job.organisation_id = %(organisation)s
""".format(**_TABLES)  # noqa: S608 - names of the models' own tables


def status_of(request: HttpRequest, job_id: Any, kind: str = Computation.Kind.PREDICTION) -> JobStatus:
    """How a job of the user's organisation stands; 404 whether it does not exist or is another organisation's."""
    found = job_status(job_id, organisation_of(request).pk, person_of(request).pk, kind)
    if found is None:
        raise Http404("no such job")
    return found


def job_status(job_id: Any, organisation_id: int, person_id: int, kind: str) -> JobStatus | None:
    """How an organisation's job stands for one person; None for none. One that an older model stored is brought up to
    date first, for its hash says nothing yet."""
    asked = {
        "job": job_id,
        "organisation": organisation_id,
        "person": person_id,
        "kind": kind,
        "engine": ENGINE,
    } | _STATES
    found = _asked(asked)
    if found is not None and found.model != model_digest():
        bring_up_to_date(Job.objects.get(pk=job_id, organisation_id=organisation_id))
        found = _asked(asked)
    return found


def _asked(words: dict[str, Any]) -> JobStatus | None:
    with connection.cursor() as cursor:
        cursor.execute(_QUESTION, words)
        row = cursor.fetchone()
    return None if row is None else JobStatus(*row)
