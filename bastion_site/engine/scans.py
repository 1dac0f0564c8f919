"""Scans read: stood up, measured, drawn, each reading with files of its own. Runs in a process of its own."""

import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from django.core.files import File

from bastion_core.devices.head_scanner import scan_head
from bastion_core.engine.keeping import plain
from bastion_core.engine.store import Workplace
from bastion_core.errors import FileProblem
from bastion_core.findings import Said
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.formats.reading import read_mesh
from bastion_core.formats.stl import write_binary_stl
from bastion_core.measure.figure import Figure, ring_figure
from bastion_core.measure.scan import Taken
from bastion_core.measure.scanned import UPRIGHT
from bastion_core.measure.upright import Scan as Stood
from bastion_core.measure.upright import measure_scan, points_wanted, take_scan
from bastion_core.pieces.silhouette import cloud_outline
from bastion_core.pieces.standing import save_mesh
from bastion_core.progress import Progress
from bastion_site.builds.files import keep_source
from bastion_site.wearers.models import Scan

_PREVIEW_TRIANGLES = 40_000
_TO_FILE = "to_file.npy"
_RIM_MM = 25.0


@dataclass(frozen=True)
class Measured:
    """A measurement read off a scan (mm), and its doubt."""

    value: float
    sd: float


@dataclass(frozen=True)
class Found:
    """What was found on a scan."""

    unit: str
    done: tuple[Said, ...]
    off_mm: float
    values: dict[str, Measured]
    outlines: dict[str, str]
    tapes: dict[str, Figure]
    boxes: dict[str, tuple[float, ...]]
    points_wanted: tuple[str, ...]
    sure: bool
    """False where it could stand another way about as well: nothing is measured before its points are shown."""


def read(scan: Scan, progress: Progress) -> None:
    """Read a scan anew and keep what is found; BastionError when it is none. What was found before stays until then."""
    if scan.mesh is None:
        progress(0.05, "the simulated scanner is at work")
        scan.mesh = _simulated(scan)
        scan.save(update_fields=["mesh"])
    progress(0.2, "reading the file")
    file = read_mesh(scan.mesh.path)
    progress(0.3, "standing it up")
    stood = take_scan(file.mesh, scan.kind, scan.unit or None, scan.points, file.mm_per_unit)
    progress(0.7, "measuring")
    scan.found = plain(found_on(stood, scan.hair_mm))
    with Workplace(scan.files) as folder:
        save_mesh(stood.mesh, folder / UPRIGHT)
        write_glb({"scan": simplified(stood.mesh, _PREVIEW_TRIANGLES)}, folder / "preview.glb")
        np.save(folder / _TO_FILE, np.linalg.inv(stood.turned))
    Scan.objects.filter(pk=scan.pk).update(found=scan.found)
    for old in scan.folder.iterdir():
        if old.name != scan.reading:
            shutil.rmtree(old, ignore_errors=True)


def found_on(stood: Stood, hair_mm: float) -> Found:
    """What a stood-up scan tells, with its drawings."""
    taken = measure_scan(stood, hair_mm) if stood.sure else Taken({}, {}, {})
    low, high = (np.asarray(v) for v in stood.mesh.bounds)
    size = high - low
    boxes = {
        "front": (low[0] - _RIM_MM, -high[2] - _RIM_MM, size[0] + 2 * _RIM_MM, size[2] + 2 * _RIM_MM),
        "side": (-high[1] - _RIM_MM, -high[2] - _RIM_MM, size[1] + 2 * _RIM_MM, size[2] + 2 * _RIM_MM),
    }
    tapes = {k: ring_figure(p, False, "front") for k, p in taken.tapes.items()}
    for key, ends in taken.spans.items():
        deep = "depth" in key or key in ("head_length_mm", "foot_length_mm", "chin_to_crown_mm")
        tapes[key] = ring_figure(ends, deep, "side" if deep else "front")
    return Found(
        stood.unit,
        stood.done,
        round(stood.off_mm, 2),
        {k: Measured(**v) for k, v in taken.as_dict().items()},
        {"front": cloud_outline(stood.mesh, False), "side": cloud_outline(stood.mesh, True)},
        tapes,
        {k: tuple(round(float(v), 1) for v in box) for k, box in boxes.items()},
        tuple(points_wanted(stood.kind)),
        stood.sure,
    )


def _simulated(scan: Scan):
    """The simulated scanner's file of a wearer's head, among the sources."""
    with tempfile.TemporaryDirectory(prefix="bastion-") as made:
        path = Path(made) / "head-scan.stl"
        write_binary_stl(scan_head(scan.wearer.core(), "m", scan.wearer_id), path)
        with path.open("rb") as opened:
            return keep_source(File(opened, name=path.name))


def in_the_file(scan: Scan, shown) -> list[list[float]]:
    """Points touched on the stood-up scan (mm) in the coordinates of its file."""
    try:
        back = np.load(scan.files / _TO_FILE)
    except FileNotFoundError as error:
        raise FileProblem("What was computed of this scan is gone from the data folder. Add the scan again.") from error
    return (np.array(shown) @ back[:3, :3].T + back[:3, 3]).tolist()


def forget_files(scan: Scan) -> None:
    """Delete what was computed of a scan."""
    shutil.rmtree(scan.folder, ignore_errors=True)
