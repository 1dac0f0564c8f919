"""A cut that is bowed like a bent sheet: straight one way, an arc the other. Parts still come apart straight along its normal."""

from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection

from bastion_core.geometry.arrays import corners
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid

SPAN_MM = 100.0
"""A bow is told by how far its middle stands out over so much of its width."""
_FACET_MM = 1.5


@dataclass(frozen=True)
class Bowed:
    """Bowed about ``middle``, where it touches ``plane``: it falls away from it along ``along`` (a unit direction in the plane) as a parabola,
    by ``rise_mm`` at half the span."""

    plane: Plane
    middle: tuple[float, float, float]
    along: tuple[float, float, float]
    rise_mm: float

    @property
    def normal(self) -> tuple[float, float, float]:
        """In which the part above lies, and in which it comes off."""
        return self.plane.normal

    def to_flat(self) -> Floats:
        """4x4 into the plane's frame: there the seam lies about z = -fall."""
        return self.plane.to_flat()

    def _fall(self, flat: Floats) -> Floats:
        """(n,): how far it has fallen at places (n, 2 or more) of the flat frame."""
        turn = self.plane.to_flat()[:3]
        middle = turn[:, :3] @ np.array(self.middle) + turn[:, 3]
        along = (turn[:, :3] @ np.array(self.along))[:2]
        s = (flat[:, :2] - middle[:2]) @ along
        return np.asarray(self.rise_mm * (2 * s / SPAN_MM) ** 2)

    def heights(self, points: Floats) -> Floats:
        """(n,): how far each of ``points`` (n, 3) lies above it, along the normal."""
        turn = self.plane.to_flat()
        flat = points @ turn[:3, :3].T + turn[:3, 3]
        return np.asarray(flat[:, 2] + self._fall(flat))

    def to_space(self, points: Floats) -> Floats:
        """(n, 3): places of the flat frame, (n, 2) on it or (n, 3) so far above it, in space."""
        height = points[:, 2] if points.shape[1] > 2 else 0.0
        return self.plane.to_space(np.column_stack([points[:, :2], height - self._fall(points)]))

    def flatten(self, solid: Solid) -> Solid:
        """A solid sheared along the normal so that the seam lies at z = 0."""
        return self._warped(solid.transformed(self.plane.to_flat()), 1.0)

    def unflatten(self, solid: Solid) -> Solid:
        """A solid of the flat frame, back in space."""
        bent = self._warped(Solid(solid.manifold.refine_to_length(4 * _FACET_MM)), -1.0)
        return bent.transformed(np.asarray(np.linalg.inv(self.plane.to_flat())))

    def _warped(self, solid: Solid, sign: float) -> Solid:
        def move(points: Floats) -> Floats:
            lifted = np.asarray(points, dtype=np.float64).copy()
            lifted[:, 2] += sign * self._fall(lifted)
            return lifted

        return Solid(solid.manifold.warp_batch(move))

    def meets(self, bounds: Floats, within_mm: float) -> bool:
        """Whether a box (2, 3) may come so near."""
        ends = corners(*bounds)
        flat = ends @ self.plane.to_flat()[:3, :3].T + self.plane.to_flat()[:3, 3]
        fall = self._fall(flat)
        low, high = flat[:, 2].min() + min(0.0, fall.min()), flat[:, 2].max() + max(0.0, fall.max())
        return bool(low <= within_mm and high >= -within_mm)

    def split(self, solid: Solid) -> tuple[Solid, Solid]:
        """The part above and the part below."""
        turn = self.plane.to_flat()
        flat = solid.transformed(turn)
        low, high = flat.bounds
        along = turn[:3, :3] @ np.array(self.along)
        across = np.array([-along[1], along[0], 0.0])
        middle = turn[:3, :3] @ np.array(self.middle) + turn[:3, 3]
        ends = (corners(low, high) - [*middle[:2], 0.0]) @ np.column_stack([along, across])
        s0, t0 = ends.min(axis=0) - 2
        s1, t1 = ends.max(axis=0) + 2
        s = np.linspace(s0, s1, max(int((s1 - s0) / _FACET_MM), 2))
        z = -self.rise_mm * (2 * s / SPAN_MM) ** 2
        bottom = min(float(low[2]), float(z.min())) - 5
        profile = np.concatenate([np.column_stack([s, z]), [[s1, bottom], [s0, bottom]]])[::-1]
        body = CrossSection([profile]).extrude(t1 - t0)
        frame = np.eye(4)
        # Profile along and up, extruded across: right-handed as (along, up, along x up).
        frame[:3, 0], frame[:3, 1], frame[:3, 2] = along, [0, 0, 1], np.cross(along, [0, 0, 1])
        frame[:3, 3] = [*middle[:2], 0.0] + frame[:3, 2] * (t0 if frame[:3, 2] @ across > 0 else -t1)
        under = body.transform(frame[:3])
        above, below = flat.manifold - under, flat.manifold ^ under
        back = np.asarray(np.linalg.inv(turn))
        return Solid(above).transformed(back), Solid(below).transformed(back)
