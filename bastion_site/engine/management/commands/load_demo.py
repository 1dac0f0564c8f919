"""Fill an empty database with the demo: shop, wearers, the Tidewrack Watch's build and its models."""

import socket
import tempfile
from dataclasses import replace
from pathlib import Path

from django.core.files import File
from django.core.management.base import BaseCommand
from django.utils import timezone

from bastion_core.engine.keeping import plain
from bastion_core.measure.table import ROWS
from bastion_core.recipes import begin_all, write_all
from bastion_site.builds.files import keep_source
from bastion_site.builds.models import Build, MeshFile, Piece
from bastion_site.engine.refresh import refresh_many
from bastion_site.shop.models import CouponFit, Printer, Shop, Spool, shop_today
from bastion_site.wearers.models import Wearer
from demo.models import write_models
from demo.sets import LAID
from demo.story import BUILD, COUPONS, PIECES, PRINTERS, SPOOLS, WEARERS, due


def _kept(path: Path) -> MeshFile:
    with path.open("rb") as opened:
        return keep_source(File(opened, name=path.name))


def _service(printer: dict) -> dict:
    """Where a simulated printer answers: any port that is free now."""
    if not printer.get("stand_in"):
        return {}
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return {"address": f"http://127.0.0.1:{probe.getsockname()[1]}", "watched": True}


def _measured(record: dict) -> Wearer:
    """A wearer of the story with their readings."""
    wearer = Wearer.objects.create(name=record["name"], sex=record["sex"], mass_kg=record["mass_kg"])
    for key, value in record["measurements"].items():
        wearer.take(key, value, ROWS[key].tool, "the quartermaster")
    return wearer


def load(detail: float = 1.0) -> Build | None:
    """Load the demo unless there is a build already; the pieces are computed by the worker."""
    if Build.objects.exists():
        return None
    Shop.current()
    printers = {p["name"]: Printer.objects.create(**p, **_service(p)) for p in PRINTERS}
    for spool in SPOOLS:
        Spool.objects.create(**spool)
    for coupon in COUPONS:
        CouponFit.objects.create(**{**coupon, "printer": printers[coupon["printer"]]})
    wearers = {w["name"]: _measured(w) for w in WEARERS}
    with tempfile.TemporaryDirectory() as folder:
        sources = {file: _kept(path) for file, path in write_models(Path(folder), detail).items()}
    build = Build.objects.create(name=BUILD, due=due(timezone.localdate()), wearer=wearers[WEARERS[0]["name"]])
    for piece in PIECES:
        placed = [replace(LAID[file], sha256=sources[file].sha256) for file in piece.files]
        made = Piece.objects.create(
            build=build,
            name=piece.name,
            mesh=sources[piece.file],
            file_name=f"{piece.file}.stl",
            wearer=wearers.get(piece.wearer),
            note=piece.note,
            recipe=write_all(
                begin_all(shop_today(), **piece.recipe, files=plain(placed), printer_ids=[printers[n].id for n in piece.printers])
            ),
        )
        made.more_files.set(sources[file] for file in piece.files)
        if piece.mirror:
            name = piece.name.replace("left", "right")
            Piece.objects.create(
                build=build,
                name=name,
                mesh=made.mesh,
                file_name=made.file_name,
                mirror_of=made,
                note=piece.note,
                recipe=write_all(begin_all(shop_today(), **(piece.recipe | {"side": "right", "mirrored": True}))),
            )
    refresh_many(build.pieces.all())
    return build


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args, **options) -> None:
        build = load()
        self.stdout.write(f"Loaded: {build.name}." if build else "There is a build already; the demo was not loaded.")
