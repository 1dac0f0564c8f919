"""A scan says whether it could stand only one way, those already read could; a wearer may have an age."""

from django.db import migrations, models


def carry_over(apps, schema_editor):
    for scan in apps.get_model("wearers", "Scan").objects.all():
        if scan.found:
            scan.found.setdefault("sure", True)
            scan.save(update_fields=["found"])


class Migration(migrations.Migration):
    dependencies = [("wearers", "0004_scan_jobs")]
    operations = [
        migrations.RunPython(carry_over, migrations.RunPython.noop),
        migrations.AddField("wearer", "age_years", models.FloatField(blank=True, null=True)),
    ]
