"""Members of organisations: added, given other roles, shut out, let in again with a new password."""

import secrets
from typing import Any

from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from kardo.server.accounts.ended import tell_all
from kardo.server.accounts.models import Member, Organisation
from kardo.server.accounts.roles import NAMES, ROLES


class Command(BaseCommand):
    help = (
        "Add a member, give other roles, retire one (nobody signs in under that name any more; what was done stays),"
        " or reset a password. A password is made here and told once; its owner changes it after signing in."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        what = parser.add_subparsers(dest="what", required=True)
        adding = what.add_parser("add")
        adding.add_argument("name")
        adding.add_argument("--organisation", required=True)
        adding.add_argument("--role", action="append", choices=ROLES, required=True, help="may be given several times")
        adding.add_argument("--full-name", default="")
        changing = what.add_parser("role")
        changing.add_argument("name")
        changing.add_argument("role", nargs="+", choices=ROLES)
        for other in ("retire", "reset"):
            what.add_parser(other).add_argument("name")
        what.add_parser("list").add_argument("--organisation")

    @transaction.atomic
    def handle(self, *args: Any, what: str, **options: Any) -> None:
        getattr(self, f"_{what}")(**options)

    def _add(self, name: str, organisation: str, role: list[str], full_name: str, **_: Any) -> None:
        firm = Organisation.objects.filter(name=organisation).first()
        if firm is None:
            raise CommandError(f"There is no organisation {organisation}: kardo-admin organisation add.")
        if User.objects.filter(username__iexact=name).exists():
            raise CommandError(f"Somebody is called {name} already.")
        user = User(username=name, first_name=full_name)
        user.set_unusable_password()
        user.full_clean()
        user.save()
        Member.objects.create(user=user, organisation=firm, roles=sorted(set(role)))
        self._password(user)

    def _role(self, name: str, role: list[str], **_: Any) -> None:
        member = _member(name)
        member.roles = sorted(set(role))
        member.save(update_fields=["roles"])
        tell_all()
        self.stdout.write(f"{name} is {', '.join(NAMES.get(one, one) for one in member.roles)}.")

    def _retire(self, name: str, **_: Any) -> None:
        user = _member(name).user
        user.is_active = False
        user.set_unusable_password()
        user.save(update_fields=["is_active", "password"])
        _end_sessions(user)
        self.stdout.write(f"{name} signs in no more; what {name} did stays.")

    def _reset(self, name: str, **_: Any) -> None:
        user = _member(name).user
        user.is_active = True
        self._password(user)
        _end_sessions(user)

    def _list(self, organisation: str | None, **_: Any) -> None:
        members = Member.objects.select_related("user", "organisation").order_by("organisation__name", "user__username")
        for one in members.filter(organisation__name=organisation) if organisation else members:
            state = "" if one.user.is_active else ", retired"
            self.stdout.write(f"{one.organisation}: {one.user.username}, {', '.join(one.roles) or 'no role'}{state}")

    def _password(self, user: User) -> None:
        password = secrets.token_urlsafe(12)
        user.set_password(password)
        user.save()
        self.stdout.write(f"{user.username} signs in with {password}")


def _member(name: str) -> Member:
    member = Member.objects.select_related("user").filter(user__username=name).first()
    if member is None:
        raise CommandError(f"There is no member {name}.")
    return member


def _end_sessions(user: User) -> None:
    """All sessions of a person, on every device."""
    for session in Session.objects.iterator():
        if session.get_decoded().get("_auth_user_id") == str(user.pk):
            session.delete()
    tell_all()
