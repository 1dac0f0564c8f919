"""Sound solids. Few verbs, each giving back a sound solid or saying why not."""

from collections.abc import Iterable, Sequence

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold, OpType
from manifold3d import Mesh as ManifoldMesh
from shapely import Polygon, make_valid, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.errors import MeshProblem
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import Plane

_SPECK_MM3 = 1e-6


class Solid:
    """A closed body with an inside, held as a live Manifold (never rebuilt between operations)."""

    def __init__(self, manifold: Manifold) -> None:
        self.manifold = manifold

    @classmethod
    def from_mesh(cls, mesh: Mesh) -> "Solid":
        """The solid bounded by ``mesh``; MeshProblem when its surface is not closed."""
        solid = Manifold(
            ManifoldMesh(np.ascontiguousarray(mesh.vertices, dtype=np.float32), np.ascontiguousarray(mesh.faces, dtype=np.uint32))
        )
        if solid.status().name != "NoError":
            raise MeshProblem(
                f"The surface is not closed ({solid.status().name}), so it has no inside. Mend it first, or export it again as one closed body."
            )
        return cls(solid)

    def mesh(self) -> Mesh:
        """The surface as arrays."""
        raw = self.manifold.to_mesh()
        return Mesh(np.asarray(raw.vert_properties[:, :3], dtype=np.float64), np.asarray(raw.tri_verts, dtype=np.int64))

    @property
    def volume(self) -> float:
        return float(self.manifold.volume())

    @property
    def is_empty(self) -> bool:
        return bool(self.manifold.is_empty())

    @property
    def triangle_count(self) -> int:
        return int(self.manifold.num_tri())

    @property
    def bounds(self) -> Floats:
        """(2, 3): least and greatest corner."""
        return np.array(self.manifold.bounding_box(), dtype=np.float64).reshape(2, 3)

    @property
    def size(self) -> Floats:
        box = self.bounds
        return np.asarray(box[1] - box[0])

    def transformed(self, matrix: Floats) -> "Solid":
        """Moved, turned, stretched or mirrored by a 4x4 matrix."""
        return Solid(self.manifold.transform(np.ascontiguousarray(matrix[:3, :4], dtype=np.float64)))

    def split(self, plane: Plane) -> tuple["Solid", "Solid"]:
        """The part above the plane (along its normal) and the part below."""
        above, below = self.manifold.split_by_plane(plane.normal, plane.offset_mm)
        return Solid(above), Solid(below)

    def within(self, low: Floats, high: Floats) -> "Solid":
        """The part of it inside the upright box between two corners (3,)."""
        box = Manifold.cube([float(v) for v in high - low]).translate([float(v) for v in low])
        return Solid(self.manifold ^ box)

    def bodies(self) -> list["Solid"]:
        """The separate bodies, largest first; a closed void inside a body stays with it."""
        # Closed specks that rounding leaves where surfaces cross at a hair's breadth are neither bodies nor voids.
        shells = sorted((s for m in self.manifold.decompose() if abs((s := Solid(m)).volume) > _SPECK_MM3), key=lambda s: -s.volume)
        solid = [s for s in shells if s.volume > 0]
        owned: dict[int, list[Solid]] = {}
        for void in shells[len(solid) :]:
            box = void.bounds
            # The smallest body round the void is its owner; a void nobody holds is dropped.
            for index in reversed(range(len(solid))):
                outer = solid[index].bounds
                if (outer[0] <= box[0] + 1e-4).all() and (outer[1] >= box[1] - 1e-4).all():
                    owned.setdefault(index, []).append(void)
                    break
        return [body.minus([void.turned() for void in owned[i]]) if i in owned else body for i, body in enumerate(solid)]

    def turned(self) -> "Solid":
        """The same surface facing the other way: a void becomes the body that would fill it."""
        mesh = self.mesh()
        return Solid.from_mesh(Mesh(mesh.vertices, np.ascontiguousarray(mesh.faces[:, ::-1])))

    def minus(self, tools: Sequence["Solid"]) -> "Solid":
        """This solid with ``tools`` carved out of it, in one go."""
        if not tools:
            return self
        return Solid(Manifold.batch_boolean([self.manifold, *(t.manifold for t in tools)], OpType.Subtract))

    def plus(self, others: Sequence["Solid"]) -> "Solid":
        """This solid with ``others`` grown on, in one go."""
        return united((self, *others)) if others else self

    def common(self, other: "Solid") -> "Solid":
        """What both fill."""
        return Solid(self.manifold ^ other.manifold)

    def section(self, height_mm: float) -> BaseGeometry:
        """The filled section at z = ``height_mm`` as a shapely (multi)polygon."""
        return polygons_of(self.manifold.slice(height_mm))

    def outline(self) -> BaseGeometry:
        """The shadow on the xy plane as a shapely (multi)polygon."""
        return polygons_of(self.manifold.project())

    @classmethod
    def cylinder(cls, radius_mm: float, length_mm: float, segments: int = 40) -> "Solid":
        """A cylinder about z, centred on the origin, whose flats never come nearer than the radius."""
        circumscribed = radius_mm / np.cos(np.pi / segments)
        return cls(Manifold.cylinder(length_mm, circumscribed, circumscribed, segments, True))


def prism(face: BaseGeometry, low_mm: float, high_mm: float) -> Solid:
    """A flat (multi)polygon as thick as from one height to another; empty where it has no area."""
    rings = [
        np.array(r.coords[:-1]) for p in getattr(face, "geoms", [face]) if p.geom_type == "Polygon" for r in (p.exterior, *p.interiors)
    ]
    if not rings or high_mm <= low_mm:
        return Solid(Manifold())
    return Solid(CrossSection(rings, FillRule.EvenOdd).extrude(high_mm - low_mm).translate([0.0, 0.0, low_mm]))


def slab(face: BaseGeometry, low_mm: float, high_mm: float, into: int) -> Solid:
    """A prism counted from the plane z = 0 upward (1) or downward (-1)."""
    return prism(face, low_mm, high_mm) if into > 0 else prism(face, -high_mm, -low_mm)


def hull_solid(points: Floats) -> Solid:
    """The convex body round points (n, 3)."""
    return Solid(Manifold.hull_points(np.ascontiguousarray(points, dtype=np.float64)))


def united(solids: Iterable[Solid]) -> Solid:
    """All solids as one, overlaps counted once."""
    return Solid(Manifold.batch_boolean([s.manifold for s in solids], OpType.Add))


def polygons_of(section: CrossSection) -> BaseGeometry:
    """A manifold3d cross section as shapely polygons with their holes."""
    shells: list[BaseGeometry] = []
    holes: list[BaseGeometry] = []
    for ring in section.to_polygons():
        if len(ring) < 3:
            continue
        polygon = Polygon(ring)
        x, y = ring[:, 0], ring[:, 1]
        signed = float(np.dot(x, np.roll(y, -1)) - np.dot(np.roll(x, -1), y))
        (shells if signed > 0 else holes).append(polygon if polygon.is_valid else make_valid(polygon))
    filled = unary_union(shells)
    return filled.difference(unary_union(holes)) if holes else filled
