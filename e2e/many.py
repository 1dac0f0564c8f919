"""A build of four hundred pieces in an empty data folder: how long its Wall and one measurement take, as JSON. For the bench."""

import json
import os
import sys
import tempfile
import time
from pathlib import Path

PIECES = 400


def main() -> None:
    with tempfile.TemporaryDirectory() as made:
        os.environ |= {"BASTION_DATA": made, "DJANGO_SETTINGS_MODULE": "bastion_site.settings"}
        import django

        django.setup()
        from django.conf import settings
        from django.core.management import call_command
        from django.test import Client

        from bastion_core.tests.shapes import box
        from bastion_site.builds.models import Piece
        from bastion_site.testing import file_of, shop, stl_of, work_off

        settings.JOBS_APART, settings.ALLOWED_HOSTS = False, ["*"]
        call_command("migrate", verbosity=0)
        build, wearer = shop()
        client = Client()
        client.post("/api/pieces/upload/", {"build": build.id, "file": file_of(stl_of(box(60, 40, 150), Path(made), "plate.stl"))})
        work_off()
        plate = Piece.objects.get()
        Piece.objects.bulk_create(
            Piece(build=build, name=f"Plate {k}", mesh=plate.mesh, recipe=plate.recipe, shown=plate.shown) for k in range(PIECES - 1)
        )
        taken = {}
        for _ in range(3):
            begin = time.perf_counter()
            wall = client.get(f"/api/builds/{build.id}/wall/", HTTP_ACCEPT_ENCODING="gzip")
            taken["wall_s"] = time.perf_counter() - begin
        begin = time.perf_counter()
        changed = {"measurements": wearer.measurements | {"stature_mm": 1700.0}}
        client.patch(f"/api/wearers/{wearer.id}/", changed, content_type="application/json")
        json.dump(taken | {"sent_kb": len(wall.content) / 1000, "measured_s": time.perf_counter() - begin}, sys.stdout)


if __name__ == "__main__":
    main()
