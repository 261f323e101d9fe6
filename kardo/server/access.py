"""The one door to rows: everything is looked up within the signed-in user's organisation."""

from django.db.models import QuerySet
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404

from kardo.server.accounts.models import Organisation
from kardo.server.jobs.models import Job


def organisation_of(request: HttpRequest) -> Organisation:
    """The user's organisation; 404 for a user of none."""
    member = getattr(request.user, "member", None)
    if member is None:
        raise Http404("no organisation")
    return member.organisation


def job_of(request: HttpRequest, job_id, jobs: QuerySet[Job] | None = None) -> Job:
    """The job, or 404 whether it does not exist or is another organisation's; jobs says otherwise how rows are read."""
    rows = Job.objects.select_related("saved_by") if jobs is None else jobs
    return get_object_or_404(rows.filter(organisation=organisation_of(request)), pk=job_id)
