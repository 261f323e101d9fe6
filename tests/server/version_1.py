"""Run as a program on a database that the code of version 1 left behind: brings it up to date, then opens, predicts,
undoes and edits the demo job in it, and prints what came of it as JSON."""

import json

import django
from django.core.management import call_command


def main():
    django.setup()
    call_command("migrate", verbosity=0)
    from django.contrib.auth.models import User
    from django.db import transaction

    from kardo.core.accuracy.prediction import predict
    from kardo.server.actions import edit_plan as editing
    from kardo.server.jobs.models import Job
    from kardo.server.plans.stored import stored_plan, whole_plan
    from kardo.server.predictions.models import Computation
    from kardo.server.predictions.tasks import request_computation, run
    from kardo.server.questions.answers import underway
    from kardo.server.questions.job_status import job_status

    planner, chief = (User.objects.get(username=name) for name in ("planner", "chief"))
    told = {"predictions_kept": Computation.objects.filter(state="done").count(), "figures": [], "plans": []}

    def fresh(user):
        return editing.jobs_to_edit(user).select_related("organisation", "saved_by").get()

    def look(label):
        result = predict(whole_plan(Job.objects.get()))
        keys = ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v", "chance")
        told["figures"].append({"label": label} | {key: getattr(result, key) for key in keys})
        told["plans"].append(stored_plan(Job.objects.get()).to_json())

    def back(user, redo=False):
        with transaction.atomic():
            editing.step_back(fresh(user), user, redo=redo)

    look("as it was left")
    back(planner, redo=True)
    look("with the undone step done again")
    for _ in range(7):
        back(planner)
    back(chief)
    look("all steps undone")
    with transaction.atomic():
        g1 = Job.objects.get().document["control"][0]
        edits = [{"path": "control/G1/e", "before": g1["e"], "after": g1["e"] + 1}]
        job, plan = editing.edit(fresh(planner), Job.objects.get().revision, None, edits, planner)
        row = request_computation(job, plan)
    run(key=str(row.key))
    job = Job.objects.get()
    told["state"] = underway(job_status(job.pk, job.organisation_id, planner.pk, "prediction")).state
    print(json.dumps(told))


if __name__ == "__main__":
    main()
