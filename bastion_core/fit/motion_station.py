"""A build's joints moved with all pieces on: a station whose subject is the build."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from bastion_core.case import BuildCase, ScanBody, WornPiece
from bastion_core.engine.station import Known, Made, Place, Station, Waits
from bastion_core.findings import Finding, Note, say
from bastion_core.fit.joints import Contact, JointDrawing, Worn, contacts, drawn, meshes_of, tightest_of
from bastion_core.fit.station import WORN
from bastion_core.measure.body import stand_in
from bastion_core.measure.scanned import UPRIGHT, read_body
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.standing import load_mesh
from bastion_core.progress import Progress

NOBODY = say("No wearer is chosen for this build. Choose a wearer on the Wall.")


@dataclass(frozen=True)
class MotionInputs:
    """The wearer's body and every piece where it is worn."""

    wearer: Wearer
    scan: ScanBody | None
    pieces: tuple[WornPiece, ...]


@dataclass(frozen=True)
class DrawnContact:
    """A contact; drawn where its joint meets nothing sooner."""

    contact: Contact
    tightest: bool
    drawing: JointDrawing | None


@dataclass(frozen=True)
class MotionResult:
    """How many contacts stop or hinder a joint."""

    contacts: int
    hindered: int


@dataclass(frozen=True)
class MotionData:
    """Every contact, in the order of the joints."""

    contacts: tuple[DrawnContact, ...]


class MotionStation(Station[BuildCase, MotionInputs, MotionResult]):
    """How far each joint goes in the suit."""

    key, title, scope = "motion", "Moving in it", "build"
    result, data = MotionResult, MotionData

    def inputs(self, case: BuildCase, known: Mapping[str, Known[Any]]) -> MotionInputs | Waits:
        """The build's wearer in all pieces that were judged on them."""
        if case.wearer is None:
            return Waits(NOBODY)
        return MotionInputs(case.wearer, case.scan, case.pieces)

    def run(self, inputs: MotionInputs, place: Place, progress: Progress) -> Made[MotionResult]:
        """Every joint turned until something meets."""
        scan = inputs.scan
        body = stand_in(inputs.wearer)
        if scan is not None:
            body = read_body(place.file(scan.ref, UPRIGHT), scan.kind, scan.values, inputs.wearer)
        pieces = [Worn(p.id, p.name, p.site, p.side, load_mesh(place.file(p.fit, WORN))) for p in inputs.pieces]
        met = contacts(pieces, body, progress)
        tightest = {id(c) for c in tightest_of(met)}
        shown = tuple(
            DrawnContact(c, id(c) in tightest, drawn(c, *meshes_of(c, pieces, body), body) if id(c) in tightest else None) for c in met
        )
        return Made(MotionResult(len(met), sum(c.verdict != "holds" for c in met)), MotionData(shown))

    def findings(self, case: BuildCase, result: MotionResult) -> tuple[Finding | Note, ...]:
        """None of its own: each contact carries its verdict."""
        return ()
