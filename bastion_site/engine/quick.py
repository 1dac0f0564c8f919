"""What a page waits for, done in the warm process: solids stay alive from one question to the next."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bastion_core.commands.options import write_solid
from bastion_core.engine.keeping import plain
from bastion_core.engine.memo import Memo
from bastion_core.engine.station import Place
from bastion_core.engine.store import Ref
from bastion_core.errors import FileProblem
from bastion_core.fit.gauge import gauge_ring
from bastion_core.fit.scale import Scale
from bastion_core.fit.seat import seat_turn
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.join.coupon import coupon
from bastion_core.join.gauge import pole_gauge
from bastion_core.join.station import JoinData, JoinInputs
from bastion_core.join.trying import Tried, try_place
from bastion_core.measure.body import stand_in
from bastion_core.measure.figure import drawings
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.standing import Standing, load_solid
from bastion_core.plates.files import file_name, write_plate
from bastion_core.plates.records import Plate
from bastion_core.print.profile import Profile
from bastion_core.shop import Printer
from bastion_core.statics.magnets import disc_of

_memo = Memo()


def _solid(standing: Standing, source: str) -> Solid:
    """A piece as it stands; alive while pages ask about it."""
    return _memo.live((standing, source), lambda: standing.stood(load_solid(Path(source))))


def write_gauge_ring(
    standing: Standing, source: str, scale: Scale, turn_deg: Scale, at_mm: float, height_mm: float, printer: Printer | None,
    profile: Profile, path: str,
) -> tuple[float, float, float, tuple[float, float, float]]:  # fmt: skip
    """Write the ring; where it was taken, minutes, grams, size."""
    solid = _solid(standing, source)
    ring = gauge_ring(solid.transformed(seat_turn(solid.bounds, turn_deg, scale)), scale, at_mm, height_mm, printer, profile)
    write_solid(ring.solid.mesh(), Path(path), Path(path).stem)
    return ring.at_mm, ring.minutes, ring.filament_g, ring.size_mm


def write_half_scale(standing: Standing, source: str, scale: Scale, path: str) -> None:
    """Write the whole piece at half its size."""
    half = _solid(standing, source).transformed(scaling(*(s / 2 for s in scale)))
    write_solid(half.mesh(), Path(path), Path(path).stem)


def write_coupon(path: str) -> None:
    """Write the clearance coupon."""
    write_solid(coupon().solid.mesh(), Path(path), Path(path).stem)


def write_pole_gauge(path: str, disc: str, gap_mm: float) -> None:
    """Write the pole gauge of a disc."""
    write_solid(pole_gauge(disc_of(disc), gap_mm).mesh(), Path(path), Path(path).stem)


@dataclass(frozen=True)
class Passed:
    """What a question needs of the store, brought along: the child asks no database."""

    root: Path
    results: dict[Ref, Any]
    datas: dict[Ref, Any]

    def folder(self, ref: Ref) -> Path:
        """Where a result's files lie."""
        return self.root / ref.kind / ref.hash

    def find(self, ref: Ref) -> Any | None:
        """The small part of a result."""
        return self.results.get(ref)

    def data(self, ref: Ref) -> Any:
        """The bulky part."""
        return self.datas[ref]

    def keep(self, ref: Ref, result: Any, data: Any) -> None:
        """Nothing is kept by a question."""

    def source(self, sha256: str) -> Path:
        """Model files are not asked for."""
        raise FileProblem("The model file is not needed here.")


def try_seam(passed: Passed, inputs: JoinInputs, data: JoinData, seam: str, index: int, at_mm: tuple[float, float, float]) -> Tried:
    """Where a fastener goes when it is put somewhere."""
    return try_place(inputs, data, Place(passed, _memo, passed.root), seam, index, at_mm)


def write_plates(plates: Sequence[tuple[Plate, Printer]], prints: Path, folder: Path) -> None:
    """Write a 3MF of each plate; ``prints`` is where the results of Print lie."""
    for plate, printer in plates:
        write_plate(plate, printer, lambda part: prints / part.print_hash, folder / file_name(plate))


def write_body(wearer: Wearer, path: str) -> None:
    """Write the stand-in body."""
    write_solid(stand_in(wearer).mesh, Path(path), "body")


def figures() -> dict:
    """The drawings of where each measurement is taken, as JSON."""
    return plain(drawings())
