"""Boxes for what goes inside a piece: servos, boards, batteries. Placed against the shell, checked against shell, body and each other."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import igl
import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.fit.layers import Layer, thickness
from bastion_core.fit.onbody import OnBody
from bastion_core.fit.room import Placed
from bastion_core.fit.way_in import least_root
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats, Mesh

_CP = "common practice, no source"


@dataclass(frozen=True)
class BayKind:
    """A common thing that goes inside, with the space it takes incl. plugs (mm), its flat side last."""

    name: str
    size_mm: tuple[float, float, float]
    source: str
    round: bool = False


KINDS: dict[str, BayKind] = {
    k.name: k
    for k in (
        BayKind("servo, small", (24.0, 13.0, 30.0), _CP),
        BayKind("servo, standard", (42.0, 21.0, 42.0), _CP),
        BayKind("board, soldered direct", (48.0, 20.0, 10.0), _CP),
        BayKind("board on a carrier", (66.0, 56.0, 24.0), _CP),
        BayKind("battery, flat cell", (62.0, 36.0, 9.0), _CP),
        BayKind("battery, one round cell", (19.0, 19.0, 66.0), _CP, True),
        BayKind("battery, four round cells", (64.0, 58.0, 17.0), _CP),
        BayKind("LED strip, a hand long", (170.0, 11.0, 4.0), _CP),
        BayKind("fan, 40 mm", (41.0, 41.0, 11.0), _CP),
        BayKind("speaker, 50 mm", (52.0, 52.0, 22.0), _CP, True),
        BayKind("voice amplifier", (98.0, 70.0, 36.0), _CP),
    )
}
BayPlace = Literal["", "crown", "nape", "brow", "left", "right", "front", "back"]
PLACES: tuple[BayPlace, ...] = ("crown", "nape", "brow", "left", "right", "front", "back")
_SIDES: tuple[BayPlace, ...] = ("front", "back", "left", "right")
_DIRECTIONS = {
    "crown": (0.0, 0.0, 1.0), "nape": (0.0, 0.9, -0.45), "brow": (0.0, -0.85, 0.5), "left": (1.0, 0.0, 0.1), "right": (-1.0, 0.0, 0.1),
    "front": (0.0, -1.0, 0.0), "back": (0.0, 1.0, 0.0),
}  # fmt: skip
_PATTERN = re.compile(r"^(?P<name>[^=@]+?)(?:@(?P<place>[a-z]+))?=(?P<x>[\d.]+)[xX×](?P<y>[\d.]+)(?:[xX×](?P<z>[\d.]+))?$")
SHELL_CLEAR_MM = 0.5
"""Between a bay and the shell it is fixed to: tape or glue; common practice, no source."""


@dataclass(frozen=True)
class Bay:
    """A box wanted inside, or with ``round`` a cylinder about its z whose diameter is the size along x; ``place`` is a key of PLACES, ``at_mm`` a point of the scaled piece near which it goes. Neither: wherever it fits best."""

    name: str
    size_mm: tuple[float, float, float]
    place: BayPlace = ""
    at_mm: tuple[float, float, float] | None = None
    round: bool = False

    def __post_init__(self) -> None:
        if len(self.name) > 60:
            raise RecipeProblem("The name of what goes inside has to be under 60 letters.", "bays")
        if not all(1 <= v <= 400 for v in self.size_mm):
            size = " × ".join(f"{v:g}" for v in self.size_mm)
            raise RecipeProblem(f"A bay of {size} mm ({self.name}) is out of bounds (1 to 400 mm a side).", "bays")
        if self.place and self.place not in PLACES:
            raise RecipeProblem(f"“{self.place}” is no place for a bay. Use one of {', '.join(PLACES)}.", "bays")
        if self.at_mm is not None and not all(abs(v) < 10_000 for v in self.at_mm):
            raise RecipeProblem(f"{self.name} is placed outside of all pieces.", "bays")

    def points(self) -> Floats:
        """(n, 3): points over its surface, about its middle."""
        return _rod_points(np.array(self.size_mm)) if self.round else _box_points(np.array(self.size_mm))


@dataclass(frozen=True)
class BayFit:
    """A bay in its place: middle and axes in the body's coordinates, and the room it leaves (mm, negative where it presses)."""

    name: str
    size_mm: tuple[float, float, float]
    place: str
    centre_mm: tuple[float, float, float]
    axes: tuple[tuple[float, float, float], ...]
    """Unit directions of the box's x, y, z; z points out of the body."""
    room_body_mm: float
    room_shell_mm: float
    meets: str
    """Name of another bay it overlaps."""
    fits: bool
    needs_scale: float | None
    text: Said
    round: bool = False
    free_at: str = ""
    """Another place where it would lie free at this scale, for one that presses."""


def parse_bay(text: str) -> Bay:
    """A bay from NAME=XxYxZ (a box), NAME=DxZ (a cylinder) or NAME@PLACE=… or the name of a kind; RecipeProblem when it cannot be read."""
    if text.strip() in KINDS:
        kind = KINDS[text.strip()]
        return Bay(kind.name, kind.size_mm, round=kind.round)
    found = _PATTERN.match(text.strip())
    try:
        if found is None:
            raise ValueError
        x, y = float(found["x"]), float(found["y"])
        size = (x, y, float(found["z"])) if found["z"] else (x, x, y)
    except ValueError:
        raise RecipeProblem(
            f"“{text}” is no bay. Write NAME=XxYxZ, NAME=DxZ for a round one, or NAME@PLACE=… in mm, like board=66x56x24, speaker=52x22 or battery@nape=62x36x9."
        ) from None
    return Bay(found["name"].strip(), size, found["place"] or "", round=not found["z"])  # type: ignore[arg-type]


def _box_points(size: Floats) -> Floats:
    """(98, 3): points over a box's surface, corners among them."""
    t = np.linspace(-0.5, 0.5, 5)
    grid = np.array(np.meshgrid(t, t, t)).reshape(3, -1).T
    return np.asarray(grid[(np.abs(grid) > 0.499).any(axis=1)] * size)


def _rod_points(size: Floats) -> Floats:
    """(98, 3): points over an upright cylinder's surface, as wide as ``size`` along x and y."""
    angle = np.arange(16) * (2 * np.pi / 16)
    circle = np.column_stack([np.cos(angle), np.sin(angle)]) / 2
    side = np.concatenate([np.column_stack([circle, np.full(16, z)]) for z in (-0.5, -0.25, 0.0, 0.25, 0.5)])
    caps = np.concatenate([np.column_stack([np.concatenate([circle[::2] / 2, [[0.0, 0.0]]]), np.full(9, z)]) for z in (-0.5, 0.5)])
    return np.asarray(np.concatenate([side, caps]) * size)


def _frame(out: Floats) -> Floats:
    """(3, 3): rows x, y, z of a box whose z points along ``out``; x level."""
    z = out / np.linalg.norm(out)
    helper = np.array([0.0, 0.0, 1.0]) if abs(z[2]) < 0.9 else np.array([0.0, -1.0, 0.0])
    x = np.cross(helper, z)
    x /= np.linalg.norm(x)
    return np.array([x, np.cross(z, x), z])


class _Space:
    """Shell and body a bay has to lie between."""

    def __init__(self, piece: Mesh, placed: Placed, body: OnBody, layers: Sequence[Layer]) -> None:
        self.piece, self.placed, self.body, self.layers = piece, placed, body, layers
        low, high = placed.to_body(piece.bounds)
        inside = body.mesh.vertices[((body.mesh.vertices > low) & (body.mesh.vertices < high)).all(axis=1)]
        self.middle = inside.mean(axis=0) if len(inside) else (low + high) / 2
        if body.crown_mm is not None:
            self.middle = np.array([self.middle[0], self.middle[1], body.crown_mm - 105.0])

    def out_to_shell(self, origin: Floats, direction: Floats) -> Floats:
        """Way (n,) from points (n, 3) along unit directions (n, 3) to the shell, in the body's mm."""
        s = np.array(self.placed.scale)
        along = direction / s
        stretch = np.linalg.norm(along, axis=1)
        distance, _ = self.piece.rays.first_hits(self.placed.to_piece(origin), along / stretch[:, None])
        return np.asarray(distance / stretch)

    def pushed_out(self, bay: Bay, direction: Floats) -> tuple[Floats, Floats, Floats, float] | None:
        """The box pushed out along ``direction`` against the shell: middle, axes, points over it (98, 3), room to the shell."""
        out = direction / np.linalg.norm(direction)
        at = self.middle + out * 1.0
        hit = self.out_to_shell(at[None], out[None])[0]
        if not np.isfinite(hit):
            return None
        # Square to the shell rather than to the way there.
        axes = _frame(out)
        size = np.array(bay.size_mm)
        face = bay.points()
        top = face[face[:, 2] > 0.49 * size[2]] @ axes + 0.0
        reach = self.out_to_shell(self.middle + top - out * (size[2] / 2), np.tile(out, (len(top), 1)))
        reach = reach[np.isfinite(reach)]
        if not len(reach):
            return None
        centre = self.middle + out * (float(reach.min()) - SHELL_CLEAR_MM - size[2] / 2)
        points = centre + face @ axes
        return centre, axes, points, self.from_shell(centre, points)

    def from_body(self, boxes: Sequence[Floats]) -> list[float]:
        """For each box's points (n, 3) the least room (mm) to the body and its layers; asked together, as the body's tree is built anew each time."""
        points = np.concatenate(boxes)
        mesh = self.body.mesh
        signed, _, closest, _ = igl.signed_distance(
            points, mesh.vertices, mesh.faces, sign_type=igl.SIGNED_DISTANCE_TYPE_FAST_WINDING_NUMBER
        )[:4]
        signed = np.asarray(signed)
        away = points - np.asarray(closest)
        away = np.where(signed[:, None] < 0, -away, away)
        normals = away / np.maximum(np.linalg.norm(away, axis=1), 1e-9)[:, None]
        room = signed - thickness(self.layers, normals)
        ends = np.cumsum([len(b) for b in boxes])[:-1]
        return [float(part.min()) for part in np.split(room, ends)]

    def from_shell(self, centre: Floats, points: Floats) -> float:
        """Least room from the box's middle out to the shell beyond its surface points; negative where the shell cuts into it."""
        way = points - centre
        length = np.linalg.norm(way, axis=1)
        reach = self.out_to_shell(np.tile(centre, (len(points), 1)), way / length[:, None])
        left = reach - length
        left = left[np.isfinite(left)]
        return float(left.min()) if len(left) else float("inf")


def place_bays(piece: Mesh, placed: Placed, body: OnBody, layers: Sequence[Layer], bays: Sequence[Bay]) -> list[BayFit]:
    """Every bay in its best place, in the order given, none where another one lies."""
    space = _Space(piece, placed, body, layers)
    placed_bays: list[BayFit] = []
    for bay in bays:
        placed_bays.append(_place(space, bay, placed_bays))
    done = []
    for index, (bay, fit) in enumerate(zip(bays, placed_bays, strict=True)):
        others = [*placed_bays[:index], *placed_bays[index + 1 :]]
        elsewhere = "" if fit.fits else _free_place(space, bay, others)
        done.append(_with_need(piece, placed, body, layers, bay, replace(fit, free_at=elsewhere)))
    return done


def _free_place(space: _Space, bay: Bay, others: Sequence[BayFit]) -> str:
    """The named place where a bay has the most room, if it lies free there; empty otherwise."""
    tried = [_place(space, replace(bay, place=name, at_mm=None), others) for name in _named_places(space) if name != bay.place or bay.at_mm]
    free = [fit for fit in tried if fit.fits]
    return max(free, key=lambda fit: fit.room_body_mm).place if free else ""


def _named_places(space: _Space) -> tuple[BayPlace, ...]:
    """Where a bay is looked for: a head's places, or the four sides of anything else."""
    return PLACES[:5] if space.body.crown_mm is not None else _SIDES


def _directions(space: _Space, bay: Bay) -> list[tuple[str, Floats]]:
    if bay.at_mm is not None:
        return [("as placed", np.array(bay.at_mm) * 1.0 + np.array(space.placed.offset_mm) - space.middle)]
    if bay.place:
        centre = np.array(_DIRECTIONS[bay.place])
        lean = [np.zeros(3), *(0.18 * v for v in (*np.eye(3), *-np.eye(3)))]
        return [(bay.place, centre + d) for d in lean]
    names = _named_places(space)
    return [(n, np.array(_DIRECTIONS[n]) + d) for n in names for d in (np.zeros(3), *(0.18 * v for v in (*np.eye(3), *-np.eye(3))))]


def _place(space: _Space, bay: Bay, others: Sequence[BayFit]) -> BayFit:
    best: tuple[float, BayFit] | None = None
    out = [(place, pushed) for place, direction in _directions(space, bay) if (pushed := space.pushed_out(bay, direction)) is not None]
    rooms = space.from_body([pushed[2] for _, pushed in out]) if out else []
    for (place, (centre, axes, _points, shell_room)), body_room in zip(out, rooms, strict=True):
        meets = next((o.name for o in others if _overlap(centre, axes, bay, o)), "")
        # Most room to the body, among the places that another bay leaves free and the shell lets in.
        worst = body_room - (1000.0 if meets else 0.0) - (100.0 if shell_room < -0.05 else 0.0)
        fits = body_room >= 0 and shell_room >= -0.05 and not meets
        fit = BayFit(
            bay.name,
            bay.size_mm,
            place,
            three(centre),
            tuple(three(a) for a in axes),
            body_room,
            shell_room,
            meets,
            fits,
            None,
            NOTHING,
            bay.round,
        )
        if best is None or worst > best[0]:
            best = (worst, fit)
    if best is None:
        return BayFit(bay.name, bay.size_mm, bay.place, three(space.middle), tuple(three(a) for a in np.eye(3)), -min(bay.size_mm), 0.0, "", False, None, say("There is no shell in that place to fix it to."))  # fmt: skip
    return best[1]


def _overlap(centre: Floats, axes: Floats, bay: Bay, other: BayFit) -> bool:
    """Whether two bays share space, by points of each in the other."""
    their = Bay(other.name, other.size_mm, round=other.round)
    mine = centre + bay.points() @ axes
    theirs = np.array(other.centre_mm) + their.points() @ np.array(other.axes)

    def holds(points: Floats, middle: Floats, frame: Floats, one: Bay) -> bool:
        at = (points - middle) @ frame.T / (np.array(one.size_mm) / 2)
        inside = np.abs(at) < 1 - 1e-6
        return bool((inside[:, 2] & (np.hypot(at[:, 0], at[:, 1]) < 1 - 1e-6) if one.round else inside.all(axis=1)).any())

    return holds(mine, np.array(other.centre_mm), np.array(other.axes), their) or holds(theirs, centre, axes, bay)


def _with_need(piece: Mesh, placed: Placed, body: OnBody, layers: Sequence[Layer], bay: Bay, fit: BayFit) -> BayFit:
    """The scale at which a bay that presses would lie free in the same place, and its sentence."""
    if fit.fits:
        return replace(fit, text=say("{} lies at the {} with {} to the padding.", fit.name, fit.place, mm(fit.room_body_mm, digits=1)))
    if fit.meets:
        where = f"Move it to the {fit.free_at}" if fit.free_at else "Give one of the two another place"
        return replace(fit, text=say("{} meets {}. {}.", fit.name, fit.meets, where))
    if fit.text:
        return fit
    direction = np.array(fit.centre_mm) - _Space(piece, placed, body, layers).middle

    def room(factor: float) -> float:
        scale = tuple(v * factor for v in placed.scale)
        middle = piece.bounds.mean(axis=0)
        # The piece stays about its middle.
        kept = np.array(placed.offset_mm) + middle * placed.scale - middle * np.array(scale)
        grown = _Space(piece, Placed((scale[0], scale[1], scale[2]), three(kept)), body, layers)
        out = grown.pushed_out(bay, direction)
        if out is None or out[3] < -0.05:
            return -50.0
        return grown.from_body([out[2]])[0]

    root = least_root(room, 1.0, 1.6, 5e-4)
    needs = None if root is None else float(max(placed.scale) * root)
    short = -min(fit.room_body_mm, fit.room_shell_mm)
    way = f"scale {100 * needs:.1f} %" if needs else "take a thinner one"
    move = f"move it to the {fit.free_at}, where it lies free" if fit.free_at else "open the inside for it; no other place has the room"
    needs_more = say("{} needs {} more at the {}: {}, or {}.", fit.name, mm(short, digits=1), fit.place, way, move)
    return replace(fit, needs_scale=needs, text=needs_more)
