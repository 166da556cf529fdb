"""Jobs that are done outlast the server."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True
    dependencies = [("sets", "0003_records")]

    operations = [
        migrations.CreateModel(
            "KeptJob",
            [
                ("key", models.CharField(max_length=32, primary_key=True, serialize=False)),
                ("kind", models.CharField(max_length=20)),
                ("outcomes", models.JSONField()),
                ("shards", models.JSONField(default=dict)),
                ("at", models.DateTimeField(auto_now_add=True)),
                (
                    "dressed",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="sets.dressedset"
                    ),
                ),
            ],
            options={"ordering": ["-at"]},
        )
    ]
