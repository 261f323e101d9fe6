from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]

    operations = [
        migrations.AddField("job", "document", models.JSONField(default=dict)),
        migrations.AddField("job", "model", models.CharField(blank=True, max_length=12)),
    ]
