"""What the demo's helmet takes, against what makers say of theirs: common practice, no source."""

import unittest

import numpy as np

from bastion_core.geometry.solid import Solid
from bastion_core.print.lay import lay_part
from bastion_core.print.profile import Profile
from bastion_core.shop import Printer
from demo.models import nautilus_helm


class Hours(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.helm = Solid(Solid.from_mesh(nautilus_helm(0.5)).manifold.scale([1.067] * 3))

    def hours(self, solid, printer, *cut):
        return lay_part("part", solid, [np.array(n) for n in cut], [printer], Profile()).estimates[printer.name].hours

    def test_a_whole_helmet(self):
        """55 h in one piece on an ordinary printer."""
        ordinary = Printer("ordinary", 400, 400, 450, 5, True, 60.0, 1500.0)
        self.assertAlmostEqual(self.hours(self.helm, ordinary) / 55, 1, delta=0.25)

    def test_three_parts(self):
        """About 10 h each on quicker ones."""
        quick = Printer("quick", 260, 260, 260)
        (low, high), mid = self.helm.bounds[:, 2], float(self.helm.bounds[:, 1].mean())
        level = low + 0.55 * (high - low)
        dome = Solid(self.helm.manifold.trim_by_plane([0, 0, 1], level))
        lower = self.helm.manifold.trim_by_plane([0, 0, -1], -level)
        face, nape = Solid(lower.trim_by_plane([0, -1, 0], -mid)), Solid(lower.trim_by_plane([0, 1, 0], mid))
        for name, hours in (
            ("dome", self.hours(dome, quick, (0, 0, -1.0))),
            ("face", self.hours(face, quick, (0, 0, 1.0), (0, 1.0, 0))),
            ("nape", self.hours(nape, quick, (0, 0, 1.0), (0, -1.0, 0))),
        ):
            with self.subTest(name):
                self.assertAlmostEqual(hours / 10, 1, delta=0.25)


if __name__ == "__main__":
    unittest.main()
