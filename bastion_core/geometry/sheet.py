"""Solids from formulas: what lies between two surfaces."""

from collections.abc import Callable

import numpy as np

from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.solid import Solid

Surface = Callable[[Floats, Floats], Floats]
"""Parameters u, v (n,) in 0..1 to points (n, 3)."""


def closed_sheet(outer: Surface, inner: Surface, across: int, along: int, round_about: bool, crown: bool) -> Solid:
    """A solid between two surfaces on the same grid.

    ``round_about`` joins u = 0 to u = 1; ``crown`` lets v = 0 be one point. Rims are closed with a strip each.
    """
    columns = across if round_about else across + 1
    u = np.arange(columns) / across
    v = np.arange(along + 1) / along
    grid_u, grid_v = np.meshgrid(u, v)
    sheets = [surface(grid_u.ravel(), grid_v.ravel()).reshape(along + 1, columns, 3) for surface in (outer, inner)]
    points = np.concatenate([s.reshape(-1, 3) for s in sheets])
    size = (along + 1) * columns
    index = np.arange(size).reshape(along + 1, columns)
    if crown:
        index = index.copy()
        index[0, :] = index[0, 0]
    following = np.roll(index, -1, axis=1) if round_about else index[:, 1:]
    here = index if round_about else index[:, :-1]
    a, b, c, d = here[:-1], following[:-1], following[1:], here[1:]
    top = np.concatenate([np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3)])
    faces = [top, top[:, ::-1] + size]

    def strip(ring: Ints, closed: bool) -> None:
        onward = np.roll(ring, -1) if closed else ring[1:]
        at = ring if closed else ring[:-1]
        faces.append(np.stack([at, at + size, onward + size], -1))
        faces.append(np.stack([at, onward + size, onward], -1))

    strip(index[-1, :], round_about)
    if not crown:
        strip(index[0, ::-1], round_about)
    if not round_about:
        strip(index[::-1, -1], False)
        strip(index[:, 0], False)
    joined = np.concatenate(faces)
    joined = joined[(joined[:, 0] != joined[:, 1]) & (joined[:, 1] != joined[:, 2]) & (joined[:, 2] != joined[:, 0])]
    used, compact = np.unique(joined, return_inverse=True)
    mesh = Mesh(points[used], compact.reshape(-1, 3).astype(np.int64))
    return Solid.from_mesh(mesh if mesh.volume > 0 else Mesh(mesh.vertices, np.ascontiguousarray(mesh.faces[:, ::-1])))
