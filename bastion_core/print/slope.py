"""Layers that follow the slope: finer where a surface is shallow, coarser where it is upright."""

import numpy as np

from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.print.profile import LAYER_HEIGHTS_MM

SLAB_MM = 1.0
"""The layer height may change from one millimetre to the next."""


def adaptive_heights_mm(mesh: Mesh, layer_mm: float) -> Floats:
    """(n,): the layer height of each millimetre of a lying part, of those that are usual.

    As coarse as leaves no deeper steps than ``layer_mm`` does on a slope of 60 degrees from the level: the shallowest tenth of what is there
    counts, level faces aside.
    """
    lengths = np.linalg.norm(mesh.area_vectors, axis=1)
    lean = np.abs(mesh.area_vectors[:, 2]) / np.maximum(lengths, 1e-12)
    heights = mesh.triangles[:, :, 2] - mesh.bounds[0, 2]
    count = max(int(np.ceil(mesh.size[2] / SLAB_MM - 1e-6)), 1)
    sloped = lean < 0.9995
    low = np.clip((heights.min(axis=1) / SLAB_MM).astype(np.int64), 0, count - 1)
    high = np.clip((heights.max(axis=1) / SLAB_MM).astype(np.int64), 0, count - 1)
    spans = (high - low + 1) * sloped
    which = np.repeat(np.arange(len(lean)), spans)
    slab = low[which] + np.arange(len(which)) - np.repeat(np.cumsum(spans) - spans, spans)
    share = lengths[which] / spans[which]
    order = np.lexsort((-lean[which], slab))
    slab, share, steep = slab[order], share[order], lean[which][order]
    total = np.bincount(slab, share, minlength=count)
    before = np.cumsum(share) - share
    begun = before - np.concatenate([[0.0], np.cumsum(total)])[slab]
    # The lean at which a tenth of the slab's surface is shallower.
    tenth = np.full(count, 1e-9)
    first = np.flatnonzero(begun + share > 0.1 * total[slab])
    np.maximum.at(tenth, slab[first], steep[first])
    usual = np.array(sorted(LAYER_HEIGHTS_MM))
    wanted = 0.5 * layer_mm / tenth
    return np.asarray(usual[np.maximum(np.searchsorted(usual, wanted + 1e-9, side="right") - 1, 0)])


def layer_at(mesh: Mesh, layer_mm: float) -> Floats:
    """(m,): the layer height in which each face of a lying mesh is printed, by its middle."""
    heights = adaptive_heights_mm(mesh, layer_mm)
    slab = ((mesh.triangles[:, :, 2].mean(axis=1) - mesh.bounds[0, 2]) / SLAB_MM).astype(np.int64)
    return np.asarray(heights[np.clip(slab, 0, len(heights) - 1)])
