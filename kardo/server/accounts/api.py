"""Signing in and out."""

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.security import django_auth

from kardo.server.problems import problem

router = Router(tags=["session"])


class Credentials(Schema):
    username: str
    password: str


class SessionOut(Schema):
    signed_in: bool
    name: str = ""
    organisation: str = ""


def _session(request: HttpRequest) -> SessionOut:
    user = request.user
    if not user.is_authenticated or not hasattr(user, "member"):
        return SessionOut(signed_in=False)
    return SessionOut(
        signed_in=True, name=user.get_full_name() or user.get_username(), organisation=user.member.organisation.name
    )


@router.get("", response=SessionOut, auth=None)
def show_session(request: HttpRequest):
    """Who is signed in. Also sets the token that forms must carry."""
    get_token(request)
    return _session(request)


@router.post("", response=SessionOut, auth=None)
def sign_in(request: HttpRequest, body: Credentials):
    user = authenticate(request, username=body.username, password=body.password)
    if user is None or not hasattr(user, "member"):
        return problem(
            401, "Name or password is wrong.", mend="Try again, or ask whoever keeps your organisation's accounts."
        )
    login(request, user)
    return _session(request)


@router.delete("", response=SessionOut, auth=django_auth)
def sign_out(request: HttpRequest):
    logout(request)
    return SessionOut(signed_in=False)
