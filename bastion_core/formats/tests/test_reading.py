import struct
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import lib3mf
import numpy as np
import trimesh

from bastion_core.errors import FileProblem, MeshProblem
from bastion_core.formats.reading import read_mesh
from bastion_core.formats.stl import write_binary_stl
from bastion_core.formats.threemf import write_3mf
from bastion_core.pieces.intake import take_in
from bastion_core.tests.shapes import BOX_3MF, BUNNY, HINGE, box, reference


class Folder(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def file(self, name: str, content: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(content)
        return path

    def refused(self, path: Path, words: str) -> None:
        with self.assertRaises(FileProblem) as caught:
            read_mesh(path)
        self.assertRegex(str(caught.exception), words)


class GoodFiles(Folder):
    def test_every_format_gives_the_same_body(self):
        source = trimesh.load(BUNNY)
        for kind in ("stl", "stl_ascii", "obj", "ply"):
            with self.subTest(kind):
                content = source.export(file_type=kind)
                path = self.file(f"model.{kind}", content if isinstance(content, bytes) else content.encode())
                mesh = read_mesh(path).mesh
                self.assertEqual(mesh.triangle_count, len(source.faces))
                self.assertAlmostEqual(mesh.volume / source.volume, 1, delta=1e-4)

    def test_name_is_not_trusted(self):
        path = self.file("looks-like.obj", BUNNY.read_bytes())
        self.assertEqual(read_mesh(path).format, "stl")

    def test_3mf_of_others_with_its_unit(self):
        read = read_mesh(BOX_3MF)  # 10 × 20 × 30 mm, written by others (Debian assimp-testmodels)
        self.assertEqual(read.mm_per_unit, 1.0)
        np.testing.assert_allclose(sorted(read.mesh.size), [10, 20, 30], rtol=1e-6)
        self.assertAlmostEqual(read.mesh.volume, 6000, delta=1e-3)

    def test_our_3mf_is_read_by_lib3mf_strictly(self):
        path = self.folder / "part.3mf"
        write_3mf(reference(HINGE), path, "hinge-A")
        model = lib3mf.get_wrapper().CreateModel()
        reader = model.QueryReader("3mf")
        reader.SetStrictModeActive(True)
        reader.ReadFromFile(str(path))
        self.assertEqual(reader.GetWarningCount(), 0)
        self.assertEqual(model.GetUnit(), lib3mf.ModelUnit.MilliMeter)
        things = model.GetMeshObjects()
        self.assertTrue(things.MoveNext())
        thing = things.GetCurrentMeshObject()
        self.assertEqual(thing.GetName(), "hinge-A")
        self.assertTrue(thing.IsManifoldAndOriented())
        self.assertEqual(thing.GetTriangleCount(), reference(HINGE).triangle_count)

    def test_our_stl_is_read_by_trimesh(self):
        path = self.folder / "part.stl"
        write_binary_stl(box(10, 20, 30).mesh(), path)
        other = trimesh.load(path)
        self.assertTrue(other.is_watertight)
        self.assertAlmostEqual(other.volume, 6000, delta=1e-2)


class BadFiles(Folder):
    def test_stl(self):
        whole = BUNNY.read_bytes()
        count = struct.unpack("<I", whole[80:84])[0]
        self.refused(self.file("empty.stl", b""), "empty")
        self.refused(self.file("short.stl", whole[:5000]), "cut short.*3,674")
        self.refused(self.file("lies.stl", whole[:80] + struct.pack("<I", count - 7) + whole[84:]), "says 3,667.*3,674")
        self.refused(self.file("text.stl", b"Dear customer,\nyour order has shipped.\n"), "no mesh")
        self.refused(self.file("head.stl", whole[:40]), "cut short|header")
        bad = bytearray(whole)
        bad[84 + 12 : 84 + 16] = struct.pack("<f", float("nan"))
        self.refused(self.file("nan.stl", bytes(bad)), "NaN")
        bad[84 + 12 : 84 + 16] = struct.pack("<f", float("inf"))
        self.refused(self.file("inf.stl", bytes(bad)), "infinite")
        ascii_stl = trimesh.load(BUNNY).export(file_type="stl_ascii").encode()
        self.refused(self.file("short-ascii.stl", ascii_stl[: len(ascii_stl) // 2]), "endsolid")

    def test_two_triangles(self):
        sheet = trimesh.Trimesh([[0, 0, 0], [50, 0, 0], [50, 50, 0], [0, 50, 0]], [[0, 1, 2], [0, 2, 3]])
        self.refused(self.file("sheet.stl", sheet.export(file_type="stl")), "2 triangles")

    def test_obj_with_faces_out_of_range(self):
        self.refused(
            self.file("a.obj", b"v 0 0 0\nv 10 0 0\nv 0 10 0\nv 0 0 10\nf 1 2 3\nf 1 2 9\nf 1 3 4\nf 2 3 4\n"), "vertex that is not there"
        )

    def test_obj_that_counts_from_nothing(self):
        whole = b"v 0 0 0\nv 10 0 0\nv 0 10 0\nv 0 0 10\n"
        good = b"f 1 3 2\nf 1/1 2/1 4/1\nf 2 3 4\nf -1 -2 -4\n"
        self.assertEqual(read_mesh(self.file("good.obj", whole + good)).mesh.triangle_count, 4)
        self.refused(self.file("zero.obj", whole + b"f 0 1 2\n" + good), "corner 0")
        self.refused(self.file("zero-slash.obj", whole + good + b"f 1/1 2/2 0/1\n"), "corner 0")

    def test_ply_that_promises_more_than_it_holds(self):
        head = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nelement face {}\n"
        head += "property list uchar int vertex_indices\nend_header\n0 0 0\n10 0 0\n0 10 0\n0 0 10\n"
        faces = ("3 0 2 1\n", "3 0 1 3\n", "3 1 2 3\n", "3 0 3 2\n")
        self.assertEqual(read_mesh(self.file("good.ply", (head.format(4) + "".join(faces)).encode())).mesh.triangle_count, 4)
        self.refused(self.file("promise.ply", (head.format(4_000_000_000) + "".join(faces)).encode()), "promises 4,000,000,000 faces")
        self.refused(self.file("short.ply", (head.format(5) + "".join(faces)).encode()), "promises 5 faces, 4 could be read|damaged")
        self.refused(self.file("lists.ply", (head.format(4) + "".join(f[:-3] + "\n" for f in faces)).encode()), "promises 4|damaged")

    def test_so_far_off_that_its_detail_is_lost(self):
        ball = trimesh.creation.icosphere(2, radius=100)
        for off, good in ((1e4, True), (1e7, False)):
            moved = ball.copy().apply_translation((off, 0, 0))
            path = self.file(f"{off:g}.stl", moved.export(file_type="stl"))
            if good:
                read_mesh(path)
            else:
                self.refused(path, "no finer than 1")

    def test_text_is_read_in_pieces(self):
        """The same triangles as trimesh reads, in blocks that end in the middle of facets; a damaged line is told."""
        ball = trimesh.creation.icosphere(4, radius=60)
        text = ball.export(file_type="stl_ascii").encode()
        with mock.patch("bastion_core.formats.stl._TEXT_BLOCK_BYTES", 10_000):
            mesh = read_mesh(self.file("ball.stl", text)).mesh
            self.assertEqual(mesh.triangle_count, len(ball.faces))
            self.assertAlmostEqual(mesh.volume, ball.volume, delta=1e-3 * ball.volume)
            at = text.index(b"vertex", 300_000)
            self.refused(self.file("damaged.stl", text[:at] + b"vertex 1.0 oops 3\n" + text[at:]), "vertex line is damaged")

    def test_3mf(self):
        self.refused(self.file("cut.3mf", BOX_3MF.read_bytes()[:600]), "zip|damaged")
        bomb = self.folder / "bomb.3mf"
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("3D/3dmodel.model", b" " * 120_000_000)
        self.refused(bomb, "unpack")
        padded = self.folder / "padded.3mf"
        with zipfile.ZipFile(padded, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("3D/3dmodel.model", b" " * 120_000_000)
            packed.writestr("Metadata/thumbnail.png", np.random.default_rng(1).bytes(3_000_000))
        self.refused(padded, "unpack")
        outside = self.folder / "outside.3mf"
        with zipfile.ZipFile(outside, "w") as packed:
            packed.writestr("../../etc/evil.model", b"x")
        self.refused(outside, "outside the package")
        nothing = self.folder / "nothing.3mf"
        with zipfile.ZipFile(nothing, "w") as packed:
            packed.writestr("readme.txt", b"no mesh here")
        self.refused(nothing, "no model")

    def test_a_3mf_of_too_many_copies_is_counted_and_not_unfolded(self):
        """A few kilobytes that name 25,000 bodies, or twice as many on every one of 15 levels; a hundred copies are a plate."""
        for name, components, levels, items, words in (
            ("wide", 1, 0, 25_000, "more than 20,000 bodies"),
            ("deep", 2, 15, 1, "more than 20,000 bodies"),
            ("deeper", 1, 17, 1, "more than 16 deep"),
        ):
            with self.subTest(name):
                self.refused(self.package(f"{name}.3mf", components, levels, items), words)
        plate = read_mesh(self.package("plate.3mf", 2, 3, 12)).mesh
        self.assertEqual(plate.triangle_count, 12 * 8 * 4)

    def package(self, name: str, components: int, levels: int, items: int) -> Path:
        """A tetrahedron, ``components`` of it (or of the level below) a level, ``items`` times on the plate."""
        wrapper = lib3mf.get_wrapper()
        model, here = wrapper.CreateModel(), wrapper.GetIdentityTransform()
        thing = model.AddMeshObject()
        corners = [thing.AddVertex(lib3mf.Position(at)) for at in ((0, 0, 0), (10, 0, 0), (0, 10, 0), (0, 0, 10))]
        for face in ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2)):
            thing.AddTriangle(lib3mf.Triangle(tuple(corners[k] for k in face)))
        for _ in range(levels):
            above = model.AddComponentsObject()
            for _ in range(components):
                above.AddComponent(thing, here)
            thing = above
        for _ in range(items):
            model.AddBuildItem(thing, here)
        model.QueryWriter("3mf").WriteToFile(str(self.folder / name))
        return self.folder / name

    def test_over_the_limit(self):
        with self.assertRaisesRegex(FileProblem, "limit"):
            read_mesh(BUNNY, most_bytes=1000)

    def test_a_thousand_times_too_large(self):
        path = self.folder / "huge.stl"
        write_binary_stl(box(250_000, 200_000, 300_000).mesh(), path)
        with self.assertRaisesRegex(MeshProblem, "no piece a person wears"):
            take_in(path)
        with self.assertRaisesRegex(MeshProblem, "300 m long"):
            take_in(path, unit="mm")
