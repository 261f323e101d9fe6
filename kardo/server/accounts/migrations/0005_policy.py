from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0004_paper")]

    operations = [
        migrations.RenameField("organisation", "house", "rules"),
        migrations.RenameField("organisation", "house_revision", "rules_revision"),
        migrations.AddField(
            "organisation",
            "policy_keys",
            models.JSONField(default=dict, help_text="what computations of each kind depend on of its rules"),
        ),
    ]
