"""Organisations: added and listed."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db.models import Count

from kardo.server.accounts.models import Organisation


class Command(BaseCommand):
    help = "Add an organisation, or list those that there are."

    def add_arguments(self, parser: CommandParser) -> None:
        what = parser.add_subparsers(dest="what", required=True)
        what.add_parser("list")
        what.add_parser("add").add_argument("name")

    def handle(self, *args: Any, what: str, name: str = "", **options: Any) -> None:
        if what == "add":
            if not 2 <= len(name.strip()) <= 120:
                raise CommandError("The name of an organisation has 2 to 120 letters.")
            _, made = Organisation.objects.get_or_create(name=name.strip())
            if not made:
                raise CommandError(f"{name.strip()} is there already.")
            self.stdout.write(
                f"{name.strip()} added. Next: kardo-admin member add NAME --organisation “{name.strip()}”"
            )
            return
        for row in Organisation.objects.annotate(people=Count("members")).order_by("name"):
            self.stdout.write(f"{row.name}: {row.people} {'member' if row.people == 1 else 'members'}")
