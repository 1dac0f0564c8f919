"""Every layer of a mesh at once: its area, the length of its outline, and the skins it leaves open.

A slicer's numbers without its paths. Each triangle is cut by all the layers it
spans in one vectorised step; the enclosed area is the sum of signed triangles
between the origin and each cut segment (Green's theorem), so no contour has to
be joined up. Works for any closed mesh, holes and several bodies included.
"""

import itertools
from dataclasses import dataclass

import numpy as np

from bastion_core.geometry.mesh import Floats, Mesh

_BLOCK = 800_000
"""Segments worked on at once; keeps the memory of a fine slicing of a large mesh bounded."""


@dataclass(frozen=True)
class Layers:
    """What each layer of a lying part looks like. Arrays are (n,), lowest layer first."""

    height_mm: float
    z_mm: Floats
    """Middle of each layer."""
    area_mm2: Floats
    outline_mm: Floats

    @property
    def count(self) -> int:
        return len(self.z_mm)


def layer_sections(mesh: Mesh, layer_height_mm: float) -> Layers:
    """Area (mm²) and outline length (mm) of every layer from the foot of ``mesh`` upward.

    Layers are cut at half their height, so that flat faces on layer borders are met from neither side.
    """
    bottom, top = float(mesh.bounds[0, 2]), float(mesh.bounds[1, 2])
    count = max(1, int(np.ceil((top - bottom) / layer_height_mm - 1e-6)))
    z: Floats = np.asarray(bottom + (np.arange(count) + 0.5) * layer_height_mm, dtype=np.float64)
    if count == 1:
        z = np.array([(bottom + top) / 2])
    area, outline = sections_at(mesh, z + 1e-7)
    return Layers(layer_height_mm, z, area, outline)


def sections_at(mesh: Mesh, z_mm: Floats) -> tuple[Floats, Floats]:
    """Area and outline length of the sections at evenly or unevenly spaced, ascending heights (n,)."""
    area = np.zeros(len(z_mm))
    outline = np.zeros(len(z_mm))
    height = mesh.vertices[:, 2]
    corner_heights = height[mesh.faces]
    first = np.searchsorted(z_mm, corner_heights.min(axis=1), side="right")
    last = np.searchsorted(z_mm, corner_heights.max(axis=1), side="right")
    spans = last - first
    crossing = np.flatnonzero(spans > 0)
    if not len(crossing):
        return area, outline
    first, spans = first[crossing], spans[crossing]
    # Corners of each face from low to high; an odd swap turns the face round, so remember the sign.
    order = np.argsort(corner_heights[crossing], axis=1, kind="stable")
    turned = np.where(((order[:, 1] - order[:, 0]) % 3) == 1, 1.0, -1.0)
    sorted_faces = np.take_along_axis(mesh.faces[crossing], order, axis=1)
    ends = np.cumsum(spans)
    block_edges = [0]
    while block_edges[-1] < len(spans):
        done = ends[block_edges[-1] - 1] if block_edges[-1] else 0
        block_edges.append(max(block_edges[-1] + 1, int(np.searchsorted(ends, done + _BLOCK, side="right"))))
    for start, stop in itertools.pairwise(block_edges):
        repeats = spans[start:stop]
        which = np.repeat(np.arange(start, stop), repeats)
        offset = np.arange(len(which)) - np.repeat(np.cumsum(repeats) - repeats, repeats)
        layer = first[which] + offset
        cut = z_mm[layer]
        low, middle, high = (mesh.vertices[sorted_faces[start:stop, i]][which - start] for i in range(3))
        # The long edge is always crossed; of the two short ones the one on the layer's side of the middle corner.
        along = (cut - low[:, 2]) / (high[:, 2] - low[:, 2])
        p = low[:, :2] + along[:, None] * (high[:, :2] - low[:, :2])
        below_middle = (cut < middle[:, 2])[:, None]
        a = np.where(below_middle, low, middle)
        b = np.where(below_middle, middle, high)
        rise = b[:, 2] - a[:, 2]
        t = np.divide(cut - a[:, 2], rise, out=np.zeros_like(rise), where=rise > 0)
        q = a[:, :2] + t[:, None] * (b[:, :2] - a[:, :2])
        step = q - p
        cross = (p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]) * turned[which]
        area += np.bincount(layer, weights=cross / 2.0, minlength=len(z_mm))
        outline += np.bincount(layer, weights=np.hypot(step[:, 0], step[:, 1]), minlength=len(z_mm))
    return np.abs(area), outline


def skin_areas(mesh: Mesh, layers: Layers, skin_layers: int, wall_width_mm: float) -> Floats:
    """(n,): how much of each layer has to be filled solid because air lies close above or below it.

    A face seen from above (or below) needs its projected area filled in the ``skin_layers`` layers
    under (over) it. On steep faces the walls already cover what shows: over the height of the
    skin a face of slope s recedes by skin_height / tan(s), and only what goes beyond the walls
    counts.
    """
    vectors = mesh.area_vectors
    projected = np.abs(vectors[:, 2])
    upright = np.hypot(vectors[:, 0], vectors[:, 1])
    skin_height = skin_layers * layers.height_mm
    recede = np.divide(
        skin_height * projected, upright, out=np.full(len(projected), np.inf), where=upright > 1e-9 * np.maximum(projected, 1e-12)
    )
    share = np.clip(1.0 - wall_width_mm / np.maximum(recede, 1e-12), 0.0, 1.0)
    open_area = projected * share
    used = open_area > 1e-9
    corner_z = mesh.vertices[:, 2][mesh.faces[used]]
    bottom = float(mesh.bounds[0, 2])
    low = (corner_z.min(axis=1) - bottom) / layers.height_mm
    high = (corner_z.max(axis=1) - bottom) / layers.height_mm
    facing_up = vectors[used, 2] > 0
    # A face between heights low..high is skinned in the layers just under it, or just over it.
    start = np.where(facing_up, np.round(low) - skin_layers, np.round(low))
    stop = np.where(facing_up, np.round(high), np.round(high) + skin_layers)
    start = np.clip(start, 0, layers.count).astype(np.int64)
    stop = np.clip(stop, 0, layers.count).astype(np.int64)
    length = np.maximum(stop - start, 1)
    start = np.minimum(start, layers.count - 1)
    per_layer = open_area[used] * np.minimum(skin_layers, layers.count) / length
    change = np.bincount(start, weights=per_layer, minlength=layers.count + 1)
    change -= np.bincount(np.minimum(start + length, layers.count), weights=per_layer, minlength=layers.count + 1)
    return np.asarray(np.maximum(np.cumsum(change)[: layers.count], 0.0))
