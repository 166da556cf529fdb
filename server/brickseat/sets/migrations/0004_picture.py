"""A set has a picture of itself for its card."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("sets", "0003_records")]

    operations = [migrations.AddField("dressedset", "picture", models.CharField(blank=True, default="", max_length=16))]
