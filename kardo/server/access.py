"""The one door to rows: everything is looked up within the signed-in user's organisation."""

from typing import cast
from uuid import UUID

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404

from kardo.core.errors import PlanError
from kardo.core.policy.policy import Policy
from kardo.formats.documents import Paper
from kardo.server.accounts.models import Organisation
from kardo.server.jobs.models import Job


def person_of(request: HttpRequest) -> User:
    """Who is signed in; 404 for nobody."""
    if not isinstance(request.user, User):
        raise Http404("nobody is signed in")
    return request.user


def name_of(person: User) -> str:
    """What a person is called where something was done by them."""
    return person.get_full_name() or person.get_username()


def organisation_of(request: HttpRequest) -> Organisation:
    """The user's organisation; 404 for a user of none."""
    person = person_of(request)
    if not hasattr(person, "member"):
        raise Http404("no organisation")
    return person.member.organisation


def paper_of(request: HttpRequest) -> Paper:
    """The paper that the user's organisation prints on, as it is now, whoever was seen a moment ago."""
    return cast(Paper, Organisation.objects.values_list("paper", flat=True).get(pk=organisation_of(request).pk))


def policy_now(request: HttpRequest) -> Policy:
    """The rules as the user's organisation asks them now, whoever was seen a moment ago."""
    return Organisation.objects.get(pk=organisation_of(request).pk).policy


def job_of(request: HttpRequest, job_id: UUID, jobs: QuerySet[Job] | None = None) -> Job:
    """The job, or 404 whether it does not exist or is another organisation's; jobs says otherwise how rows are read."""
    rows = Job.objects.select_related("saved_by", "organisation") if jobs is None else jobs
    return get_object_or_404(rows.filter(organisation=organisation_of(request)), pk=job_id)


def require_open(job: Job) -> None:
    """Raises PlanError for a job under a signed report: its plan, book and closing stay as they were signed."""
    if job.frozen_at is not None:
        raise PlanError(
            f"The job is signed and {frozen_words(job)}.",
            where="job",
            mend="Whoever may sign can open it again in Close, with a reason; the signed report stays.",
        )


def frozen_words(job: Job) -> str:
    """Since when a job is frozen, and at which revision; empty for an open one."""
    return "" if job.frozen_at is None else f"frozen {job.frozen_at:%Y-%m-%d %H:%M} UTC, revision {job.revision}"
