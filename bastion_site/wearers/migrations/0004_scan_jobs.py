"""A scan is read by a job: it is there before anything was found on it."""

from django.db import migrations, models
import django.db.models.deletion


def say(text):
    return text if isinstance(text, dict) else {"words": text, "values": []}


def carry_over(apps, schema_editor):
    """What was done to a scan is now told in sentences whose lengths are numbers."""
    for scan in apps.get_model("wearers", "Scan").objects.all():
        if scan.found:
            scan.found["done"] = [say(d) for d in scan.found.get("done", [])]
            scan.save(update_fields=["found"])


class Migration(migrations.Migration):
    dependencies = [("wearers", "0003_readings_of_what_was_there"), ("builds", "0004_one_recipe")]

    operations = [
        migrations.RenameField("scan", "told", "found"),
        migrations.AlterField("scan", "found", models.JSONField(null=True)),
        migrations.AlterField(
            "scan", "mesh",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="scans", to="builds.meshfile"),
        ),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
    ]
