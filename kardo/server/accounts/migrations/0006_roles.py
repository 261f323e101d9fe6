from django.db import migrations, models


def roles_of(apps, schema_editor):
    """Who might sign is a surveyor in charge and keeps the accounts, as nobody else could; everybody else plans."""
    members = apps.get_model("accounts", "Member").objects
    members.filter(may_sign=True).update(roles=["surveyor", "administrator"])
    members.filter(may_sign=False).update(roles=["planner"])


class Migration(migrations.Migration):
    dependencies = [("accounts", "0005_policy")]

    operations = [
        migrations.AddField(
            "member",
            "roles",
            models.JSONField(default=list, help_text="what this person may do (accounts/roles.py)"),
        ),
        migrations.RunPython(roles_of, migrations.RunPython.noop),
        migrations.RemoveField("member", "may_sign"),
        migrations.CreateModel(
            "SignInFailure",
            [
                ("id", models.BigAutoField(primary_key=True, serialize=False, auto_created=True, verbose_name="ID")),
                ("name", models.CharField(max_length=150)),
                ("address", models.CharField(max_length=64)),
                ("at", models.DateTimeField(auto_now_add=True)),
            ],
            options={
                "indexes": [
                    models.Index(fields=["name", "at"], name="sign_in_failure_name"),
                    models.Index(fields=["address", "at"], name="sign_in_failure_address"),
                ]
            },
        ),
    ]
