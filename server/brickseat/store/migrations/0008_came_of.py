"""Shards know what they are shards of."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("store", "0007_claimed")]

    operations = [
        migrations.AddField(
            "storedprop",
            "came_of",
            models.ForeignKey(
                blank=True,
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="shards",
                to="store.storedprop",
            ),
        ),
    ]
