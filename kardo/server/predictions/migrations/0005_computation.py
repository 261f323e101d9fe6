"""The table holds predictions and advice, and is called after both."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial"), ("jobs", "0003_notify"), ("predictions", "0004_notify")]
    operations = [
        migrations.RenameModel("Prediction", "Computation"),
        migrations.AlterField(
            "computation",
            "organisation",
            models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="computations", to="accounts.organisation"
            ),
        ),
        migrations.AlterField(
            "computation",
            "job",
            models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="computations",
                to="jobs.job",
            ),
        ),
        migrations.AddField(
            "computation",
            "queue",
            models.CharField(default="quick", help_text="which it waits or waited on", max_length=10),
        ),
    ]
