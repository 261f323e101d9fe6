"""The one door to rows: everything is looked up within the signed-in user's organisation."""

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404

from kardo.server.accounts.models import Organisation
from kardo.server.jobs.models import Job


def organisation_of(request: HttpRequest) -> Organisation:
    member = getattr(request.user, "member", None)
    if member is None:
        raise Http404("no organisation")
    return member.organisation


def job_of(request: HttpRequest, job_id) -> Job:
    """The job, or 404 whether it does not exist or is another organisation's."""
    return get_object_or_404(
        Job.objects.select_related("organisation", "saved_by"), pk=job_id, organisation=organisation_of(request)
    )
