"""Two halves round a body, breast and back or the halves of a tube: each is laid on its own side, and between them stays what straps bridge.

Both are scaled alike, so the best scale is the one at which both together follow the body most evenly; how far their edges then stand apart
is what a maker can still choose by straps, magnets or a hinge.
"""

from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np
from scipy.optimize import minimize_scalar
from scipy.spatial import cKDTree

from bastion_core.fit.onbody import OnBody
from bastion_core.fit.plate import Ground, Plate, PlateFit, PlatePoint, Pose, SideOpening, hardly_worse, least_even
from bastion_core.fit.room import Placed
from bastion_core.fit.scale import LEAST_SCALE, MOST_SCALE, Scale
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.walls import surface_sample

MOST_OPEN_MM = 60.0
"""Halves whose edges stand further apart than this leave a side that shows; common practice, no source."""
_EDGE_POINTS, _BANDS = 6000, 10
_BEGUN_ANEW, _ROUGH = 2, (0.85, 0.92, 1.0, 1.09, 1.18)


class Pair:
    """Two halves on one body, at any scale: the same questions as a plate's."""

    def __init__(self, halves: Sequence[Mesh], ground: Ground, begun: Placed) -> None:
        self.plates = tuple(Plate(half, ground, begun) for half in halves)
        middle = np.mean([half.bounds.mean(axis=0) for half in halves], axis=0)
        for _ in range(_BEGUN_ANEW):
            # What of a half faces the body shows only near the size at which it follows it.
            size = max(begun.scale)
            better = min(_ROUGH, key=lambda by: self._promise(self._sized(begun.scale, size * by)))
            if better == 1.0:
                break
            scale = self._sized(begun.scale, size * better)
            x, y, z = (float(v) for v in np.array(begun.offset_mm) + middle * (np.array(begun.scale) - np.array(scale)))
            begun = Placed(scale, (x, y, z))
            self.plates = tuple(Plate(half, ground, begun) for half in halves)

    @cached_property
    def follows(self) -> bool:
        """Whether both follow the body."""
        return all(p.follows for p in self.plates)

    def lies(self, scale: Scale) -> tuple[Pose, ...]:
        """How each half lies once it is laid on."""
        return tuple(p.lies(scale) for p in self.plates)

    def fit(self, scale: Scale, body: OnBody, site: str) -> PlateFit:
        """Both halves as one, at a scale."""
        ones = [p.fit(scale, body, site) for p in self.plates]
        shares = self._shares()
        curve = tuple(
            PlatePoint(points[0].scale, _together(shares, [p.uneven_mm for p in points]), float(shares @ [p.even_mm for p in points]))
            for points in zip(*(one.curve for one in ones), strict=True)
        )
        best, best_uneven = self._best(scale, curve)
        low, high = hardly_worse(curve, best, best_uneven)
        presses_under = max((s for one in ones if (s := least_even(one.curve)) is not None), default=None)
        if presses_under is not None:
            best, low, high = max(best, presses_under), max(low, presses_under), max(high, presses_under)
        worst = max(range(len(ones)), key=lambda k: ones[k].off_mm[2])
        x, y = (float(shares @ [one.off_mm[k] for one in ones]) for k in range(2))
        return replace(
            ones[worst], best_scale=round(best, 4), from_scale=round(low, 4), to_scale=round(high, 4),
            uneven_mm=round(_together(shares, [one.uneven_mm for one in ones]), 2), best_uneven_mm=round(best_uneven, 2),
            even_mm=round(min(one.even_mm for one in ones), 2), off_mm=(round(x, 2), round(y, 2), round(ones[worst].off_mm[2], 2)),
            girth_scale=round(float(shares @ [one.girth_scale for one in ones]), 4),
            length_scale=round(float(shares @ [one.length_scale for one in ones]), 4),
            apart_uneven_mm=round(_together(shares, [one.apart_uneven_mm for one in ones]), 2),
            foam_cm3=round(sum(one.foam_cm3 for one in ones), 1), covers=round(sum(one.covers for one in ones) / len(ones), 3),
            curve=curve, openings=self.openings(scale), halves_mm=tuple(one.even_mm for one in ones),
        )  # fmt: skip

    def _best(self, scale: Scale, curve: Sequence[PlatePoint]) -> tuple[float, float]:
        """The size at which both together follow most evenly for their size, and how unevenly then."""
        at = min(range(len(curve)), key=lambda k: curve[k].uneven_mm / curve[k].scale)
        low, high = curve[max(at - 1, 0)].scale, curve[min(at + 1, len(curve) - 1)].scale
        found = minimize_scalar(
            lambda size: self._uneven(self._sized(scale, size)) / size,
            bounds=(low, high),
            method="bounded",
            options={"xatol": 1e-3},
        )
        return float(found.x), float(found.fun * found.x)

    def _sized(self, scale: Scale, size: float) -> Scale:
        x, y, z = (float(np.clip(s / max(scale) * size, LEAST_SCALE, MOST_SCALE)) for s in scale)
        return x, y, z

    def _promise(self, scale: Scale) -> tuple[bool, float]:
        """Whether it presses at a scale, and how unevenly it lies for its size: less is better."""
        ways = [p.at(scale) for p in self.plates if len(p.inside)]
        presses = any(even < 0 for _, even, _ in ways)
        return presses, _together(self._shares(), [uneven for *_, uneven in ways]) / max(scale) if len(ways) == len(self.plates) else np.inf

    def _shares(self) -> Floats:
        counts = np.array([max(len(p.inside), 1) for p in self.plates], dtype=np.float64)
        return np.asarray(counts / counts.sum())

    def _uneven(self, scale: Scale) -> float:
        return _together(self._shares(), [p.at(scale)[2] if len(p.inside) else np.inf for p in self.plates])

    def worn(self, scale: Scale, at: Placed) -> Mesh:
        """Both halves as one mesh in the piece's own coordinates, so that placed at ``at`` each lies as it is laid on."""
        meshes = [
            Mesh(at.to_piece(pose.to_body(p.piece.vertices)), p.piece.faces) for p, pose in zip(self.plates, self.lies(scale), strict=True)
        ]
        first = meshes[0]
        return Mesh(np.concatenate([m.vertices for m in meshes]), np.concatenate([first.faces, meshes[1].faces + len(first.vertices)]))

    def openings(self, scale: Scale) -> tuple[SideOpening, ...]:
        """How far the halves' edges stand apart on the wearer's right (toward -x) and left, laid on."""
        one, other = (
            surface_sample(Mesh(pose.to_body(p.piece.vertices), p.piece.faces), _EDGE_POINTS).points
            for p, pose in zip(self.plates, self.lies(scale), strict=True)
        )
        middle = (one.mean(axis=0) + other.mean(axis=0)) / 2
        low, high = max(one[:, 2].min(), other[:, 2].min()), min(one[:, 2].max(), other[:, 2].max())
        if high <= low:
            return ()
        away = other.mean(axis=0)[:2] - one.mean(axis=0)[:2]
        away /= max(float(np.linalg.norm(away)), 1e-9)
        across = np.array([-away[1], away[0]])
        across *= -1.0 if across[0] < 0 else 1.0
        found = []
        for side, sign in (("right", -1.0), ("left", 1.0)):
            gaps = []
            for k in range(_BANDS):
                bottom, top = low + (high - low) * k / _BANDS, low + (high - low) * (k + 1) / _BANDS
                a, b = (p[(p[:, 2] >= bottom) & (p[:, 2] < top) & (sign * ((p[:, :2] - middle[:2]) @ across) > 0)] for p in (one, other))
                if len(a) < 8 or len(b) < 8:
                    continue
                # Along the way from the one half to the other: where their ranges overlap, one stands in the other.
                lengthwise = float(np.percentile((b[:, :2] - middle[:2]) @ away, 1)) - float(
                    np.percentile((a[:, :2] - middle[:2]) @ away, 99)
                )
                gaps.append(lengthwise if lengthwise < 0 else float(cKDTree(a).query(b)[0].min()))
            if gaps:
                found.append(SideOpening(side, round(min(gaps), 1), round(float(np.median(gaps)), 1), round(max(gaps), 1)))
        return tuple(found)


def _together(shares: Floats, uneven_mm: Sequence[float]) -> float:
    """The standard deviation of both gaps as one, each about its own mean."""
    return float(np.sqrt(shares @ np.square(uneven_mm)))
