"""The rows of a plan become one document. It stays of version 1 here: whoever reads it upgrades it."""

from django.db import migrations, models

PLURAL = {"control": "control", "mark": "marks", "area": "areas"}


def gather(apps, schema_editor):
    job_model, row_model = apps.get_model("jobs", "Job"), apps.get_model("plans", "PlanObject")
    for job in job_model.objects.only("id").iterator():
        document = {"format": "kardo-plan", "version": 1}
        for name, value in row_model.objects.filter(job=job).exclude(value=None).order_by("id").values_list("name", "value"):
            kind, _, key = name.partition("/")
            if key:
                document.setdefault(PLURAL[kind], []).append(value)
            else:
                document[name] = value
        job_model.objects.filter(pk=job.pk).update(document=document, model="")


class Migration(migrations.Migration):
    dependencies = [("plans", "0001_initial"), ("jobs", "0002_document")]

    operations = [
        migrations.RunPython(gather, migrations.RunPython.noop),
        migrations.DeleteModel("PlanObject"),
        migrations.AddField("edit", "uid", models.UUIDField(null=True)),
        migrations.AlterField(
            "edit",
            "changes",
            models.JSONField(help_text="list of {path, before, after}; of {object, before, after} before version 2"),
        ),
        migrations.AlterField(
            "edit",
            "state",
            models.CharField(
                choices=[
                    ("done", "Done"),
                    ("undone", "Undone"),
                    ("gone", "undone and then overtaken by another edit, or stepped over"),
                ],
                default="done",
                max_length=8,
            ),
        ),
        migrations.AddConstraint(
            "edit", models.UniqueConstraint(fields=("job", "uid"), name="each_edit_taken_once")
        ),
        migrations.AddIndex(
            "edit", models.Index(fields=["job", "author", "state", "id"], name="steps_of_a_person")
        ),
    ]
