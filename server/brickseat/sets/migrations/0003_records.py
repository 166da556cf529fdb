"""Pieces become records, one kind of several; deltas are kept apart from the words of the history."""

import django.db.models.deletion
from django.db import migrations, models

BATCH = 500


def piece_data(row):
    return {
        "key": row.key,
        "name": row.name,
        "prop": row.prop.key,
        "role": row.role,
        "pose": row.pose,
        "direction": row.direction,
        "sink": row.sink,
        "stand_off": row.stand_off,
        "spiked": row.spiked,
        "group": row.group,
    }


def carry_over(apps, schema_editor):
    piece = apps.get_model("sets", "StandingPiece")
    record = apps.get_model("sets", "StoredRecord")
    entry = apps.get_model("sets", "HistoryEntry")
    deltas = apps.get_model("sets", "HistoryDeltas")
    named = apps.get_model("sets", "HistoryProp")
    props = dict(apps.get_model("store", "StoredProp").objects.values_list("key", "pk"))
    record.objects.bulk_create(
        (
            record(dressed_id=row.dressed_id, kind="piece", key=row.key, prop_id=row.prop_id, data=piece_data(row))
            for row in piece.objects.select_related("prop").order_by("id").iterator()
        ),
        batch_size=BATCH,
    )
    for old in entry.objects.order_by("id").iterator():
        found = [{"kind": "piece", **delta} for delta in old.deltas]
        kept = deltas.objects.create(entry=old, deltas=found)
        sides = [delta[side] for delta in found for side in ("before", "after") if delta.get(side)]
        wanted = {side["prop"] for side in sides} & props.keys()
        named.objects.bulk_create([named(change=kept, prop_id=props[key]) for key in sorted(wanted)])


class Migration(migrations.Migration):
    dependencies = [("sets", "0002_groups_trolley_dressers"), ("store", "0004_retired_and_due")]

    operations = [
        migrations.CreateModel(
            "StoredRecord",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("kind", models.CharField(max_length=10)),
                ("key", models.CharField(max_length=40)),
                ("data", models.JSONField()),
                (
                    "dressed",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="records", to="sets.dressedset"
                    ),
                ),
                (
                    "prop",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="records",
                        to="store.storedprop",
                    ),
                ),
            ],
            options={"ordering": ["id"]},
        ),
        migrations.AddConstraint(
            "storedrecord", models.UniqueConstraint(fields=["dressed", "kind", "key"], name="one_record_a_key")
        ),
        migrations.CreateModel(
            "HistoryDeltas",
            [
                (
                    "entry",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE,
                        primary_key=True,
                        related_name="stored",
                        serialize=False,
                        to="sets.historyentry",
                    ),
                ),
                ("deltas", models.JSONField()),
            ],
        ),
        migrations.CreateModel(
            "HistoryProp",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                (
                    "change",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="sets.historydeltas"),
                ),
                (
                    "prop",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT,
                        related_name="named_in_history",
                        to="store.storedprop",
                    ),
                ),
            ],
        ),
        migrations.AddField(
            "historydeltas",
            "props",
            models.ManyToManyField(related_name="+", through="sets.HistoryProp", to="store.storedprop"),
        ),
        migrations.RunPython(carry_over),
        migrations.RemoveField("historyentry", "deltas"),
        migrations.DeleteModel("StandingPiece"),
    ]
