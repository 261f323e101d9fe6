"""Signing in and out, and one's own password."""

import logging

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from ninja import Field, Router, Schema
from ninja.utils import check_csrf

from kardo.core.errors import PlanError
from kardo.formats.documents import LARGER
from kardo.server import problems
from kardo.server.access import name_of, person_of
from kardo.server.accounts import throttle
from kardo.server.accounts.ended import tell_all
from kardo.server.accounts.roles import NAMES, Right, rights_of
from kardo.server.accounts.seen import seen
from kardo.server.problems import problem

log = logging.getLogger(__name__)
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
    roles: list[str] = []  # what they are called
    rights: list[Right] = []  # what this person may do: the screens offer nothing else


def _session(request: HttpRequest) -> SessionOut:
    user = request.user
    if not user.is_authenticated or not hasattr(user, "member"):
        return SessionOut(signed_in=False)
    return SessionOut(
        signed_in=True,
        name=name_of(user),
        organisation=user.member.organisation.name,
        roles=[NAMES.get(role, role) for role in user.member.roles],
        rights=sorted(rights_of(user.member.roles)),
        papers=[user.member.organisation.paper, LARGER[user.member.organisation.paper]],
    )


@router.get("", response=SessionOut, auth=None)
def show_session(request: HttpRequest) -> SessionOut:
    """Who is signed in. Also sets the token that forms must carry."""
    get_token(request)
    return _session(request)


@router.post("", response=SessionOut, auth=None)
def sign_in(request: HttpRequest, body: Credentials) -> SessionOut | HttpResponse:
    """Take name and password; from this site's own pages only. 429 where too many were refused lately."""
    if check_csrf(request):
        return problems.forged(request)
    address = request.META.get("REMOTE_ADDR", "")
    try:
        throttle.require_few(body.username, address)
        with throttle.turn():
            user = authenticate(request, username=body.username, password=body.password)
    except throttle.TooMany as fault:
        log.warning("sign-in of %s from %s put off by %d s", ascii(body.username[:40]), address, fault.seconds)
        raise
    if user is None or not hasattr(user, "member"):
        log.warning("sign-in of %s from %s refused", ascii(body.username[:40]), address)
        throttle.refused(body.username, address)
        return problem(
            401, "Name or password is wrong.", mend="Try again, or ask whoever keeps your organisation's accounts."
        )
    throttle.accepted(body.username, address)
    login(request, user)
    return _session(request)


@router.delete("", response=SessionOut, auth=seen)
def sign_out(request: HttpRequest) -> SessionOut:
    """End the session."""
    key = request.session.session_key
    logout(request)
    seen.forget(key or "")
    return SessionOut(signed_in=False)


class PasswordChange(Schema):
    """The password as it is, and as it is to be."""

    now: str = Field(max_length=1000)
    next: str = Field(max_length=1000)


@router.post("/password", response=SessionOut)
def change_password(request: HttpRequest, body: PasswordChange) -> SessionOut:
    """Take another password. Every other session of this person ends. Raises PlanError for one that is too easy, or
    where the present one is wrong."""
    person = person_of(request)
    with throttle.turn():
        if not person.check_password(body.now):
            throttle.refused(person.get_username(), request.META.get("REMOTE_ADDR", ""))
            raise PlanError(
                "This is not your password.", where="password", mend="Type the one that you signed in with."
            )
        try:
            validate_password(body.next, person)
        except ValidationError as fault:
            raise PlanError(" ".join(fault.messages), where="new password", mend="Choose another.") from fault
        person.set_password(body.next)
    person.save(update_fields=["password"])
    tell_all()
    update_session_auth_hash(request, person)  # Django ends all others: their hash is of the old password
    return _session(request)
