"""How a job stands, in one question to the database: enough to say whether what a browser holds is still good.

Most requests of a day ask for what has not changed. Asked through the models, row by row, such a question costs four times
the work of answering it.
"""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import connection
from django.http import Http404, HttpRequest
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core.accuracy.prediction import ENGINE
from kardo.server.access import organisation_of
from kardo.server.jobs.models import Job
from kardo.server.plans.models import Edit
from kardo.server.plans.stored import model_digest
from kardo.server.predictions.models import WAITING, Computation


@dataclass(frozen=True)
class Standing:
    """A job's revision and hash; whether the one who asks has steps to undo and to redo; and its prediction's row, None
    where there is none (ahead: how many wait before it on the queue)."""

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

    @property
    def readable(self) -> bool:
        """Whether the hash is of today's model; one that an older model stored says nothing yet."""
        return self.model == model_digest()

    @property
    def under_way(self) -> bool:
        """Whether the prediction is waited for, so that its answer changes by itself."""
        return self.row is not None and self.state in WAITING

    @property
    def predicted(self) -> tuple[Any, ...]:
        """What an answer about a prediction that is not under way depends on."""
        return self.revision, self.model, self.row, self.state, self.stage, self.share, self.finished_at


_TABLES = {
    "job": Job._meta.db_table,
    "edit": Edit._meta.db_table,
    "computation": Computation._meta.db_table,
    "queue": ProcrastinateJob._meta.db_table,
}
_QUESTION = """
SELECT job.revision, job.model, job.plan_hash,
    EXISTS (SELECT FROM {edit} WHERE job_id = job.id AND author_id = %(person)s AND state = 'done'),
    EXISTS (SELECT FROM {edit} WHERE job_id = job.id AND author_id = %(person)s AND state = 'undone'),
    made.id, coalesce(made.state, ''), coalesce(made.stage, ''), coalesce(made.share, 0), made.started_at, made.finished_at,
    CASE WHEN made.state = 'queued' THEN (
        SELECT count(*) FROM {queue} AS own JOIN {queue} AS other USING (queue_name)
        WHERE own.id = made.queue_job AND other.status = 'todo'
            AND (other.priority > own.priority OR other.priority = own.priority AND other.id < own.id)
    ) ELSE 0 END
FROM {job} AS job LEFT JOIN {computation} AS made
    ON made.organisation_id = job.organisation_id AND made.kind = 'prediction'
    AND made.plan_hash = job.plan_hash AND made.engine = %(engine)s
WHERE job.id = %(job)s AND job.organisation_id = %(organisation)s
""".format(**_TABLES)  # noqa: S608 - names of the models' own tables


def standing_of(request: HttpRequest, job_id: Any) -> Standing:
    """How a job of the user's organisation stands; 404 whether it does not exist or is another organisation's."""
    asked = {"job": job_id, "organisation": organisation_of(request).pk, "person": request.user.pk, "engine": ENGINE}
    with connection.cursor() as cursor:
        cursor.execute(_QUESTION, asked)
        found = cursor.fetchone()
    if found is None:
        raise Http404("no such job")
    return Standing(*found)
