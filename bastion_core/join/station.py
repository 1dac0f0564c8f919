"""The station Join: what holds each seam, carved at true size."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.case import Case
from bastion_core.cut.parting import OF_FILE, Part, glued_normals
from bastion_core.cut.recipe import CutRecipe
from bastion_core.cut.station import CutData, PartingKey, shaped_of
from bastion_core.cut.supplied import files_of
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.findings import Fact, Finding, Note, Said, Verdict, counted, say
from bastion_core.fit.scale import Scale
from bastion_core.geometry.arrays import three
from bastion_core.join.fasteners.base import Hardware, Spot
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.joining import Joint, hardware, join
from bastion_core.join.recipe import JoinRecipe
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.shaped import Shaped
from bastion_core.pieces.silhouette import svg_path
from bastion_core.pieces.standing import save_mesh
from bastion_core.progress import Progress
from bastion_core.takeaway import part_name


@dataclass(frozen=True)
class JoinInputs:
    """All that the joints depend on."""

    cut: Ref
    shaped: Shaped
    scale: Scale
    as_one: tuple[str, ...]
    name: str
    rule: PinRule
    turns: tuple[tuple[float, float, float], ...] = ()
    """How each file of a set is turned in it, in degrees."""


@dataclass(frozen=True)
class FastenerRecord:
    """One fastener as ``plan.json`` tells it; its place on the seam in the scaled piece's millimetres."""

    kind: str
    diameter_mm: float
    depth_mm: float
    clearance_mm: float
    position_mm: tuple[float, float, float]
    axis: tuple[float, float, float]


@dataclass(frozen=True)
class SeamRecord:
    """A seam: its parts, its cut, what holds it, and its face drawn flat (SVG path and box, mm)."""

    id: str
    parts: tuple[str, str]
    cut: str
    area_mm2: float
    advice: Said
    joints: tuple[FastenerRecord, ...]
    face: str
    box: tuple[float, float, float, float]
    spots: tuple[Spot, ...]
    own: int = 0
    """What the files of a set came with to hold it."""


@dataclass(frozen=True)
class JoinResult:
    """How many of what."""

    pins: int
    seams: int
    glued_only: int
    own: int
    """Seams held by what the files of a set came with."""
    warnings: tuple[Said, ...]
    hardware: tuple[Hardware, ...]


@dataclass(frozen=True)
class JoinedPart:
    """A part with its holes: its name, its id, and the outward normals of its cut faces."""

    name: str
    id: str
    cut_normals: tuple[tuple[float, float, float], ...]
    supplied_down: tuple[float, float, float] | None = None
    """Which side of it lay down in the file it came in, whole; None for what was cut or printed as one."""


@dataclass(frozen=True)
class JoinData:
    """Every seam and every part."""

    seams: tuple[SeamRecord, ...]
    parts: tuple[JoinedPart, ...]


class JoinStation(Station[Case, JoinInputs, JoinResult]):
    """How it holds."""

    key, title, after, weight, edition = "join", "Join", ("pieces", "fit", "cut"), 0.15, 2
    recipe, result, data = JoinRecipe, JoinResult, JoinData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> JoinInputs:
        """The parting and the rule for pins."""
        rule = case.of(JoinRecipe).rule(case.shop)
        as_one = case.of(CutRecipe).as_one
        turns = tuple(f.turn_deg for f in case.of(PiecesRecipe).files)
        return JoinInputs(known["cut"].ref, shaped_of(case, known), known["fit"].result.scale, as_one, part_name(case.name), rule, turns)

    def run(self, inputs: JoinInputs, place: Place, progress: Progress) -> Made[JoinResult]:
        """The joints; each part with its holes as ``NAME.npz``."""
        cuts = place.data(inputs.cut, CutData).cuts
        parting = PartingKey(inputs.shaped, inputs.scale, cuts, inputs.as_one, inputs.name).parting(place)
        joined = join(parting, inputs.rule, progress)
        normals = {name: tuple(three(n) for n in found) for name, found in glued_normals(parting).items()}
        for part in joined.parts:
            save_mesh(part.solid.mesh(), place.folder / f"{part.name}.npz")
        seams = tuple(seam_record(j) for j in joined.joints)
        lines = hardware(joined.joints)
        glued = sum(not s.joints and not s.own for s in seams)
        result = JoinResult(
            sum(h.count for h in lines if h.kind == "pin"), len(seams), glued, sum(s.own > 0 for s in seams), joined.warnings, lines
        )
        return Made(
            result,
            JoinData(seams, tuple(JoinedPart(p.name, p.id, normals[p.name], _supplied_down(p, inputs)) for p in joined.parts)),
        )

    def findings(self, case: Case, result: JoinResult) -> tuple[Finding | Note, ...]:
        """Seams without room for anything, holes that came out wrong."""
        said: list[Finding | Note] = []
        if result.glued_only:
            words = f"{result.glued_only} of {result.seams} seams have no room for pins: glue with an inside fillet."
            said.append(Finding("glued-only", Verdict.TIGHT, say(words)))
        return (*said, *(Finding("broken-through", Verdict.TIGHT, w) for w in result.warnings))

    def fact(self, result: JoinResult) -> Fact:
        """Its pins; what is only glued."""
        if not result.seams:
            return Fact(say("no seams"))
        below = f"{result.glued_only} glued only" if result.glued_only else f"{result.own} hold as made" if result.own else ""
        return Fact(say(counted(result.pins, "pin")), say(below))


def _supplied_down(part: Part, inputs: JoinInputs) -> tuple[float, float, float] | None:
    """The direction that was down in the file a part came in: in the scaled standing piece; None for a part that is no whole file."""
    files = files_of(part)
    if len(files) > 1 or any(not side.startswith(OF_FILE) for side in part.sides):
        return None
    turn = Rotation.from_euler("xyz", inputs.turns[files[0]], degrees=True).as_matrix() if files else np.eye(3)
    down = inputs.shaped.standing.matrix[:3, :3] @ turn @ np.array([0.0, 0.0, -1.0]) / np.array(inputs.scale)
    return _rounded(tuple(down / np.linalg.norm(down)), 6)


def seam_record(joint: Joint) -> SeamRecord:
    """A seam as it is kept and told."""
    seam = joint.seam
    low_u, low_v, high_u, high_v = seam.face.bounds
    fasteners = tuple(
        FastenerRecord(
            f.kind, position_mm=_rounded(f.position_mm, 4), axis=_rounded(f.axis, 6), **f.sizes()
        )
        for f in joint.fasteners
    )  # fmt: skip
    spots = tuple(spot for f in joint.fasteners for spot in f.drawing())
    return SeamRecord(
        seam.id, (seam.above, seam.below), seam.cut_id, round(seam.area_mm2, 2), joint.advice, fasteners, svg_path(seam.face),
        (low_u, -high_v, high_u - low_u, high_v - low_v), spots, seam.own,
    )  # fmt: skip


def _rounded(values: tuple[float, float, float], digits: int) -> tuple[float, float, float]:
    x, y, z = (round(float(v), digits) for v in values)
    return x, y, z
