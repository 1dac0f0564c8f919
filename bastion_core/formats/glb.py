"""GLB for the stage: light, compact, never used to compute anything."""

from pathlib import Path

import fast_simplification
import numpy as np
import trimesh

from bastion_core.geometry.mesh import Floats, Mesh


def simplified(mesh: Mesh, most_triangles: int) -> Mesh:
    """``mesh`` with about ``most_triangles`` at most; the same mesh when it has no more."""
    if mesh.triangle_count <= most_triangles:
        return mesh
    points, faces = fast_simplification.simplify(
        mesh.vertices.astype(np.float32), mesh.faces.astype(np.int32), target_count=most_triangles, agg=6
    )
    return Mesh(points.astype(np.float64), faces.astype(np.int64))


def write_glb(meshes: dict[str, Mesh], path: Path, depths: dict[str, Floats] | None = None) -> None:
    """One GLB with a named node per mesh, in millimetres. ``depths`` (n,) of some of them stand at their corners as the attribute ``_DEPTH``."""
    scene = trimesh.Scene()
    for name, mesh in meshes.items():
        shown = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
        if depths and name in depths:
            shown.vertex_attributes["_DEPTH"] = depths[name].astype(np.float32)
        scene.add_geometry(shown, node_name=name, geom_name=name)
    path.write_bytes(scene.export(file_type="glb"))
