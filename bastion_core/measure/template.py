"""The two bodies the stand-in body is shaped from, with their measurements and the places those were taken.

``python -m bastion_core.measure.template SOURCE.stl female|male`` makes one from a whole upright body.
"""

import json
import sys
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import igl
import numpy as np
from scipy.spatial import ConvexHull

from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.section import Loop, level_loops
from bastion_core.geometry.solid import Solid
from bastion_core.measure.landmarks import SIDES, Landmarks, Limb, find_landmarks, way_from
from bastion_core.measure.predict import DATA, completed
from bastion_core.measure.scan import measure_body, tape_loops
from bastion_core.measure.wearer import Wearer

_STEP_MM = 0.05


@dataclass(frozen=True, eq=False)
class Ring:
    """A tape's way on the template: edges (k, 2) and shares (k,), so that it follows the mesh wherever that goes."""

    edges: Ints
    shares: Floats

    def points(self, vertices: Floats) -> Floats:
        """(k, 3): the ring on these corners."""
        a, b = vertices[self.edges[:, 0]], vertices[self.edges[:, 1]]
        return np.asarray(a + self.shares[:, None] * (b - a))


@dataclass(frozen=True, eq=False)
class Template:
    """A body mesh, its landmarks, every measurement of it, and the rings of those that go round."""

    sex: str
    mesh: Mesh
    marks: Landmarks
    values: dict[str, float]
    rings: dict[str, Ring]
    """By key; sided ones with their side's prefix."""
    arm_share: dict[str, Floats]
    """(n,) for each side: 1 on the arm, 0 on the trunk, between in the shoulder."""


def _ring(run: Loop) -> Ring:
    # Only the corners of the hull: the tape touches nowhere else.
    corner = ConvexHull(run.points).vertices
    return Ring(run.edges.reshape(-1, 2)[corner], run.shares.reshape(-1)[corner])


def rings_of(mesh: Mesh, marks: Landmarks) -> dict[str, Ring]:
    """Every tape of ``measure_body`` as a ring."""
    top = float(mesh.bounds[1, 2])
    head = max(
        (runs[0] for s in np.arange(0.24, 0.5, 0.02) if (runs := level_loops(mesh, top - s * (top - marks.chin_mm)))),
        key=lambda run: float(run.size[1]),
    )
    return {key: _ring(run) for key, run in {**tape_loops(mesh, marks), "head_circumference_mm": head}.items()}


def make_template(mesh: Mesh, sex: str) -> Template:
    """A template from a closed upright body facing -y."""
    mesh = _evened(mesh)
    marks = find_landmarks(mesh)
    taken = measure_body(mesh)
    wearer, _ = completed(Wearer(sex=sex, measurements=taken.values))
    return Template(sex, mesh, marks, wearer.measurements, rings_of(mesh, marks), arm_shares(mesh, marks))


def _evened(mesh: Mesh) -> Mesh:
    """The body with both sides alike: each corner halfway to where the mirrored surface has it.

    A template's own left and right would otherwise tell apart pieces that a wearer measured alike wears alike.
    """
    mirror = np.array([-1.0, 1.0, 1.0])
    v = mesh.vertices
    for _ in range(3):
        over = igl.point_mesh_squared_distance(v * mirror, v, mesh.faces)[2]
        v = (v + over * mirror) / 2
    return Mesh(v, mesh.faces)


def arm_shares(mesh: Mesh, marks: Landmarks) -> dict[str, Floats]:
    """(n,) a side, how far each corner belongs to that arm: by the way from the finger tips, which knows arm from trunk however near the two hang."""
    weights = {}
    for side, sign in SIDES.items():
        shoulder = marks.arms[side].joints[0]
        tip = int(np.argmax(sign * mesh.vertices[:, 0]))
        way = way_from(mesh, tip)
        near = np.linalg.norm(mesh.vertices - shoulder, axis=1) < 0.055 * marks.stature_mm
        at = float(np.median(way[near])) if near.any() else 0.4 * marks.stature_mm
        band = 0.035 * marks.stature_mm
        weights[side] = smooth((at - way) / band) * (sign * mesh.vertices[:, 0] > 0)
    return weights


def smooth(x: Floats) -> Floats:
    """0 below -1, 1 above 1, a smooth step between."""
    t = np.clip((x + 1) / 2, 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def _pack(template: Template) -> dict[str, np.ndarray]:
    marks = template.marks
    about = {
        "stature": marks.stature_mm, "floor": marks.floor_mm, "crotch": marks.crotch_mm, "armpit": marks.armpit_mm, "chin": marks.chin_mm,
        "neck": marks.neck.tolist(), "heights": marks.heights, "values": template.values,
        "arms": {s: [j.tolist() for j in limb.joints] for s, limb in marks.arms.items()},
        "legs": {s: [j.tolist() for j in limb.joints] for s, limb in marks.legs.items()},
    }  # fmt: skip
    packed: dict[str, np.ndarray] = {
        "about": np.frombuffer(json.dumps(about).encode(), np.uint8),
        "vertices": np.round((template.mesh.vertices - [0, 0, marks.stature_mm / 2]) / _STEP_MM).astype(np.int16),
        "faces": template.mesh.faces.astype(np.uint16),
    }
    for side in SIDES:
        packed[f"arm_{side}"] = np.round(template.arm_share[side] * 255).astype(np.uint8)
    for key, ring in template.rings.items():
        packed[f"edges:{key}"], packed[f"shares:{key}"] = ring.edges.astype(np.uint16), ring.shares.astype(np.float32)
    return packed


@cache
def template_of(sex: str | None) -> Template:
    """The template for a sex; the male one when it is not known, whose chest is the flatter."""
    name = sex if sex in ("female", "male") else "male"
    with np.load(DATA / f"body_{name}.npz") as packed:
        about = json.loads(packed["about"].tobytes())
        vertices = packed["vertices"].astype(np.float64) * _STEP_MM + [0, 0, about["stature"] / 2]
        mesh = Mesh(vertices, packed["faces"].astype(np.int64))

        def limbs(kind: str) -> dict[str, Limb]:
            return {s: Limb(tuple(np.array(j) for j in about[kind][s])) for s in SIDES}  # type: ignore[arg-type]

        marks = Landmarks(
            about["stature"], about["floor"], about["crotch"], about["armpit"], limbs("arms"), limbs("legs"), np.array(about["neck"]),
            about["chin"], about["heights"],
        )  # fmt: skip
        rings = {
            k.removeprefix("edges:"): Ring(packed[k].astype(np.int64), packed[k.replace("edges:", "shares:")].astype(np.float64))
            for k in packed.files
            if k.startswith("edges:")
        }
        arms = {s: packed[f"arm_{s}"].astype(np.float64) / 255 for s in SIDES}
    return Template(name, mesh, marks, about["values"], rings, arms)


def main(source: str, sex: str) -> None:
    """Make ``data/body_SEX.npz`` from a model file."""
    largest = max(Solid.from_mesh(read_mesh(Path(source)).mesh).bodies(), key=lambda s: s.volume)
    np.savez_compressed(DATA / f"body_{sex}.npz", **_pack(make_template(largest.mesh(), sex)))  # type: ignore[arg-type]


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2])
