"""Says who may sign reports for their organisation."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from kardo.server.accounts.models import Member


class Command(BaseCommand):
    help = "Let a member sign reports and open signed jobs again, or no longer."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("username")
        parser.add_argument("--no", action="store_true", help="no longer")

    def handle(self, *args: Any, username: str, no: bool, **options: Any) -> None:
        if not Member.objects.filter(user__username=username).update(may_sign=not no):
            raise CommandError(f"There is no member {username}.")
        self.stdout.write(f"{username} may {'no longer ' if no else ''}sign.")
