"""Bodies with known answers, and the models of others, for all tests of the core."""

from pathlib import Path

from manifold3d import Manifold

from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.mesh import Mesh
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


def reference(path: Path) -> Mesh:
    """A model of others as it stands in its file."""
    return read_mesh(path).mesh


def person(breadth: float = 154, length: float = 199, stature: float = 1756) -> Wearer:
    """A wearer with a head of that size; defaults are the 2012 US Army survey's means for men (from memory)."""
    measured = {"head_breadth_mm": breadth, "head_length_mm": length, "stature_mm": stature, "chin_to_crown_mm": 230.0}
    return Wearer("Test wearer", None, None, {k: float(v) for k, v in measured.items()})
