"""Speed, as ratios against bare libraries measured in the same run, on meshes of 0.1, 0.5 and 1 million triangles."""

import argparse
import gc
import json
import re
import resource
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import igl
import numpy as np
import trimesh
from manifold3d import Manifold
from manifold3d import Mesh as ManifoldMesh
from scipy.stats import spearmanr
from shapely import Point
from shapely.ops import nearest_points

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.cut.plans import find_plans, surface_of
from bastion_core.fit.answer import Fitting
from bastion_core.fit.bays import parse_bay
from bastion_core.fit.curve import from_curve
from bastion_core.fit.layers import Layer
from bastion_core.fit.question import Question
from bastion_core.fit.room import room_of
from bastion_core.formats.reading import read_mesh
from bastion_core.formats.stl import weld_equal, write_binary_stl
from bastion_core.geometry.arrays import three
from bastion_core.geometry.layers import layer_sections
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.inside import place_inside
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.held import Held
from bastion_core.join.joining import JoinRule, join, load_for
from bastion_core.join.places import Footprint, SeamRoom
from bastion_core.join.room import InsideRoom
from bastion_core.join.table import KINDS
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.mend import make_sound
from bastion_core.print.estimate import estimate
from bastion_core.print.profile import Profile
from bastion_core.print.quick import Probe
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer, Weights
from bastion_core.tests.exhaustive import compared, models
from bastion_core.tests.judged import judged
from bastion_site.engine.process import resident_bytes
from demo.models import nautilus_helm
from e2e.bench_assemble import assembling
from e2e.bench_finish import finishing
from e2e.bench_floor import floor
from e2e.browser import chromium, page_of
from e2e.shots import running, wait_until_idle

ROOT = Path(__file__).resolve().parent.parent
SIZES = {"0.1 M": 0.33, "0.5 M": 1.67, "1 M": 3.35}
REST_S = 25.0
_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def seconds(work: Callable[[], object], runs: int = 3) -> float:
    """Median time of a few runs."""
    taken = []
    for _ in range(runs):
        gc.collect()
        begin = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begin)
    return statistics.median(taken)


def bare_read(path: Path) -> Mesh:
    """What anybody would write with numpy alone."""
    return weld_equal(np.fromfile(path, dtype=_RECORD, offset=84)["corners"])


def bare_solid(mesh: Mesh) -> Manifold:
    return Manifold(ManifoldMesh(mesh.vertices.astype(np.float32), mesh.faces.astype(np.uint32)))


def geometry(folder: Path) -> list[list[str]]:
    """Rows: mesh, our layers against trimesh, our split against manifold3d, file to sound solid against read and constructor."""
    rows = []
    for name, detail in SIZES.items():
        path = folder / "helm.stl"
        write_binary_stl(nautilus_helm(detail), path)
        mesh = read_mesh(path).mesh
        ours = seconds(lambda m=mesh: layer_sections(m, 0.2))
        # All layers would take minutes: one in ten, and ten times the time.
        other = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
        low, high = mesh.bounds[:, 2]
        heights = np.arange(0.1, high - low, 2.0)
        section = seconds(lambda o=other, z=low, h=heights: o.section_multiplane([0, 0, z], [0, 0, 1], h), 1) * 10
        solid = Solid.from_mesh(mesh)
        plane = Plane.through(mesh.bounds.mean(axis=0), np.array([0.1, 1.0, 0.2]))

        def split(s=solid, p=plane) -> None:
            above, below = s.split(p)
            _ = above.volume, below.volume

        def bare_split(s=solid, p=plane) -> None:
            above, below = s.manifold.split_by_plane(p.normal, p.offset_mm)
            _ = above.volume(), below.volume()

        ratio_split = seconds(split, 5) / seconds(bare_split, 5)
        sound = seconds(lambda p=path: make_sound(read_mesh(p).mesh))
        bare = seconds(lambda p=path: bare_solid(bare_read(p)).volume())
        rows.append(
            [
                name,
                f"{mesh.triangle_count:,}",
                f"{section / ours:.0f}×",
                f"{ratio_split:.2f}",
                f"{sound / bare:.2f}",
                f"{ours:.2f} s / {section:.1f} s",
                f"{sound:.2f} s / {bare:.2f} s",
            ]
        )
        print(rows[-1], flush=True)
    return rows


def whole_plan(folder: Path) -> tuple[float, float, dict]:
    """Seconds, peak GB and totals of ``plan`` on a helmet of half a million triangles for a small printer."""
    model, wearer = folder / "helm.stl", folder / "wearer.json"
    write_binary_stl(nautilus_helm(SIZES["0.5 M"]), model)
    measured = {"head_breadth_mm": 154, "head_length_mm": 199, "chin_to_crown_mm": 230, "stature_mm": 1756}
    wearer.write_text(json.dumps({"name": "Bench", "measurements": measured}))
    begin = time.perf_counter()
    command = [sys.executable, "-m", "bastion_core", "plan", model, "--out", folder / "out", "--site", "head", "--wearer", wearer]
    subprocess.run([str(c) for c in [*command, "--printer", "Gull:220x220x250"]], cwd=ROOT, check=True)
    taken = time.perf_counter() - begin
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
    return taken, peak, json.loads((folder / "out" / "plan.json").read_text("utf-8"))["totals"]


def worn() -> dict[str, str]:
    """A helmet of half a million triangles on a stand-in head: room, whole answer, another scale off the curve."""
    wearer = Wearer(
        "Bench", "female", 63.0, {"stature_mm": 1684.0, "head_breadth_mm": 149.0, "head_length_mm": 190.0, "head_circumference_mm": 560.0}
    )
    helm = nautilus_helm(SIZES["0.5 M"])
    scale = (1.07, 1.07, 1.07)
    question = Question("head", wearer=wearer, layers=(Layer("pad", 8.0),), bays=(parse_bay("board on a carrier"),), scale=scale)
    body = seconds(lambda: stand_in(wearer))
    begin = time.perf_counter()
    fitting = Fitting(helm, question)
    answer = fitting.answer()
    whole = time.perf_counter() - begin
    room = seconds(lambda: room_of(helm, answer.placed, fitting.skin, question.layers, True, True))
    skin = answer.placed.to_piece(fitting.skin.points)
    bare = seconds(lambda: igl.signed_distance(skin, helm.vertices, helm.faces, sign_type=igl.SIGNED_DISTANCE_TYPE_FAST_WINDING_NUMBER), 1)
    read = seconds(lambda: from_curve(answer.curve, 1.1, 2.0, answer.padding))
    return {
        "stand-in body": f"{body:.2f} s (wanted under 1.5 s)",
        f"room map of {len(skin):,} points on the 0.5 M helmet, warm": f"{room:.2f} s (wanted under 3 s), {bare / room:.0f}× as fast as igl's signed distance alone ({bare:.2f} s)",
        "whole answer on it (room, scale, way in, bays, sight, curves)": f"{whole:.1f} s (wanted under 8 s)",
        "another scale and padding off the curve": f"{1000 * read:.2f} ms (wanted under 200 ms)",
    }


def printed() -> dict[str, str]:
    """The estimate of a part of half a million triangles, and the quick judge beside it on two hundred parts."""
    solid, profile, printer = Solid.from_mesh(nautilus_helm(SIZES["0.5 M"])), Profile(), Printer("Gull", 400, 400, 400)
    whole = seconds(lambda: estimate(shape_of(solid, profile), profile, printer), 1)
    probe = seconds(lambda: Probe(solid.mesh()), 1)
    pairs, each = judged(14, 3, profile, printer)
    ranks = [
        spearmanr([getattr(q, n) for q, _ in pairs], [getattr(e, n) for _, e in pairs]).statistic
        for n in ("hours", "filament_g", "support_g")
    ]
    return {
        "estimate of a part of 0.5 M, branching supports": f"{whole:.1f} s",
        "quick judge: made ready for it": f"{probe:.2f} s",
        f"quick judge of {len(pairs)} parts": f"{1000 * each:.2f} ms each (wanted 1 ms); rank correlation with the full estimate "
        f"{ranks[0]:.3f} hours, {ranks[1]:.3f} grams, {ranks[2]:.3f} support (wanted 0.95)",
    }


def planned() -> dict[str, str]:
    """Plans for a helmet of half a million triangles on two small beds."""
    solid = Solid.from_mesh(nautilus_helm(SIZES["0.5 M"]))
    beds = (Printer("Gull", 220, 220, 250, 5, True, 70, 1000), Printer("Tern", 250, 210, 220, 5, False, 220, 8000))
    begin = time.perf_counter()
    found = find_plans(solid, beds, (1.0, 1.0, 1.0), Weights(), surface_of(solid))
    taken = time.perf_counter() - begin
    best = found[0]
    return {
        f"plans for it on two small beds, {len(found)} of them, all carried out": f"{taken:.1f} s (wanted under 60 s); the best "
        f"{best.parts} parts, {best.hours:.1f} h, {best.filament_g:.0f} g (wanted under 22 h and 900 g)",
    }


def searched() -> dict[str, str]:
    """The plan for the fewest hours beside every cut there is on a grid, by the same quick judge: ten models."""
    told = {}
    for name, (solid, beds, step_mm, deep) in models().items():
        one = compared(name, solid, beds, step_mm, deep)
        told[f"fewest hours, {name}"] = (
            f"{one.hours:.1f} h in {one.parts} parts; the best of all cuts {step_mm:.0f} mm apart, {deep} deep, {one.best_h:.1f} h: "
            f"{one.hours / one.best_h:.2f} (wanted at most 1.05)"
        )
    return told


def pages(folder: Path) -> dict[str, str]:
    """First paint of the Wall, change of station, JavaScript of the first page, second start: on the demo."""
    told = {}
    with running(folder / "data") as address, chromium() as browser:
        wait_until_idle(address)
        for pieces, of in ((0, ""), (60, ", 60 pieces")):
            if pieces:
                _copied_to(pieces, folder / "data" / "bastion.sqlite3")
            shown, size = _opened(browser, address)
            told |= {f"{what}{of}": value for what, value in shown.items()}
            if not pieces:
                told["first page, all of it as sent"] = f"{size / 1000:.0f} kB (wanted under 350 kB)"
        told["memory at rest, supervisor with web server and workers"] = f"{_at_rest_mb():.0f} MB"
    return told


def _copied_to(pieces: int, database: Path) -> None:
    """Copy the demo's pieces in their rows until there are so many: all is computed already."""
    with sqlite3.connect(database) as rows:
        names = [r[1] for r in rows.execute("pragma table_info(builds_piece)") if r[1] not in ("id", "name")]
        kept = ", ".join(names)
        there = rows.execute("select count(*) from builds_piece").fetchone()[0]
        for k in range(pieces - there):
            rows.execute(
                f"insert into builds_piece (name, {kept}) select name || ' {k}', {kept} from builds_piece where id = ?", (1 + k % there,)
            )


def _opened(browser, address: str) -> tuple[dict[str, str], int]:
    """Medians of opening the Wall and of going on to a station; and what the first page takes, in bytes as sent."""
    paints, changes, size = [], [], 0
    for _ in range(3):
        page = page_of(browser)
        begin = time.perf_counter()
        page.goto(f"{address}/build/1")
        page.get_by_role("rowheader").first.wait_for()
        paints.append(time.perf_counter() - begin)
        page.wait_for_load_state("networkidle")
        size = page.evaluate(
            "performance.getEntriesByType('resource').concat(performance.getEntriesByType('navigation')).reduce((s, e) => s + e.encodedBodySize, 0)"
        )
        page.get_by_role("link", name=re.compile("^Nautilus helm, Join")).first.click()
        page.get_by_role("figure").first.wait_for()
        begin = time.perf_counter()
        page.keyboard.press("ArrowRight")
        page.get_by_role("list", name="Parts as they lie").wait_for()
        changes.append(time.perf_counter() - begin)
        page.context.close()
    told = {
        "Wall, address to rows shown": f"{statistics.median(paints):.2f} s (wanted under 1.2 s)",
        "change of station": f"{statistics.median(changes):.2f} s (wanted under 0.35 s)",
    }
    return told, size


def _at_rest_mb() -> float:
    """What the application holds once nobody has asked for anything for a while (MB)."""
    time.sleep(REST_S)
    ours = [p for p in Path("/proc").glob("[0-9]*") if _is_ours(p)]
    return sum(resident_bytes(int(p.name)) for p in ours) / 1e6


def _is_ours(process: Path) -> bool:
    try:
        said = (process / "cmdline").read_bytes()
    except OSError:
        return False
    return b"run_all" in said or b"gunicorn" in said or b"db_worker" in said or b"spawn_main" in said


def many() -> dict[str, str]:
    """A build of four hundred pieces: its Wall, and one measurement that concerns them all."""
    done = subprocess.run([sys.executable, "-m", "e2e.many"], cwd=ROOT, check=True, capture_output=True, text=True)
    told = json.loads(done.stdout)
    return {
        "Wall of 400 pieces, answered": f"{told['wall_s']:.2f} s and {told['sent_kb']:.0f} kB as sent (wanted under 1 s)",
        "one measurement of whoever wears all 400, answered": f"{told['measured_s']:.2f} s; they are computed behind it",
    }


def seams() -> dict[str, str]:
    """All joints of a helmet in six parts, and one place tried while the hand moves."""
    solid = Solid.from_mesh(nautilus_helm(1.5))
    middle = solid.bounds.mean(axis=0)
    cuts = [
        Cut(f"c{k}", three(np.add(middle, (0, 0, up))), normal)
        for k, (up, normal) in enumerate(((40, (0, 0, 1)), (-50, (0, 0, 1)), (0, (0, 1, 0))))
    ]
    parting = part_solid(solid, cuts, (1.0, 1.0, 1.0), "helm")
    told = {}
    for kind in ("auto", "key", "insert"):
        begin = time.perf_counter()
        made = join(parting, JoinRule(PinRule(), (Held("", kind),)), whole=solid, cuts=[c.id for c in cuts])
        triangles = sum(p.solid.triangle_count for p in made.parts)
        wanted = " (wanted under 8 s)" if kind == "auto" else ""
        what = f"all {len(made.joints)} seams of a helmet of {solid.triangle_count / 1e6:.1f} M triangles in {len(made.parts)} parts, {KINDS[kind]}"
        told[what] = f"{time.perf_counter() - begin:.1f} s{wanted}, {triangles / 1e6:.1f} M triangles after it"
    seam, by_name = parting.seams[0], {p.name: p.solid for p in parting.parts}
    room = SeamRoom(seam, by_name[seam.above], by_name[seam.below])
    room.places(Footprint(0.9, 4.0), 0.6)
    begin = time.perf_counter()
    places = room.places(Footprint(0.8, 4.0), 0.6)
    if not places.is_empty:
        nearest_points(places, Point(60.0, 20.0))
    told["a pin of another thickness tried elsewhere, the seam known"] = f"{time.perf_counter() - begin:.2f} s (wanted under 0.3 s)"
    whole, rule = solid.mesh(), JoinRule(PinRule())
    held = Held("", "lug")
    place_inside(seam, held, load_for(held, rule), whole, InsideRoom.none(), (), "pla", np.array([[60.0, 20.0]]))
    begin = time.perf_counter()
    for k in range(10):
        place_inside(seam, held, load_for(held, rule), whole, InsideRoom.none(), (), "pla", np.array([[60.0, 5.0 * k]]))
    told["a lug tried elsewhere, the piece known"] = f"{(time.perf_counter() - begin) / 10:.2f} s (wanted under 0.3 s)"
    return told


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", action="store_true", help="write docs/bench.md")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        rows = geometry(folder)
        taken, peak, totals = whole_plan(folder)
        shown = worn() | printed() | planned() | pages(folder) | many() | searched() | seams() | assembling() | finishing() | floor()
    lines = [
        "# Speed",
        "",
        "Made by `./bastion bench --write`; medians of three runs on a shared two-core machine. Ratios are from the same run and hold better than seconds.",
        "",
        "| mesh | triangles | layers: times as fast as `trimesh.section_multiplane` (wanted ≥ 20) | split: time over bare manifold3d (≤ 1.3) | file to sound solid: time over numpy read + constructor (≤ 1.5) | layers: ours / trimesh | file to solid: ours / bare |",
        "|---|---|---|---|---|---|---|",
        *("| " + " | ".join(r) + " |" for r in rows),
        "",
        "trimesh's sections are timed on every tenth layer and multiplied by ten.",
        "",
        f"- `plan` of the 0.5 M helmet for a 220 × 220 × 250 printer ({totals['parts']} parts): {taken:.1f} s, peak {peak:.2f} GB (wanted under 25 s and 1.5 GB)",
        *(f"- {what}: {value}" for what, value in shown.items()),
    ]
    text = "\n".join(lines) + "\n"
    print(text)
    if options.write:
        (ROOT / "docs" / "bench.md").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
