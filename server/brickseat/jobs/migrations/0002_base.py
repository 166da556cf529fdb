"""Jobs know the set that they were computed on."""

from django.db import migrations, models

import brickseat.jobs.models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]

    operations = [
        migrations.AddField("keptjob", "base", models.JSONField(default=brickseat.jobs.models.no_base)),
    ]
