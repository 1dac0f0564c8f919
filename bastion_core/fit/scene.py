"""A fit as a scene for the stage: the body with its room, the piece, what lies inside, the tight ring."""

from pathlib import Path

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from bastion_core.errors import MeshProblem
from bastion_core.fit.answer import Answer, Fitting
from bastion_core.fit.room import Room
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid

_PIECE_TRIANGLES = 50_000
_NEAR_MM = 8.0
FAR_MM = 40.0
"""Room is told up to so much; beyond lies open air."""


def write_scene(fitting: Fitting, answer: Answer, path: Path) -> None:
    """One GLB in the body's millimetres, about the piece's middle: nodes ``body``, ``piece``, ``bay-1`` …, ``ring``.

    The body's vertices carry their room (mm, at most FAR_MM) as the attribute ``_ROOM``.
    """
    placed = answer.placed
    piece = simplified(fitting.piece, _PIECE_TRIANGLES)
    low, high = answer.box
    middle = answer.box.mean(axis=0)
    scene = trimesh.Scene()
    whole = fitting.body.around or fitting.body.mesh
    body = _near(whole, low - 90, high + 90)
    room = _room_at(answer.room, body)
    shown = trimesh.Trimesh(body.vertices - middle, body.faces, process=False, validate=False)
    shown.vertex_attributes["_ROOM"] = room.astype(np.float32)
    scene.add_geometry(shown, node_name="body", geom_name="body")
    scene.add_geometry(_plain(Mesh(placed.to_body(piece.vertices) - middle, piece.faces)), node_name="piece", geom_name="piece")
    for index, bay in enumerate(answer.bays, start=1):
        frame = np.eye(4)
        frame[:3, :3] = np.array(bay.axes).T
        frame[:3, 3] = np.array(bay.centre_mm) - middle
        x, _, z = bay.size_mm
        shape = trimesh.creation.cylinder(x / 2, z, transform=frame) if bay.round else trimesh.creation.box(bay.size_mm, transform=frame)
        scene.add_geometry(shape, node_name=f"bay-{index}", geom_name=f"bay-{index}")
    ring = answer.way_in.ring
    if ring is not None:
        z = float(low[2] + ring.at_mm - middle[2])
        outline = np.array(ring.outline_mm)
        centre = fitting.body.centre[:2] - (outline.max(axis=0) + outline.min(axis=0)) / 2 - middle[:2]
        scene.add_geometry(_plain(_ribbon(outline + centre, z, 5.0)), node_name="ring", geom_name="ring")
    path.write_bytes(scene.export(file_type="glb"))


def _plain(mesh: Mesh) -> trimesh.Trimesh:
    return trimesh.Trimesh(mesh.vertices, mesh.faces, process=False, validate=False)


def _near(mesh: Mesh, low: Floats, high: Floats) -> Mesh:
    """The part of a body within a box, its edges cut clean: closed by flat faces where the body is closed, else open."""
    try:
        return _with_sharp_ends(Solid.from_mesh(mesh).within(low, high).mesh(), low, high)
    except MeshProblem:
        normals = np.concatenate([np.eye(3), -np.eye(3)])
        origins = np.concatenate([np.tile(low, (3, 1)), np.tile(high, (3, 1))])
        cut = trimesh.intersections.slice_mesh_plane(_plain(mesh), normals, origins)
        return Mesh(np.asarray(cut.vertices, dtype=np.float64), np.asarray(cut.faces, dtype=np.int64))


def _with_sharp_ends(mesh: Mesh, low: Floats, high: Floats) -> Mesh:
    """The flat ends at the sides of a box get corners of their own, so that they are shaded flat and the skin as skin."""
    corners = mesh.vertices[mesh.faces]
    at_low, at_high = (np.asarray(np.all(np.isclose(corners, side, atol=1e-3), axis=1)) for side in (low, high))
    flat = np.any(at_low | at_high, axis=1)
    used, own = np.unique(mesh.faces[flat], return_inverse=True)
    faces = mesh.faces.copy()
    faces[flat] = len(mesh.vertices) + own.reshape(-1, 3)
    return Mesh(np.concatenate([mesh.vertices, mesh.vertices[used]]), faces)


def _room_at(judged: Room, body: Mesh) -> Floats:
    """(n,): room at each corner of the shown body as it was judged at the nearest points of the skin; FAR_MM where nothing was.

    Nothing is measured anew for the picture: what is painted tightest is what the verdict names.
    """
    known = np.flatnonzero(np.isfinite(judged.counted))
    painted = np.full(len(body.vertices), FAR_MM)
    if not len(known) or not len(body.vertices):
        return painted
    points, room_mm = judged.skin.points[known], judged.counted[known]
    distance, nearest = cKDTree(points).query(body.vertices, distance_upper_bound=_NEAR_MM)
    near = np.isfinite(distance)
    painted[near] = room_mm[nearest[near]]
    # Points lie between corners: each is painted somewhere, so that the tightest is never lost.
    _, corner = cKDTree(body.vertices).query(points)
    np.minimum.at(painted, corner, room_mm)
    return np.clip(painted, -FAR_MM, FAR_MM)


def _ribbon(outline: Floats, z: float, height: float) -> Mesh:
    """A closed band through flat points (n, 2) at a height."""
    n = len(outline)
    low = np.column_stack([outline, np.full(n, z - height / 2)])
    high = np.column_stack([outline, np.full(n, z + height / 2)])
    a = np.arange(n)
    b = (a + 1) % n
    faces = np.concatenate([np.stack([a, b, b + n], 1), np.stack([a, b + n, a + n], 1)])
    return Mesh(np.concatenate([low, high]), np.concatenate([faces, faces[:, ::-1]]).astype(np.int64))
