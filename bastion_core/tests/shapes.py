"""Bodies with known answers, and the models of others, for all tests of the core."""

from pathlib import Path

import igl
import numpy as np
from manifold3d import Manifold

from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.sheet import Surface, closed_sheet
from bastion_core.geometry.solid import Solid
from bastion_core.measure.wearer import Wearer

DATA = Path(__file__).parent / "data"
FEMALE, MALE = DATA / "anny_clad_female_average.stl", DATA / "makehuman_cc0_male_avg.stl"
BUNNY, HINGE, TORN_SPHERE, TEAPOT, BOX_3MF = (
    DATA / name for name in ("npm_bunny.stl", "netgen_hinge.stl", "assimp_sphereWithHole.stl", "npm_teapot.stl", "box.3mf")
)


def box(x: float, y: float, z: float, at: tuple[float, float, float] = (0, 0, 0)) -> Solid:
    """A box standing on z = 0 above ``at``."""
    return Solid(Manifold.cube([x, y, z], True).translate([at[0], at[1], at[2] + z / 2]))


def tube(outer_mm: float, wall_mm: float, height_mm: float, segments: int = 96) -> Solid:
    """An open tube on z = 0."""
    outside = Manifold.cylinder(height_mm, outer_mm, outer_mm, segments)
    return Solid(outside - Manifold.cylinder(height_mm + 2, outer_mm - wall_mm, outer_mm - wall_mm, segments).translate([0, 0, -1]))


def dome(breadth_mm: float, length_mm: float, height_mm: float, wall_mm: float = 6.0, segments: int = 160) -> Solid:
    """A helmet-like cap: half an ellipsoid inside (breadth, length) over a straight skirt, open below."""

    def body(extra: float) -> Manifold:
        cap = Manifold.sphere(1.0, segments).scale([breadth_mm / 2 + extra, length_mm / 2 + extra, height_mm * 0.3 + extra])
        skirt = Manifold.cylinder(height_mm * 0.7, 1, 1, segments).scale([breadth_mm / 2 + extra, length_mm / 2 + extra, 1])
        return (cap.trim_by_plane([0, 0, 1], 0).translate([0, 0, height_mm * 0.7])) + skirt

    return Solid(body(wall_mm) - body(0.0) - Manifold.cube([1000, 1000, 2], True))


def shell_round(body: Mesh, off_mm: float, low_mm: float, high_mm: float = np.inf, wall_mm: float = 4.0, step_mm: float = 4.0) -> Mesh:
    """A shell whose inside lies everywhere ``off_mm`` off a closed body, between two heights: its exact room is known (igl's signed distance)."""
    reach = off_mm + wall_mm + 3 * step_mm
    low = np.maximum(body.bounds[0] - reach, [-np.inf, -np.inf, low_mm - 2 * step_mm])
    high = np.minimum(body.bounds[1] + reach, [np.inf, np.inf, high_mm + 2 * step_mm])
    x, y, z = (np.arange(a, b + step_mm, step_mm) for a, b in zip(low, high, strict=True))
    grid = np.stack(np.meshgrid(z, y, x, indexing="ij"), axis=-1).reshape(-1, 3)[:, ::-1].copy()
    kind = igl.SIGNED_DISTANCE_TYPE_FAST_WINDING_NUMBER
    distance = igl.signed_distance(grid, body.vertices, body.faces, sign_type=kind)[0]
    within = (np.abs(distance - off_mm - wall_mm / 2) - wall_mm / 2).reshape(len(z), -1)
    within[[0, -1]] = np.maximum(within[[0, -1]], step_mm)
    vertices, faces, _ = igl.marching_cubes(within.ravel(), grid, len(x), len(y), len(z), 0.0)
    found = Mesh(np.asarray(vertices, dtype=np.float64), np.asarray(faces, dtype=np.int64))
    if found.volume < 0:
        found = Mesh(found.vertices, found.faces[:, ::-1])
    cut = Solid.from_mesh(found).manifold.trim_by_plane((0, 0, 1), low_mm)
    cut = cut.trim_by_plane((0, 0, -1), -high_mm) if np.isfinite(high_mm) else cut
    return Solid(max(cut.decompose(), key=lambda part: part.volume())).mesh()


def reference(path: Path) -> Mesh:
    """A model of others as it stands in its file."""
    return read_mesh(path).mesh


def person(breadth: float = 154, length: float = 199, stature: float = 1756) -> Wearer:
    """A wearer with a head of that size; defaults are the 2012 US Army survey's means for men (from memory)."""
    measured = {"head_breadth_mm": breadth, "head_length_mm": length, "stature_mm": stature, "chin_to_crown_mm": 230.0}
    return Wearer("Test wearer", None, None, {k: float(v) for k, v in measured.items()})


def plain_helm(detail: float = 0.05) -> Mesh:
    """A plain full helmet: 3.2 mm wall, drawn in toward the neck, an eye slit on either side."""

    def shell(wall: float) -> Surface:
        def points(u: Floats, v: Floats) -> Floats:
            angle = 2 * np.pi * u - np.pi / 2  # u = 0 is the front
            up = np.minimum(v / 0.52, 1.0) * np.pi / 2
            lift = np.sin(up)
            z = np.where(v < 0.52, 148 + (138 + wall) * np.cos(up), 148 * (1 - (v - 0.52) / 0.48))
            draw = np.where(v < 0.52, 1.0, 1 - 0.115 * np.sin((v - 0.52) / 0.48 * np.pi / 2) ** 2)
            x = (87.5 + wall) * lift * draw * np.cos(angle)
            chin = 10 * (1 - z / 292) * (np.sin(angle) < 0) * np.abs(np.sin(angle)) ** 3
            return np.column_stack([x, (110.0 + wall) * lift * draw * np.sin(angle) + 4 - chin, z])

        return points

    made = closed_sheet(shell(3.2), shell(0.0), int(436 * detail**0.5), int(172 * detail**0.5), True, True)
    slit = Manifold.cylinder(120, 11, 11, 48).rotate([90, 0, 0]).translate([0, -20, 0])
    for side in (-1, 1):
        made = made.minus([Solid(Manifold.hull(slit.translate([58 * side, 0, 159]) + slit.translate([8 * side, 0, 152])))])
    return made.mesh()


def plain_bracer(detail: float = 0.3) -> Mesh:
    """A plain left forearm piece, narrower toward the wrist, open at the back by 28 degrees."""

    def sheet(wall: float) -> Surface:
        def points(u: Floats, v: Floats) -> Floats:
            around = np.radians(-90 + 14 + 332 * u)
            radius = 54 - 17 * v + 3 * np.sin(np.pi * v) + wall
            return np.column_stack([1.06 * radius * np.cos(around), radius * np.sin(around), 240 * (1 - v)])

        return points

    return closed_sheet(sheet(3.0), sheet(0.0), int(250 * detail**0.5), int(130 * detail**0.5), False, False).mesh()


def plain_greave(detail: float = 0.1) -> Mesh:
    """A plain left shin piece, closed all round, its ankle drawn in close."""

    def tube_of(wall: float) -> Surface:
        def points(u: Floats, v: Floats) -> Floats:
            around = 2 * np.pi * u - np.pi / 2
            radius = 67 - 16 * v + 9 * np.sin(np.pi * np.clip(v * 1.3, 0, 1)) + 3 * np.clip((v - 0.94) / 0.06, 0, 1) + wall
            y = 1.04 * radius * np.sin(around) + 7 * np.sin(np.pi * v)
            return np.column_stack([0.97 * radius * np.cos(around), y, 372 * (1 - v)])

        return points

    return closed_sheet(tube_of(3.0), tube_of(0.0), int(300 * detail**0.5), int(190 * detail**0.5), True, False).mesh()
