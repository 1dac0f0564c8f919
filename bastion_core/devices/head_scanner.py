"""A phone's head scan that is not there: a known head, noisy, holed, in an unknown unit and pose, with bits floating about."""

import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.geometry.mesh import Mesh
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.units import MM_PER_UNIT


def scan_head(wearer: Wearer, unit: str = "m", seed: int = 1, noise_mm: float = 0.4, upset: bool = True) -> Mesh:
    """The wearer's head and shoulders as such a scan, in ``unit``; ``upset`` turns it any way up."""
    rng = np.random.default_rng(seed)
    body = stand_in(wearer)
    low = body.chin_mm - 70.0
    v = body.mesh.vertices
    inside = (v[body.mesh.faces][:, :, 2] > low).all(axis=1)
    # Arms held away reach no higher than the shoulders: what is left is one bust.
    faces = body.mesh.faces[inside]
    # Twice as fine as the stand-in, as scans are.
    vertices, faces = _split(v, faces)
    vertices = vertices + rng.normal(0.0, noise_mm, vertices.shape)
    middle = vertices[faces].mean(axis=1)
    for _ in range(6):
        hole = middle[rng.integers(len(middle))]
        keep = np.linalg.norm(middle - hole, axis=1) > rng.uniform(3, 7)
        faces, middle = faces[keep], middle[keep]
    bits, bit_faces = [vertices], [faces]
    for _ in range(5):
        at = vertices[faces[:, 0]].mean(axis=0) + rng.normal(0, 160, 3)
        bit_faces.append(np.array([[0, 1, 2], [0, 2, 3], [0, 3, 1], [1, 3, 2]]) + sum(len(b) for b in bits))
        bits.append(at + rng.normal(0, 4, (4, 3)))
    points, faces = np.concatenate(bits), np.concatenate(bit_faces)
    if upset:
        points = points @ Rotation.random(random_state=seed).as_matrix().T + rng.normal(0, 300, 3)
    used, faces = np.unique(faces, return_inverse=True)
    return Mesh(points[used] / MM_PER_UNIT[unit], faces.reshape(-1, 3).astype(np.int64))


def _split(vertices: np.ndarray, faces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Every triangle in four."""
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    unique, index = np.unique(edges, axis=0, return_inverse=True)
    middle = vertices[unique].mean(axis=1)
    ab, bc, ca = index.reshape(3, -1) + len(vertices)
    a, b, c = faces.T
    four = np.concatenate([np.stack(t, -1) for t in ((a, ab, ca), (b, bc, ab), (c, ca, bc), (ab, bc, ca))])
    return np.concatenate([vertices, middle]), four
