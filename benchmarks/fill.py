"""Fills a database for the load: the demo's job many times, a little apart, so that no two share a prediction; a person
and an open session for each. Run as a file, with the checkout's code first on the path; prints job and session of
each."""

import json
import sys
from typing import Any

import django


def session_of(user: Any) -> str:
    """The key of an open session of somebody's, for a cookie: a password's check is slow on purpose."""
    from django.conf import settings
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.sessions.backends.db import SessionStore

    session = SessionStore()
    session[SESSION_KEY] = str(user.pk)
    session[BACKEND_SESSION_KEY] = settings.AUTHENTICATION_BACKENDS[0]
    session[HASH_SESSION_KEY] = user.get_session_auth_hash()
    session.save()
    return str(session.session_key)


def main(users: int) -> None:
    """So many jobs."""
    django.setup()
    from django.contrib.auth.models import User
    from django.core.management import call_command

    from kardo.demo import demo_plan
    from kardo.server.accounts.models import Member, Organisation
    from kardo.server.actions.edit_plan import create_job

    call_command("migrate", verbosity=0)
    plan, told = demo_plan("sallow-bank"), []
    for k in range(users):
        office = Organisation.objects.get_or_create(name=f"Office {k % 10}")[0]
        user = User.objects.create(username=f"load{k}")
        if k == 0:
            user.set_password("load-of-fifty")
            user.save()
        Member.objects.create(user=user, organisation=office)
        moved = plan.control[4].model_copy(update={"e": plan.control[4].e + 0.1 * k})
        control = (*plan.control[:4], moved, *plan.control[5:])
        job = create_job(office, user, plan.model_copy(update={"control": control}))
        told.append((str(job.pk), session_of(user)))
    print(json.dumps(told))


if __name__ == "__main__":
    main(int(sys.argv[1]))
