"""Fits are kept with the records they were measured of, so that a set opens without being measured again."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("sets", "0004_picture")]

    operations = [
        migrations.AddField("dressedset", "measured_by", models.CharField(blank=True, default="", max_length=32)),
        migrations.CreateModel(
            "StoredFit",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.CharField(max_length=40)),
                ("data", models.JSONField()),
                (
                    "dressed",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="fits", to="sets.dressedset"
                    ),
                ),
            ],
            options={
                "ordering": ["id"],
                "constraints": [models.UniqueConstraint(fields=["dressed", "key"], name="one_fit_a_key")],
            },
        ),
    ]
