"""What tests of the site and of the whole application share: the worker's part done on the spot, and small model files."""

import io
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from bastion_core.engine.keeping import whole
from bastion_core.findings import Said
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_site.builds.models import Build, Derived
from bastion_site.engine.queue import run_job
from bastion_site.jobs.models import Job
from bastion_site.shop.models import Printer, Shop, Spool
from bastion_site.wearers.models import Wearer


def work_off(most: int = 50, **of) -> int:
    """Carry out all queued jobs as the worker would, oldest first, or those ``of`` one subject; how many there were."""
    done = 0
    while (job := Job.objects.filter(state=Job.State.QUEUED, **of).order_by("id").first()) and done < most:
        run_job.func(job.pk)
        done += 1
    return done


_KNOWN: dict[tuple[str, str], Derived] = {}


def remember() -> None:
    """Note what was computed, for tests after this one."""
    _KNOWN.update({(d.kind, d.hash): d for d in Derived.objects.all()})


def recall() -> None:
    """Take over what an earlier test of this run computed under the same recipes, where its files lie there still."""
    folders = settings.MEDIA_ROOT / "derived"
    there = [d for d in _KNOWN.values() if (folders / d.kind / d.hash).is_dir()]
    Derived.objects.bulk_create([Derived(kind=d.kind, hash=d.hash, result=d.result, data=d.data) for d in there])


def shop(small: bool = True) -> tuple[Build, Wearer]:
    """A shop with two printers and a spool, a wearer, an empty build."""
    Shop.current()
    Printer.objects.create(name="Small", x_mm=110, y_mm=110, z_mm=110)
    if not small:
        Printer.objects.create(name="Large", x_mm=350, y_mm=350, z_mm=400, bed_moves=False)
    Spool.objects.create(name="Grey", material="pla", price_per_kg=20.0)
    measured = {
        "stature_mm": 1756.0,
        "head_breadth_mm": 154.0,
        "head_length_mm": 199.0,
        "head_circumference_mm": 574.0,
        "chin_to_crown_mm": 230.0,
    }
    wearer = Wearer.objects.create(name="Mattis Sluice", measurements=measured)
    return Build.objects.create(name="Quay watch", wearer=wearer), wearer


def file_of(path: Path, name: str | None = None) -> SimpleUploadedFile:
    return SimpleUploadedFile(name or path.name, path.read_bytes())


def stl_of(solid: Solid, folder: Path, name: str) -> Path:
    path = folder / name
    write_binary_stl(solid.mesh(), path)
    return path


def bytes_of(response) -> io.BytesIO:
    """A downloaded file whole."""
    return io.BytesIO(b"".join(response.streaming_content) if response.streaming else response.content)


def said(text: dict) -> str:
    """A sentence off the wire, written out in millimetres."""
    return str(whole(Said, text))
