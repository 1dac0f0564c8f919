"""A part cut in two, so that each half lies flat on the cut."""

import numpy as np

from bastion_core.cut.parting import Cut
from bastion_core.cut.station import CutData
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.print.records import PrintPart


def halved(data: CutData, part: PrintPart, scale: tuple[float, float, float]) -> tuple[Cut, ...] | None:
    """All cuts, and one more that parts a part along its height as it lies, across its thinner side. None where the part is not among those cut."""
    of = next((p for p in data.parts if p.id == part.id), None)
    if of is None:
        return None
    thin: Floats = np.eye(3)[0 if part.size_mm[0] <= part.size_mm[1] else 1]
    stretch = np.array(scale)
    # Planes are kept at scale 1: points shrink with it, normals against it.
    normal = np.array(part.transform)[:3, :3] @ thin * stretch
    taken = {c.id for c in data.cuts}
    name = next(f"c{k}" for k in range(1, len(taken) + 2) if f"c{k}" not in taken)
    cut = Cut(name, three(np.array(of.centre_mm) / stretch), three(normal / np.linalg.norm(normal)), of.sides)
    return (*data.cuts, cut)
