"""Loads the demo: two organisations of the made-up island, their people, and the demo jobs where they are missing."""

from typing import Any

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandParser

from kardo.demo import demo_plan
from kardo.server.accounts.models import Member, Organisation
from kardo.server.actions.edit_plan import create_job
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import stored_plan
from kardo.server.predictions.models import WAITING
from kardo.server.predictions.tasks import request_computation, run

PEOPLE = [
    ("planner", "Planner", "Corvane Survey Office", ["planner"]),
    ("chief", "Party chief", "Corvane Survey Office", ["surveyor", "administrator"]),
    ("guest", "Guest", "Harbour Works of Corvane", ["surveyor", "administrator"]),
]
PASSWORD = "corvane-demo"  # noqa: S105 - a demo on loopback, printed on the screen


class Command(BaseCommand):
    help = "Load the demo organisations, people and jobs; what is there already is kept."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--predict", action="store_true", help="and compute what the demo jobs predict, now")

    def handle(self, *args: Any, **options: Any) -> None:
        for name, full, organisation, roles in PEOPLE:
            firm, _ = Organisation.objects.get_or_create(name=organisation)
            user, made = User.objects.get_or_create(username=name, defaults={"first_name": full})
            if made:
                user.set_password(PASSWORD)
                user.save()
                Member.objects.create(user=user, organisation=firm)
            Member.objects.filter(user=user).update(roles=roles)
        firm = Organisation.objects.get(name=PEOPLE[0][2])
        if not Job.objects.filter(organisation=firm).exists():
            for name in ("tarn-wood", "hask-quarry", "sallow-bank"):  # the last is the first in the list
                plan = demo_plan(name)
                create_job(firm, User.objects.get(username="planner"), plan, demo=True)
        for job in Job.objects.filter(organisation=firm, demo=True):
            asked = request_computation(job, stored_plan(job))
            if options["predict"] and asked.state in WAITING:
                run(key=str(asked.key))
        for name, full, organisation, _ in PEOPLE:
            self.stdout.write(f"  {name:8} {PASSWORD}   {full}, {organisation}")
