"""Signing in and out."""

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema
from ninja.utils import check_csrf

from kardo.formats.documents import LARGER
from kardo.server import problems
from kardo.server.accounts.seen import seen
from kardo.server.problems import problem

router = Router(tags=["session"])


class Credentials(Schema):
    """Name and password."""

    username: str = Field(max_length=150)
    password: str = Field(max_length=1000)


class SessionOut(Schema):
    signed_in: bool
    name: str = ""
    organisation: str = ""
    papers: list[str] = []


def _session(request: HttpRequest) -> SessionOut:
    user = request.user
    if not user.is_authenticated or not hasattr(user, "member"):
        return SessionOut(signed_in=False)
    return SessionOut(
        signed_in=True,
        name=user.get_full_name() or user.get_username(),
        organisation=user.member.organisation.name,
        papers=[user.member.organisation.paper, LARGER[user.member.organisation.paper]],
    )


@router.get("", response=SessionOut, auth=None)
def show_session(request: HttpRequest) -> SessionOut:
    """Who is signed in. Also sets the token that forms must carry."""
    get_token(request)
    return _session(request)


@router.post("", response=SessionOut, auth=None)
def sign_in(request: HttpRequest, body: Credentials) -> SessionOut | HttpResponse:
    """Take name and password; from this site's own pages only."""
    if check_csrf(request):
        return problems.forged(request)
    user = authenticate(request, username=body.username, password=body.password)
    if user is None or not hasattr(user, "member"):
        return problem(
            401, "Name or password is wrong.", mend="Try again, or ask whoever keeps your organisation's accounts."
        )
    login(request, user)
    return _session(request)


@router.delete("", response=SessionOut, auth=seen)
def sign_out(request: HttpRequest) -> SessionOut:
    """End the session."""
    seen.forget(request)
    logout(request)
    return SessionOut(signed_in=False)
