from django.db import migrations, models

from kardo.core.policy.organisation import OrganisationRules
from kardo.core.policy.policy import policy_of


def keys_of_rules(apps, schema_editor):
    """What computations depend on of the rules that are asked otherwise already."""
    for organisation in apps.get_model("accounts", "Organisation").objects.exclude(rules={}):
        organisation.policy_keys = policy_of(OrganisationRules.model_validate(organisation.rules)).keys
        organisation.save(update_fields=["policy_keys"])


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
        migrations.RunPython(keys_of_rules, migrations.RunPython.noop),
    ]
