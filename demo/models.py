"""The Tidewrack Watch's pieces, made by formula: no file of anybody's, the same ones every time.

Every piece is a sheet of two surfaces with relief, closed at its rims, in millimetres,
upright with its front toward -y, so that what the application does with it is real work.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold, OpType
from shapely import Polygon, affinity, box

from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.sheet import Surface, closed_sheet
from bastion_core.geometry.solid import Solid
from demo import sets


@dataclass(frozen=True)
class DemoModel:
    """A file of the demo: its name without ending, and what makes it."""

    file: str
    make: Callable[[float], Mesh]


def _ridge(distance: Floats, width: float) -> Floats:
    """A rounded ridge: 1 on its line, 0 from ``width`` away."""
    return np.clip(1 - (distance / width) ** 2, 0, None) ** 1.5


def _spiral(y: Floats, z: Floats, centre: tuple[float, float], growth: float, start: float) -> tuple[Floats, Floats]:
    """Distance to a logarithmic spiral relative to its own width there, and the angle walked along it."""
    dy, dz = y - centre[0], z - centre[1]
    radius = np.hypot(dy, dz) + 1e-6
    angle = np.arctan2(dz, dy)
    turns = (np.log(radius / start) / growth - angle) / (2 * np.pi)
    off = np.abs(turns - np.round(turns)) * 2 * np.pi * growth * radius
    return off, angle + 2 * np.pi * np.round(turns)


def nautilus_helm(detail: float = 1.0) -> Mesh:
    """Full helmet: 3.2 mm wall, neck opening, eye slit, a spiral rib on either side, growth lines, thick rims."""
    height, wall = 292.0, 3.2

    def inside(u: Floats, v: Floats) -> tuple[Floats, Floats]:
        angle = 2 * np.pi * u - np.pi / 2  # u = 0 is the front
        # The upper half is a dome, the lower half draws in toward the neck.
        lift = np.sin(np.minimum(v / 0.52, 1.0) * np.pi / 2)
        z = np.where(v < 0.52, 148 + 138 * np.cos(np.minimum(v / 0.52, 1) * np.pi / 2), 148 * (1 - (v - 0.52) / 0.48))
        draw = np.where(v < 0.52, 1.0, 1 - 0.115 * np.sin((v - 0.52) / 0.48 * np.pi / 2) ** 2)
        x = 87.5 * lift * draw * np.cos(angle)
        y = 110.0 * lift * draw * np.sin(angle) + 4 - 10 * (1 - z / height) * (np.sin(angle) < 0) * np.abs(np.sin(angle)) ** 3
        return np.column_stack([x, y, z]), angle

    def inner(u: Floats, v: Floats) -> Floats:
        return inside(u, v)[0]

    def outer(u: Floats, v: Floats) -> Floats:
        points, _angle = inside(u, v)
        x, y, z = points.T
        normal = np.column_stack([x / 87.5**2, (y - 4) / 110.0**2, np.where(z > 148, (z - 148) / 138.0**2, 0.0)])
        normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-9)[:, None]
        side = np.clip((np.abs(x) - 18) / 30, 0, 1) * np.clip((y + 62) / 30, 0, 1)
        off, walked = _spiral(y, z, (26.0, 146.0), 0.17, 9.0)
        radius = np.hypot(y - 26, z - 146)
        rib = 4.4 * _ridge(off, np.clip(2.5 + 0.06 * radius, 3, 9)) * side * np.clip((radius - 8) / 10, 0, 1)
        chambers = 0.7 * np.abs(np.sin(walked * 7)) ** 6 * side
        lines = 0.16 * np.sin(radius * 2.4)
        rim = 3.4 * np.clip((16 - z) / 6, 0, 1)
        brow = 3.2 * _ridge(z - 178 + 0.002 * x**2, 9) * np.clip((-y - 40) / 25, 0, 1)
        keel = 3.6 * _ridge(x, 7) * np.clip((z - 185) / 30, 0, 1)
        return points + normal * (wall + np.maximum.reduce([rib, rim, brow, keel]) + chambers + lines)[:, None]

    shell = closed_sheet(outer, inner, int(436 * detail**0.5), int(172 * detail**0.5), True, True)
    slit = Manifold.cylinder(120, 11, 11, 48).rotate([90, 0, 0])
    eyes = Manifold.hull(slit.translate([-58, 0, 159]) + slit.translate([-8, 0, 152]))
    eyes += Manifold.hull(slit.translate([58, 0, 159]) + slit.translate([8, 0, 152]))
    cut = eyes.translate([0, -20, 0])
    return Solid(shell.manifold - cut).mesh()


def crest(detail: float = 1.0) -> Mesh:
    """The helm's crest: a breaking wave of seven tongues, to be held by magnets, thick at the foot."""

    def surface(half: float) -> Surface:
        def points(u: Floats, v: Floats) -> Floats:
            angle = np.radians(15 + 150 * u)
            tongue = 0.5 + 0.5 * np.cos(2 * np.pi * (7 * u - 0.35 * v))
            reach = 62 * (0.55 + 0.45 * np.sin(np.pi * u)) * (0.74 + 0.26 * tongue)
            radius = 140 + reach * v
            thick = half * (7.0 * (1 - v) + 2.2) * (0.85 + 0.15 * tongue)
            lean = 5 * np.sin(2 * np.pi * u) * v**2 + 0.4 * np.sin(40 * v + 30 * u)
            return np.column_stack([thick + lean, -radius * np.cos(angle), radius * np.sin(angle) + 40 * v * u])

        return points

    return closed_sheet(surface(1.0), surface(-1.0), int(320 * detail**0.5), int(90 * detail**0.5), False, False).mesh()


def comb_helm(detail: float = 1.0) -> Mesh:
    """The coxswain's helm: a plain shell of 3.2 mm with a tall comb and a slit to see through, its comb and its face band made to come off."""
    wall, side, front, low, high = 3.2, 90.0, 114.0, 150.0, 132.0
    sides = max(48, int(220 * detail**0.5))

    def dome(grown: float, comb: float = 0.0) -> Manifold:
        x, y = side + grown, front + grown + 0.5 * comb
        ball = Manifold.sphere(1.0, sides).scale((x, y, high + grown + comb)).translate((0, 0, low))
        return Manifold.batch_hull([ball, Manifold.cylinder(1.0, 1.0, 1.0, sides).scale((0.94 * x, 0.95 * y, 1.0))])

    comb = (dome(wall, 46.0) ^ Manifold.cube((18.0, 190.0, 400.0), True).translate((0, 45, low + 200))).trim_by_plane((0, 0, 1), low + 60)
    shell = dome(wall) + comb
    slit = Manifold.cube((112.0, 90.0, 17.0), True).translate((0, -front, low - 14))
    under = Manifold.cube((400.0, 400.0, 10.0), True).translate((0, 0, -4.9))
    return Solid(shell - dome(0.0) - slit - under).mesh()


def _relief_sheet(
    form: Callable[[Floats, Floats], Floats], relief: Callable[[Floats, Floats], Floats], wall: float, across: int, along: int
) -> Solid:
    """An open sheet of even wall: ``form`` is the inside, ``relief`` stands out along its normal."""

    def normal(u: Floats, v: Floats) -> Floats:
        h = 1e-4
        du = form(np.clip(u + h, 0, 1), v) - form(np.clip(u - h, 0, 1), v)
        dv = form(u, np.clip(v + h, 0, 1)) - form(u, np.clip(v - h, 0, 1))
        n = np.cross(dv, du)
        return n / np.linalg.norm(n, axis=1)[:, None]

    def outer(u: Floats, v: Floats) -> Floats:
        return form(u, v) + normal(u, v) * (wall + relief(u, v))[:, None]

    return closed_sheet(outer, form, across, along, False, False)


def wave_pauldron(detail: float = 1.0) -> Mesh:
    """The left shoulder: a cap of three breaking waves."""

    def form(u: Floats, v: Floats) -> Floats:
        around = np.radians(-115 + 230 * u)
        down = np.radians(12 + 88 * v)
        spread = 1 + 0.16 * v**3
        return np.column_stack(
            [92 * np.sin(down) * np.cos(around) * spread, 98 * np.sin(down) * np.sin(around) * spread, 118 * np.cos(down) - 34 * v**2]
        )

    def relief(u: Floats, v: Floats) -> Floats:
        phase = 3 * v + 0.18 * np.sin(2 * np.pi * 2 * u)
        crestline = (phase - np.floor(phase)) ** 2.2
        return 4.6 * crestline * np.clip(v / 0.12, 0, 1) * np.clip((1 - v) / 0.04, 0, 1) + 0.35 * np.sin(70 * u + 9 * v) * crestline + 0.4

    return _relief_sheet(form, relief, 3.0, int(260 * detail**0.5), int(150 * detail**0.5)).mesh()


def kelp_bracer(detail: float = 1.0) -> Mesh:
    """The left forearm: an open tube with blades of kelp twining up it."""

    def form(u: Floats, v: Floats) -> Floats:
        around = np.radians(-90 + 14 + 332 * u)
        radius = 54 - 17 * v + 3 * np.sin(np.pi * v)
        return np.column_stack([1.06 * radius * np.cos(around), radius * np.sin(around), 240 * (1 - v)])

    def relief(u: Floats, v: Floats) -> Floats:
        blades = np.zeros_like(u)
        for k in range(4):
            line = 0.13 + 0.25 * k + 0.05 * np.sin(2 * np.pi * (1.5 * v + 0.23 * k))
            blades = np.maximum(blades, _ridge(u - line, 0.05 + 0.02 * np.sin(9 * np.pi * v + k)))
        cuff = np.maximum(_ridge(v, 0.06), _ridge(1 - v, 0.06))
        return np.maximum(3.4 * blades, 3.0 * cuff) + 0.25 * np.sin(180 * v) * blades + 0.3

    return _relief_sheet(form, relief, 2.8, int(250 * detail**0.5), int(130 * detail**0.5)).mesh()


def torn_bracer(detail: float = 1.0) -> Mesh:
    """The right forearm as its designer left it: mirrored, with two holes torn in it and some faces turned."""
    whole = kelp_bracer(detail)
    mirrored = whole.transformed(np.diag([-1.0, 1, 1, 1]))
    middle = mirrored.triangles.mean(axis=1)
    tear = (np.linalg.norm(middle - middle[len(middle) // 3], axis=1) < 3.5) | (
        np.linalg.norm(middle - middle[len(middle) // 7], axis=1) < 2.5
    )
    faces = mirrored.faces.copy()
    turned = np.linalg.norm(middle - middle[len(middle) // 5], axis=1) < 5
    faces[turned] = faces[turned][:, ::-1]
    return Mesh(mirrored.vertices, faces[~tear])


def breakwater_breastplate(detail: float = 1.0) -> Mesh:
    """The chest: wider than common beds, courses of breakwater stone below a wave line."""

    def form(u: Floats, v: Floats) -> Floats:
        side = 2 * u - 1
        width = 196 - 34 * np.abs(v - 0.3) - 22 * v**2
        bulge = 118 * (1 - np.abs(side) ** 2.3) + 16 * _ridge(side, 0.5) * np.sin(np.pi * np.clip(v * 1.2, 0, 1))
        neck = 46 * np.clip(1 - np.abs(side) / 0.42, 0, 1) ** 0.8 * (1 - v) ** 4
        return np.column_stack([width * np.sin(side * 1.38) / np.sin(1.38), -bulge + 30 * v * (1 - np.abs(side)), 430 * (1 - v) - neck])

    def relief(u: Floats, v: Floats) -> Floats:
        course = 11 * v
        row = np.floor(course)
        joint_v = np.abs(course - np.round(course)) / 11 * 430
        along = 9 * u + 0.5 * (row % 2)
        joint_u = np.abs(along - np.round(along)) / 9 * 400
        stones = 2.6 * np.clip(np.minimum(joint_v, joint_u) / 3.0, 0, 1) ** 0.6
        wave = _ridge(v - 0.27 - 0.03 * np.sin(6 * np.pi * u), 0.035) * 5.0
        rim = 3.4 * np.maximum.reduce([_ridge(v, 0.03), _ridge(1 - v, 0.03), _ridge(u, 0.025), _ridge(1 - u, 0.025)])
        return np.maximum.reduce([np.where(v > 0.3, stones, 0.4 + 0.2 * np.sin(60 * u)), wave, rim]) + 0.2

    return _relief_sheet(form, relief, 3.4, int(330 * detail**0.5), int(300 * detail**0.5)).mesh()


def spray_gorget(detail: float = 1.0) -> Mesh:
    """The collar: high at the nape and under the chin, cut away over the shoulders, its rim broken into spray."""

    def surface(outside: bool) -> Surface:
        def points(u: Floats, v: Floats) -> Floats:
            around = 2 * np.pi * u - np.pi / 2
            over_shoulder = np.cos(around) ** 2
            top = 84 + 5 * np.sin(9 * around) * np.clip(1 - v / 0.2, 0, 1) + 14 * np.sin(around)
            z = top - v * (top - 44 * over_shoulder)
            flare = 20 * v**2 * (1 - over_shoulder)
            across, deep = 76 + flare, 82 + flare
            if outside:
                relief = 2.2 * _ridge(np.abs(np.sin(4.5 * around + 5 * v)), 0.4) * np.sin(np.pi * v) + 2.6 * _ridge(v - 0.05, 0.06)
                across, deep = across + 3.0 + relief, deep + 3.0 + relief
            return np.column_stack([across * np.cos(around), deep * np.sin(around) - 12 * np.sin(around) * v, z])

        return points

    return closed_sheet(surface(True), surface(False), int(300 * detail**0.5), int(90 * detail**0.5), True, False).mesh()


def heron_shin(detail: float = 1.0) -> Mesh:
    """The left shin: a tapered half tube under three rows of long feathers."""

    def form(u: Floats, v: Floats) -> Floats:
        around = np.radians(-90 - 120 + 240 * u)
        radius = 66 - 24 * v + 7 * np.sin(np.pi * np.clip(v * 1.25, 0, 1))
        knee = 26 * np.cos(around + np.pi / 2) * (1 - v) ** 3
        return np.column_stack([radius * np.cos(around), 1.05 * radius * np.sin(around) - 8 * np.sin(np.pi * v), 405 * (1 - v) + knee])

    def relief(u: Floats, v: Floats) -> Floats:
        row = 5 * v
        within = row - np.floor(row)
        barb = np.abs(np.sin(np.pi * (8 * u + 0.5 * np.floor(row))))
        feather = 3.2 * (1 - within) * np.clip(barb * 1.6, 0, 1) ** 0.5
        shaft = 1.2 * _ridge(np.minimum(barb, 1) - 1, 0.05)
        keel = 4.0 * _ridge(u - 0.5, 0.03)
        return np.maximum(feather + shaft, keel) + 0.25 * np.sin(140 * v + 60 * np.abs(u - 0.5)) * barb + 0.3

    return _relief_sheet(form, relief, 3.0, int(220 * detail**0.5), int(220 * detail**0.5)).mesh()


def heron_greave(detail: float = 1.0) -> Mesh:
    """The left shin of the officers: closed all round, its ankle drawn in close."""

    def surface(outside: bool) -> Surface:
        def points(u: Floats, v: Floats) -> Floats:
            around = 2 * np.pi * u - np.pi / 2
            radius = 67 - 16 * v + 9 * np.sin(np.pi * np.clip(v * 1.3, 0, 1)) + 3 * np.clip((v - 0.94) / 0.06, 0, 1)
            if outside:
                row = 6 * v
                barb = np.abs(np.sin(np.pi * (9 * u + 0.5 * np.floor(row))))
                radius = radius + 3.0 + 2.6 * (1 - (row - np.floor(row))) * np.clip(barb * 1.6, 0, 1) ** 0.5
            return np.column_stack([0.97 * radius * np.cos(around), 1.04 * radius * np.sin(around) + 7 * np.sin(np.pi * v), 372 * (1 - v)])

        return points

    return closed_sheet(surface(True), surface(False), int(300 * detail**0.5), int(190 * detail**0.5), True, False).mesh()


def lantern_staff(detail: float = 1.0) -> Mesh:
    """1.9 m of staff: a rope-turned shaft, a heavy lantern head of eight bars between two solid collars, a storm cap."""
    around, along = int(96 * detail**0.5), int(900 * detail**0.5)

    def shaft_radius(angle: Floats, z: Floats) -> Floats:
        rope = 1.4 * np.abs(np.sin(angle * 1.5 + z * 0.035)) * ((z > 250) & (z < 1380))
        ring = 5.0 * (_ridge(z - 40, 22) + _ridge(z - 820, 26) + _ridge(z - 1395, 20))
        return 16.0 + rope + ring

    angle = 2 * np.pi * np.arange(around) / around
    heights = np.linspace(0, 1430, along + 1)
    grid_a, grid_z = np.meshgrid(angle, heights)
    radius = shaft_radius(grid_a, grid_z)
    points = np.stack([radius * np.cos(grid_a), radius * np.sin(grid_a), grid_z], -1).reshape(-1, 3)
    index = np.arange(len(points)).reshape(along + 1, around)
    a, b = index[:-1], np.roll(index, -1, axis=1)[:-1]
    c, d = np.roll(index, -1, axis=1)[1:], index[1:]
    foot, top = len(points), len(points) + 1
    points = np.concatenate([points, [[0, 0, 0], [0, 0, 1430]]])
    faces = np.concatenate(
        [
            np.stack([a, b, c], -1).reshape(-1, 3),
            np.stack([a, c, d], -1).reshape(-1, 3),
            np.stack([np.roll(index[0], -1), index[0], np.full(around, foot)], -1),
            np.stack([index[-1], np.roll(index[-1], -1), np.full(around, top)], -1),
        ]
    )
    staff = Solid.from_mesh(Mesh(points, faces.astype(np.int64))).manifold
    sides = max(24, int(64 * detail**0.5))
    head = Manifold.cylinder(50, 30, 62, sides).translate([0, 0, 1400]) + Manifold.cylinder(34, 62, 62, sides).translate([0, 0, 1450])
    for k in range(8):
        bar = Manifold.hull(Manifold.sphere(9, 20).translate([50, 0, 1480]) + Manifold.sphere(8, 20).translate([44, 0, 1740]))
        head += bar.rotate([0, 0, 45.0 * k])
    head += Manifold.cylinder(30, 58, 58, sides).translate([0, 0, 1730]) + Manifold.cylinder(120, 60, 6, sides).translate([0, 0, 1758])
    head += Manifold.sphere(14, sides).translate([0, 0, 1886])
    return Solid(staff + head).mesh()


def hand_lantern(detail: float = 1.0) -> Mesh:
    """A lantern to carry: a heavy foot, six bars, a cap, and a stem to hold it by."""
    sides = max(48, int(128 * detail**0.5))
    foot = Manifold.cylinder(52, 62, 58, sides) + Manifold.cylinder(8, 58, 40, sides).translate([0, 0, 52])
    bar = Manifold.hull(Manifold.sphere(6, 24).translate([44, 0, 48]) + Manifold.sphere(6, 24).translate([40, 0, 196]))
    cap = Manifold.cylinder(14, 54, 54, sides) + Manifold.cylinder(46, 54, 15, sides).translate([0, 0, 14])
    stem = Manifold.cylinder(150, 13, 13, sides).translate([0, 0, 236]) + Manifold.sphere(19, sides).translate([0, 0, 388])
    return Solid(
        Manifold.batch_boolean([foot, cap.translate([0, 0, 190]), stem, *(bar.rotate([0, 0, 60.0 * k]) for k in range(6))], OpType.Add)
    ).mesh()


def channel_buoy(detail: float = 1.0) -> Mesh:
    """A hollow channel buoy with a ring of lamp holes: nothing of its inside is reached once it is closed."""
    sides = max(48, int(160 * detail**0.5))
    half = Polygon([(0, 0), (62, 0), (80, 24), (80, 78), (44, 150), (44, 196), (0, 210)])
    inner = half.union(affinity.scale(half, -1, 1, origin=(0, 0))).buffer(-3.4, join_style="mitre").intersection(box(0, -10, 200, 300))
    outside, inside = (Manifold.revolve(CrossSection([np.array(p.exterior.coords[:-1])], FillRule.NonZero), sides) for p in (half, inner))
    hole = Manifold.cylinder(60, 8, 8, 32).rotate([0, 90, 0]).translate([20, 0, 172])
    return Solid(Manifold.batch_boolean([outside, inside, *(hole.rotate([0, 0, 60.0 * k]) for k in range(6))], OpType.Subtract)).mesh()


MODELS: tuple[DemoModel, ...] = (
    DemoModel("nautilus-helm", nautilus_helm),
    DemoModel("crest", crest),
    DemoModel("comb-helm", comb_helm),
    DemoModel("wave-pauldron-left", wave_pauldron),
    DemoModel("kelp-bracer-left", kelp_bracer),
    DemoModel("kelp-bracer-right", torn_bracer),
    DemoModel("breakwater-breastplate", breakwater_breastplate),
    DemoModel("spray-gorget", spray_gorget),
    DemoModel("heron-shin-left", heron_shin),
    DemoModel("heron-greave-left", heron_greave),
    DemoModel("lantern-staff", lantern_staff),
    DemoModel("hand-lantern", hand_lantern),
    DemoModel("channel-buoy", channel_buoy),
    DemoModel("beacon-helm-dome", sets.beacon_dome),
    DemoModel("beacon-helm-face", sets.beacon_face),
    DemoModel("beacon-helm-nape", sets.beacon_nape),
    DemoModel("gauntlet-finger-root", sets.finger_root),
    DemoModel("gauntlet-finger-tip", sets.finger_tip),
    DemoModel("harbour-breast", sets.harbour_breast),
    DemoModel("harbour-back", sets.harbour_back),
)


def write_models(folder: Path, detail: float = 1.0) -> dict[str, Path]:
    """Write every model of the demo as binary STL; ``detail`` scales the number of triangles."""
    folder.mkdir(parents=True, exist_ok=True)
    written = {}
    for model in MODELS:
        path = folder / f"{model.file}.stl"
        write_binary_stl(model.make(detail), path)
        written[model.file] = path
    return written
