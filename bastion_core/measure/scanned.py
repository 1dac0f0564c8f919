"""A scan as the body itself: a whole one with its joints found, or a head set on the stand-in body."""

from dataclasses import replace
from pathlib import Path

import numpy as np

from bastion_core.errors import MeshProblem
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.section import level_loops
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.landmarks import SIDES
from bastion_core.measure.predict import completed
from bastion_core.measure.scan import Taken, measure_body, tape_loops
from bastion_core.measure.template import arm_shares
from bastion_core.measure.wearer import Wearer

_NECK_KEPT_SHARE = 0.35
"""How much of a scanned head's own height is kept below its chin as neck, to run into the stand-in's."""
_OVERLAP_MM = 12.0
_WIDEST_NECK = 1.45
"""A level of the scan wider than so many necks is shoulder: it is the stand-in's again."""


def known_from(taken: Taken, wearer: Wearer | None) -> Wearer:
    """The wearer as a scan of them tells: what it measured goes before what was known."""
    readings = taken.as_dict()
    values, sds = {k: v["value"] for k, v in readings.items()}, {k: v["sd"] for k, v in readings.items()}
    known = wearer or Wearer()
    return replace(known, measurements=known.measurements | values, sds=known.sds | sds)


def body_of_scan(mesh: Mesh, kind: str, taken: Taken, wearer: Wearer | None = None) -> Body:
    """An upright scan of a head or a whole body as what pieces are fitted to; MeshProblem when it cannot be."""
    return head_on_stand_in(mesh, taken, wearer) if kind == "head" else scanned_body(mesh, taken, wearer)


UPRIGHT = "upright.npz"
"""A stood-up scan among the files that are kept of it."""


def read_body(path: Path, kind: str, values: dict[str, float], wearer: Wearer | None) -> Body:
    """The body that a kept, stood-up scan stands for, with what was measured on it; MeshProblem when it cannot be one."""
    with np.load(path) as arrays:
        mesh = Mesh(arrays["vertices"].astype(np.float64), arrays["faces"].astype(np.int64))
    taken = Taken(dict(values), {}, {}) if kind == "head" else replace(measure_body(mesh), values=dict(values))
    return body_of_scan(mesh, kind, taken, wearer)


def scanned_body(mesh: Mesh, taken: Taken, wearer: Wearer | None = None) -> Body:
    """An upright whole scan (mm, front at -y, as measured into ``taken``) as a body that pieces can be fitted to.

    What it does not show is predicted from what it does. MeshProblem when its joints were not found.
    """
    marks = taken.landmarks
    if marks is None:
        raise MeshProblem("On this scan no joints were found, so nothing can be fitted to it. Scan the whole body with the arms held off.")
    whole, guesses = completed(known_from(taken, wearer))
    rings = {key: run.solid_points() for key, run in tape_loops(mesh, marks).items()}
    joints = {f"{side}_arm": np.array(marks.arms[side].joints) for side in SIDES}
    joints |= {f"{side}_leg": np.array(marks.legs[side].joints) for side in SIDES}
    return Body(mesh, whole, guesses, rings, joints, marks.chin_mm, arm_shares(mesh, marks))


def head_on_stand_in(head: Mesh, taken: Taken, wearer: Wearer | None = None) -> Body:
    """A scanned upright head set on the stand-in body of its wearer, which takes the scan's own measurements.

    Both keep their surfaces, one reaching a little into the other at the neck. MeshProblem when the scan is no head.
    """
    body = stand_in(known_from(taken, wearer))
    height = taken.values["chin_to_crown_mm"]
    chin = float(head.bounds[1, 2]) - height
    low = _neck_ends(head, chin, height)
    # Crown on crown, and the widest level's middle over the stand-in's.
    at = 0.3 * height
    mine, theirs = (_middle(mesh, float(mesh.bounds[1, 2]) - at) for mesh in (head, body.mesh))
    move = np.array([*(theirs - mine), float(body.mesh.bounds[1, 2] - head.bounds[1, 2])])
    seam = low + move[2] + _OVERLAP_MM
    v = body.mesh.vertices
    arms = sum((body.arm_share[side] for side in SIDES), np.zeros(len(v)))
    kept = body.mesh.faces[~((v[:, 2] > seam) & (arms < 0.3))[body.mesh.faces].all(axis=1)]
    own = head.faces[(head.vertices[:, 2] > low)[head.faces].all(axis=1)]
    used, compact = np.unique(own, return_inverse=True)
    corners = head.vertices[used] + move
    # Corners of the old head stay in the list, so that what is known by corner holds; no face uses them.
    old = np.zeros(len(v), bool)
    old[kept.ravel()] = True
    v = np.where(old[:, None], v, v[kept[0, 0]])
    mesh = Mesh(np.concatenate([v, corners]), np.concatenate([kept, compact.reshape(-1, 3) + len(v)]).astype(np.int64))
    shares = {side: np.concatenate([share, np.zeros(len(corners))]) for side, share in body.arm_share.items()}
    return replace(body, mesh=mesh, chin_mm=chin + float(move[2]), arm_share=shares)


def _neck_ends(head: Mesh, chin: float, height: float) -> float:
    """The lowest level of a scanned head that is still neck: below it the scan ends or its shoulders begin."""
    levels = np.arange(chin - 8.0, max(chin - _NECK_KEPT_SHARE * height, float(head.bounds[0, 2]) + 3.0), -4.0)
    narrowest, low = np.inf, chin - 8.0
    for level in levels:
        found = level_loops(head, float(level))
        if not found or found[0].size[0] > _WIDEST_NECK * narrowest:
            break
        narrowest, low = min(narrowest, float(found[0].size[0])), float(level)
    return low


def _middle(mesh: Mesh, level: float) -> Floats:
    """(2,): middle of the largest outline at a level."""
    found = level_loops(mesh, level)
    if not found:
        raise MeshProblem("No closed outline of a head was found. Is the crown missing from the scan, or does it stand upside down?")
    run = found[0].points
    return np.asarray((run.max(axis=0) + run.min(axis=0)) / 2)
