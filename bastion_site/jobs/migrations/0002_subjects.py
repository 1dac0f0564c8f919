from django.db import migrations, models
import django.db.models.deletion


def rename(apps, schema_editor):
    apps.get_model("jobs", "Job").objects.filter(kind="intake").update(kind="pieces")


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial"), ("builds", "0004_one_recipe"), ("wearers", "0004_scan_jobs")]

    operations = [
        migrations.RunPython(rename, migrations.RunPython.noop),
        migrations.AlterField(
            "job", "kind",
            models.CharField(choices=[("pieces", "Pieces"), ("plan", "Plan"), ("motion", "Motion"), ("scan", "Scan")], max_length=8),
        ),
        migrations.AlterField(
            "job", "piece",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="builds.piece"),
        ),
        migrations.AddField(
            "job", "build",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="builds.build"),
        ),
        migrations.AddField(
            "job", "wearer",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="wearers.wearer"),
        ),
        migrations.AddField("job", "about", models.JSONField(default=dict)),
        migrations.AddConstraint(
            "job",
            models.CheckConstraint(
                name="a_job_has_one_subject",
                condition=models.Q(piece__isnull=False, build__isnull=True, wearer__isnull=True)
                | models.Q(piece__isnull=True, build__isnull=False, wearer__isnull=True)
                | models.Q(piece__isnull=True, build__isnull=True, wearer__isnull=False),
            ),
        ),
    ]
