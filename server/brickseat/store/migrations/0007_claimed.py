from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("store", "0006_corner")]

    operations = [
        migrations.AddField("storedprop", "claimed", models.DateTimeField(blank=True, null=True)),
    ]
