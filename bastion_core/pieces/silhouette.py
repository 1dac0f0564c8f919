"""The outline of a piece as a small drawing: what stands for it on the Wall and on paper."""

import re

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType
from shapely.geometry.base import BaseGeometry

from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid, polygons_of

FRONT = np.array([[1.0, 0, 0, 0], [0, 0, 1.0, 0], [0, -1.0, 0, 0], [0, 0, 0, 1]])
"""Looking from the front (from -y): x to the right, z upward."""
SIDE = np.array([[0, -1.0, 0, 0], [0, 0, 1.0, 0], [-1.0, 0, 0, 0], [0, 0, 0, 1]])
"""Looking from the wearer's right (from -x): the front to the right, z upward."""


def silhouette(solid: Solid, view: np.ndarray = FRONT) -> str:
    """SVG path of the shadow, in millimetres, y downward as SVG has it."""
    return svg_path(solid.transformed(view).outline().simplify(float(solid.size.max()) / 400))


def svg_path(shape: BaseGeometry, digits: int = 1) -> str:
    """A shapely (multi)polygon as an SVG path with holes, y turned downward."""
    polygons = getattr(shape, "geoms", [shape])
    rings = [ring for p in polygons if p.geom_type == "Polygon" and not p.is_empty for ring in (p.exterior, *p.interiors)]
    return " ".join("M" + "L".join(f"{x:.{digits}f},{-y:.{digits}f}" for x, y in ring.coords[:-1]) + "Z" for ring in rings)


def mirrored_path(path: str) -> str:
    """An SVG path of ``svg_path``, left and right changed over.

    >>> mirrored_path("M1.0,2.0L-3.0,0.0Z")
    'M-1.0,2.0L3.0,0.0Z'
    """
    return re.sub(r"([ML])(-?)", lambda m: m[1] + ("" if m[2] else "-"), path)


def cloud_outline(mesh: Mesh, side: bool) -> str:
    """SVG path of any mesh's shadow, sound or not, from the front or from the right: its triangles united after thinning."""
    thin = simplified(mesh, 6000)
    flat = np.column_stack([-thin.vertices[:, 1] if side else thin.vertices[:, 0], thin.vertices[:, 2]])
    triangles = flat[thin.faces]
    (ab, ac) = (triangles[:, k] - triangles[:, 0] for k in (1, 2))
    twice = ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0]
    # All wound one way, so that what overlaps is filled and not cut out.
    triangles[twice < 0] = triangles[twice < 0][:, ::-1]
    shadow = CrossSection(list(triangles[np.abs(twice) > 2e-6]), FillRule.Positive).offset(0.4, JoinType.Miter)
    return svg_path(polygons_of(shadow).simplify(float(mesh.size.max()) / 400))
