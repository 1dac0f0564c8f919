"""A file becomes a piece: read, unit guessed, mended, its health told in plain words."""

from dataclasses import dataclass
from pathlib import Path

from bastion_core.findings import Said, counted, mm, say
from bastion_core.formats.reading import FileMesh, read_mesh
from bastion_core.geometry.arrays import three
from bastion_core.geometry.facets import chord_error_mm
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import overlap_share, thinnest_wall_mm
from bastion_core.pieces.mend import Faults, make_sound
from bastion_core.pieces.units import UnitGuess, guess_unit, refuse_absurd
from bastion_core.progress import Progress, silent, span
from bastion_core.units import MM_PER_UNIT

TOUCHES = say(
    "It touches itself along an edge without wall there: it breaks or prints apart at that line. Let the two sides overlap in their source."
)
OVERLAPS = say("The surface passes through itself: weights and hours may count some material twice.")


@dataclass(frozen=True)
class Health:
    """What a maker wants to know of a file before trusting it."""

    triangles: int
    size_mm: tuple[float, float, float]
    volume_mm3: float
    watertight_as_it_came: bool
    bodies: int
    thinnest_wall_mm: float | None
    overlaps_itself: bool
    chord_error_mm: float
    """How far its flats leave the curves they stand for."""
    faults: Faults
    mended: tuple[str, ...]

    def sentences(self) -> list[Said]:
        """The report, one finding a sentence."""
        f = self.faults
        said = [say("Watertight as it came." if self.watertight_as_it_came else "Not watertight as it came.")]
        for number, one, many in (
            (f.holes, "hole", "holes"),
            (f.crowded_edges, "edge shared by more than two faces", "edges shared by more than two faces"),
            (f.turned_edges, "edge with faces facing opposite ways", "edges with faces facing opposite ways"),
            (f.duplicate_faces, "doubled face", "doubled faces"),
            (f.flat_faces, "collapsed face", "collapsed faces"),
            (
                f.touching_edges,
                "edge along which it only touches itself, which holds nothing",
                "edges along which it only touches itself, which hold nothing",
            ),
        ):
            if number:
                said.append(say(f"{counted(number, one, many)}."))
        if f.inside_out:
            said.append(say("The surface faced inward."))
        said.append(say("One body." if self.bodies == 1 else f"{self.bodies} separate bodies."))
        if f.overlapping_bodies:
            said.append(say("Bodies overlapped."))
        if self.overlaps_itself:
            said.append(OVERLAPS)
        if self.thinnest_wall_mm is not None:
            said.append(say("Thinnest wall found: {}.", mm(self.thinnest_wall_mm, digits=1)))
        return said + [say("Mended: {}.", what) for what in self.mended]


@dataclass(frozen=True)
class Intake:
    """A sound solid in millimetres, as it lay in the file, with its report."""

    solid: Solid
    mesh: Mesh
    unit: str
    unit_guess: UnitGuess
    health: Health


def take_in(path: Path, site: str = "other", unit: str | None = None, progress: Progress = silent) -> Intake:
    """Read a model file and make it a sound solid in millimetres.

    ``unit`` is a key of MM_PER_UNIT, or None to guess. Raises FileProblem or MeshProblem.
    """
    progress(0.02, "reading the file")
    return take_in_mesh(read_mesh(path), site, unit, progress)


def take_in_mesh(source: FileMesh, site: str = "other", unit: str | None = None, progress: Progress = silent) -> Intake:
    """``take_in`` for a file that has been read already."""
    guess, factor = unit_of(source, float(source.mesh.size.max()), site, unit)
    return mended_at(source, guess, factor, progress)


def unit_of(source: FileMesh, longest: float, site: str, unit: str | None) -> tuple[UnitGuess, float]:
    """The unit of a file whose longest side (or that of its set) is so many units, and how many mm that is."""
    if unit is not None:
        guess, factor = UnitGuess(unit, say("set by the maker"), True), MM_PER_UNIT[unit]
    elif source.mm_per_unit is not None:
        factor = source.mm_per_unit
        guess = UnitGuess("file", say(f"the file declares it: 1 unit is {factor:g} mm"), True)
    else:
        guess = guess_unit(longest, site)
        factor = MM_PER_UNIT[guess.unit]
    refuse_absurd(longest * factor)
    return guess, factor


def mended_at(source: FileMesh, guess: UnitGuess, factor: float, progress: Progress = silent) -> Intake:
    """A file whose unit is known, as a sound solid in millimetres with its report."""
    mesh = source.mesh if factor == 1.0 else source.mesh.transformed(scaling(factor, factor, factor))
    mended = make_sound(mesh, span(progress, 0.2, 0.8))
    progress(0.85, "measuring walls")
    sound = mended.solid.mesh()
    health = Health(
        triangles=source.mesh.triangle_count,
        size_mm=three(sound.size),
        volume_mm3=mended.solid.volume,
        watertight_as_it_came=mended.faults.closed,
        bodies=mended.bodies,
        thinnest_wall_mm=thinnest_wall_mm(sound),
        overlaps_itself=overlap_share(sound) > 0.002,
        chord_error_mm=chord_error_mm(sound),
        faults=mended.faults,
        mended=mended.done,
    )
    progress(1.0, "ready")
    return Intake(mended.solid, sound, guess.unit, guess, health)
