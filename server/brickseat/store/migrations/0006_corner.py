from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("store", "0005_seats_and_joints")]

    operations = [migrations.AddField("storedprop", "corner", models.JSONField(default=list))]
