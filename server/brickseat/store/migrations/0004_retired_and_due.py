from django.db import migrations, models


def hide_what_is_due(apps, schema_editor):
    """Orders without a prop were made when they were due; they are dropped, and can be ordered again."""
    apps.get_model("store", "PropOrder").objects.filter(prop=None).delete()


class Migration(migrations.Migration):
    dependencies = [("store", "0003_falls")]

    operations = [
        migrations.AddField("storedprop", "retired", models.BooleanField(default=False)),
        migrations.AddField("storedprop", "due", models.DateTimeField(blank=True, null=True)),
        migrations.RunPython(hide_what_is_due, migrations.RunPython.noop),
    ]
