"""Errors as RFC 9457 problem details: what, where, how to mend."""

import logging
import math
import sys
import uuid
from typing import Any

from django.db import DataError, InternalError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from kardo.core.errors import KardoError
from kardo.core.plan.edits import ConflictError
from kardo.server.accounts.seen import NotAllowed
from kardo.server.accounts.throttle import TooMany

log = logging.getLogger(__name__)


def problem(status: int, what: str, where: str = "", mend: str = "", **more: Any) -> JsonResponse:
    body = {"type": "about:blank", "title": what, "status": status, "where": where, "mend": mend, **more}
    return JsonResponse(body, status=status, content_type="application/problem+json")


def not_here(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """What is asked for is not here."""
    return problem(404, "This is not here.", request.path[:200], "Check the address.")


def forged(request: HttpRequest, reason: str = "") -> HttpResponse:
    """A request that does not carry the token of this site's own pages."""
    return problem(403, "The request does not carry this site's token.", mend="Load the page again, then repeat it.")


def broken(request: HttpRequest) -> HttpResponse:
    """Something that nobody thought of; called while the exception is at hand."""
    reference = uuid.uuid4().hex[:8]
    log.error("request failed, reference %s: %s", reference, request.path, exc_info=sys.exc_info())
    return problem(
        500,
        f"Something went wrong that Kardo does not know (reference {reference}).",
        mend="Nothing was half-saved. Try again; if it stays, tell whoever keeps this Kardo the reference.",
    )


def database_away() -> HttpResponse:
    """The database does not answer for now."""
    response = problem(
        503, "The database does not answer for now.", mend="What you typed is kept; it is sent again by itself."
    )
    response["Retry-After"] = "2"
    return response


def install(api: NinjaAPI) -> None:
    """Every error of the house has one shape at the edge."""

    @api.exception_handler(Http404)
    def missing(request: HttpRequest, fault: Http404) -> HttpResponse:
        return problem(404, "There is no such thing here.", mend="Check the address, or go back to all jobs.")

    @api.exception_handler(HttpError)
    def refused(request: HttpRequest, fault: HttpError) -> HttpResponse:
        return problem(fault.status_code, str(fault), mend="Correct the request.")

    @api.exception_handler(NotAllowed)
    def not_allowed(request: HttpRequest, fault: NotAllowed) -> HttpResponse:
        who = " or ".join(f"{'an' if role[0] in 'aeiou' else 'a'} {role}" for role in fault.roles)
        return problem(
            403, "Your role does not allow this.", mend=f"Ask {who} of your organisation.", right=fault.right
        )

    @api.exception_handler(TooMany)
    def later(request: HttpRequest, fault: TooMany) -> HttpResponse:
        wait = f"{fault.seconds} s" if fault.seconds < 90 else f"{math.ceil(fault.seconds / 60)} min"
        answer = problem(429, "Too many sign-ins were refused.", mend=f"Try again in {wait}.")
        answer["Retry-After"] = str(fault.seconds)
        return answer

    @api.exception_handler(DataError)
    @api.exception_handler(ValueError)
    def unstorable(request: HttpRequest, fault: Exception) -> HttpResponse:
        if "NUL" not in str(fault) and not isinstance(fault, DataError):
            return broken(request)
        return problem(422, "There is a character or a number in it that cannot be stored.", mend="Take it out.")

    @api.exception_handler(InternalError)
    def read_only(request: HttpRequest, fault: InternalError) -> HttpResponse:
        return database_away() if "read-only" in str(fault) else broken(request)

    @api.exception_handler(OperationalError)
    def away(request: HttpRequest, fault: OperationalError) -> HttpResponse:
        return database_away()

    @api.exception_handler(Exception)
    def unexpected(request: HttpRequest, fault: Exception) -> HttpResponse:
        return broken(request)

    @api.exception_handler(ConflictError)
    def conflict(request: HttpRequest, fault: ConflictError) -> HttpResponse:
        return problem(412, fault.what, fault.where, fault.mend, conflicts=[vars(c) for c in fault.conflicts])

    @api.exception_handler(KardoError)
    def bad_input(request: HttpRequest, fault: KardoError) -> HttpResponse:
        drawn = {"spot": fault.spot, "outline": fault.outline} if fault.spot else {}
        return problem(422, fault.what, fault.where, fault.mend, **drawn)

    @api.exception_handler(ValidationError)
    def bad_request(request: HttpRequest, fault: ValidationError) -> HttpResponse:
        first = fault.errors[0]
        return problem(
            422,
            str(first["msg"]).encode("ascii", "backslashreplace").decode(),
            ".".join(str(p) for p in first["loc"]),
            "Correct the request.",
        )

    @api.exception_handler(AuthenticationError)
    def signed_out(request: HttpRequest, fault: AuthenticationError) -> HttpResponse:
        return problem(401, "You are not signed in.", mend="Sign in again; what you typed is kept.")
