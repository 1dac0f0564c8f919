"""Every decision about a piece goes into one JSON object; results of older versions are computed again."""

from django.db import migrations, models
import django.db.models.deletion

COLUMNS = (
    "site", "side", "unit", "turn_x", "turn_y", "turn_z", "mirrored", "pad_mm", "made_for_mm", "wanted_length_mm", "way_in", "layers", "bays",
    "shift_mm", "turn_deg", "give_mm", "scale", "printer_ids", "cuts", "pin_diameters_mm", "pin_clearance_mm", "layer_mm", "walls", "infill",
    "material",
)


def carry_over(apps, schema_editor):
    """The columns as they stand: version 0, which is brought up to date when it is read."""
    Piece = apps.get_model("builds", "Piece")
    for piece in Piece.objects.all():
        piece.recipe = {"version": 0} | {name: getattr(piece, name) for name in COLUMNS}
        piece.shown = {}
        piece.save(update_fields=["recipe", "shown"])
    apps.get_model("builds", "Derived").objects.all().delete()


class Migration(migrations.Migration):
    dependencies = [("builds", "0003_seat_turned")]

    operations = [
        migrations.AddField("piece", "recipe", models.JSONField(default=dict)),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
        *(migrations.RemoveField("piece", name) for name in COLUMNS),
        migrations.RenameField("derived", "summary", "result"),
        migrations.AlterField("derived", "kind", models.CharField(max_length=12)),
        migrations.CreateModel(
            "FrozenPart",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("part", models.CharField(max_length=16)),
                ("print_hash", models.CharField(max_length=64)),
                ("since", models.DateTimeField(auto_now_add=True)),
                ("piece", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="frozen_parts", to="builds.piece")),
            ],
            options={"constraints": [models.UniqueConstraint(fields=["piece", "part"], name="a_part_freezes_once")]},
        ),
    ]
