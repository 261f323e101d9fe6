from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("predictions", "0009_layouts"), ("accounts", "0005_policy")]

    operations = [
        migrations.AddField("computation", "policy", models.CharField(blank=True, help_text="key of the figures of rules that it acts on", max_length=64)),
        migrations.RemoveConstraint("computation", "one_result_per_plan"),
        migrations.AddConstraint(
            "computation",
            models.UniqueConstraint(
                fields=["organisation", "kind", "plan_hash", "policy", "engine"], name="one_result_per_plan"
            ),
        ),
    ]
