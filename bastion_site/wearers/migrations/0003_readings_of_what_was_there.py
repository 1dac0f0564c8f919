from django.db import migrations


def note(apps, schema_editor):
    """Measurements that were kept before there were readings get one each, so that nothing is lost when they are settled."""
    Wearer, Reading = apps.get_model("wearers", "Wearer"), apps.get_model("wearers", "Reading")
    for wearer in Wearer.objects.all():
        known = set(Reading.objects.filter(wearer=wearer).values_list("key", flat=True))
        Reading.objects.bulk_create(
            Reading(wearer=wearer, key=key, value_mm=value, state="holds") for key, value in wearer.measurements.items() if key not in known
        )


class Migration(migrations.Migration):
    dependencies = [("wearers", "0002_readings_scans_links")]
    operations = [migrations.RunPython(note, migrations.RunPython.noop)]
