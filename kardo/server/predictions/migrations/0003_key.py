"""Every computation gets a key of its own, and stored plans let go of their copies of the terrain: it lies beside the job."""

import hashlib
import json
import uuid

from django.db import migrations, models


def keys(apps, schema_editor):
    rows = apps.get_model("predictions", "Prediction")
    for row in rows.objects.only("pk", "plan", "state").iterator(chunk_size=50):
        terrain = row.plan.get("terrain")
        if terrain and terrain.get("heights"):
            digest = hashlib.sha256(json.dumps(terrain, sort_keys=True).encode()).hexdigest()
            small = {key: value for key, value in terrain.items() if key != "heights"}
            row.plan = row.plan | {"terrain": small | {"digest": digest}}
        state = "cancelled" if row.state in ("queued", "running") else row.state
        rows.objects.filter(pk=row.pk).update(key=uuid.uuid4(), plan=row.plan, state=state)


class Migration(migrations.Migration):
    dependencies = [("predictions", "0002_work_of_two_kinds")]

    operations = [
        migrations.AddField("prediction", "key", models.UUIDField(null=True)),
        migrations.RunPython(keys, migrations.RunPython.noop),
        migrations.AlterField(
            "prediction",
            "key",
            models.UUIDField(default=uuid.uuid4, help_text="what the queue knows it by", unique=True),
        ),
        migrations.AddIndex(
            "prediction", models.Index(fields=["job", "kind", "id"], name="computations_of_a_job")
        ),
        migrations.AddIndex(
            "prediction",
            models.Index(fields=["organisation", "job"], name="computations_waiting", condition=models.Q(state="queued")),
        ),
    ]
