"""Errors as RFC 9457 problem details: what, where, how to mend."""

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, ValidationError

from kardo.core.errors import KardoError
from kardo.core.plan.edits import ConflictError


def problem(status: int, what: str, where: str = "", mend: str = "", **more) -> JsonResponse:
    body = {"type": "about:blank", "title": what, "status": status, "where": where, "mend": mend, **more}
    return JsonResponse(body, status=status, content_type="application/problem+json")


def install(api: NinjaAPI) -> None:
    """Every error of the house has one shape at the edge."""

    @api.exception_handler(ConflictError)
    def conflict(request: HttpRequest, fault: ConflictError) -> HttpResponse:
        return problem(412, fault.what, fault.where, fault.mend, conflicts=[vars(c) for c in fault.conflicts])

    @api.exception_handler(KardoError)
    def bad_input(request: HttpRequest, fault: KardoError) -> HttpResponse:
        return problem(422, fault.what, fault.where, fault.mend)

    @api.exception_handler(ValidationError)
    def bad_request(request: HttpRequest, fault: ValidationError) -> HttpResponse:
        first = fault.errors[0]
        return problem(422, str(first["msg"]), ".".join(str(p) for p in first["loc"]), "Correct the request.")

    @api.exception_handler(AuthenticationError)
    def signed_out(request: HttpRequest, fault: AuthenticationError) -> HttpResponse:
        return problem(401, "You are not signed in.", mend="Sign in again; what you typed is kept.")
