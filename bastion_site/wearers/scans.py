"""Scans on disk: stood up, measured and drawn, in a process apart."""

import shutil
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from django.core.files import File

from bastion_core.ask import write_solid
from bastion_core.devices.head_scanner import scan_head
from bastion_core.errors import FileProblem
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.formats.reading import read_mesh
from bastion_core.formats.stl import write_binary_stl
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.figure import ring_figure
from bastion_core.measure.scan import Taken, measure_body
from bastion_core.measure.scanned import body_of_scan
from bastion_core.measure.upright import measure_scan, points_wanted, take_scan
from bastion_core.measure.wearer import Wearer as CoreWearer
from bastion_core.pieces.silhouette import cloud_outline
from bastion_site.builds.files import keep_source, load_mesh, save_mesh
from bastion_site.builds.models import MeshFile

_PREVIEW_TRIANGLES = 40_000


def temporary() -> Path:
    """A folder that the system clears away."""
    return Path(tempfile.mkdtemp(prefix="bastion-"))


def simulate(core, seed: int, folder: str) -> str:
    """The simulated scanner's file of a wearer's head."""
    path = Path(folder) / "head-scan.stl"
    write_binary_stl(scan_head(core, "m", seed), path)
    return str(path)


def keep_file(path: str) -> MeshFile:
    """Move a file made here to the sources."""
    with open(path, "rb") as opened:
        kept = keep_source(File(opened, name=Path(path).name))
    shutil.rmtree(Path(path).parent, ignore_errors=True)
    return kept


def write_body(core, path: str) -> str:
    """The stand-in body as a file."""
    write_solid(stand_in(core).mesh, Path(path), "body")
    return path


def read_scan(source: str, kind: str, unit: str, hair_mm: float, points, folder: str) -> dict:
    """Stand a scan up, measure it, write what fits and pages need into ``folder``; returns what was found."""
    file = read_mesh(Path(source))
    scan = take_scan(file.mesh, kind, unit or None, points, file.mm_per_unit)
    taken = measure_scan(scan, hair_mm)
    into = Path(folder)
    into.mkdir(parents=True, exist_ok=True)
    save_mesh(scan.mesh, into / "upright.npz")
    write_glb({"scan": simplified(scan.mesh, _PREVIEW_TRIANGLES)}, into / "preview.glb")
    back = np.linalg.inv(scan.turned)
    np.save(into / "to_file.npy", back)
    low, high = scan.mesh.bounds
    rim = 25.0
    boxes = {
        "front": [low[0] - rim, -high[2] - rim, high[0] - low[0] + 2 * rim, high[2] - low[2] + 2 * rim],
        "side": [-high[1] - rim, -high[2] - rim, high[1] - low[1] + 2 * rim, high[2] - low[2] + 2 * rim],
    }
    tapes = {k: ring_figure(p, False, "front") for k, p in taken.tapes.items()}
    for key, ends in taken.spans.items():
        deep = "depth" in key or key in ("head_length_mm", "foot_length_mm", "chin_to_crown_mm")
        tapes[key] = ring_figure(ends, deep, "side" if deep else "front")
    return {
        "unit": scan.unit,
        "done": list(scan.done),
        "off_mm": round(scan.off_mm, 2),
        "values": taken.as_dict(),
        "outlines": {"front": cloud_outline(scan.mesh, False), "side": cloud_outline(scan.mesh, True)},
        "tapes": {k: {"view": f.view, "front": f.front, "behind": f.behind} for k, f in tapes.items()},
        "boxes": {k: [round(float(v), 1) for v in box] for k, box in boxes.items()},
        "points_wanted": list(points_wanted(kind)),
    }


def body_of_files(folder: str, kind: str, told: dict, wearer: CoreWearer) -> Body:
    """The body a stood-up scan stands for, with the measurements ``told`` of it; MeshProblem when it cannot be one."""
    mesh = load_mesh(Path(folder) / "upright.npz")
    values = {k: v["value"] for k, v in told.items()}
    taken = Taken(values, {}, {}) if kind == "head" else replace(measure_body(mesh), values=values)
    return body_of_scan(mesh, kind, taken, wearer)


def stand_up(scan) -> None:
    """Read a scan anew and save its row."""
    from bastion_site.jobs.apart import run_apart

    made = temporary()
    try:
        told = run_apart(read_scan, str(scan.mesh.path), scan.kind, scan.unit, scan.hair_mm, scan.points, str(made))
        scan.told = told
        scan.save()
        forget_files(scan)
        scan.folder.parent.mkdir(parents=True, exist_ok=True)
        shutil.move(made, scan.folder)
    finally:
        shutil.rmtree(made, ignore_errors=True)


def in_the_file(scan, shown) -> list[list[float]]:
    """Points touched on the stood-up scan (mm) in the coordinates of its file."""
    try:
        back = np.load(scan.folder / "to_file.npy")
    except FileNotFoundError as error:
        raise FileProblem("What was computed of this scan is gone from the data folder. Bring the scan in once more.") from error
    return (np.array(shown) @ back[:3, :3].T + back[:3, 3]).tolist()


def forget_files(scan) -> None:
    """Delete what was computed of a scan."""
    shutil.rmtree(scan.folder, ignore_errors=True)
