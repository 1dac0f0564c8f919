"""``plan.json``: a piece from its file to its parts, out of the stations' results. The command line and the site write the same."""

from typing import Any

import numpy as np

from bastion_core.assemble.recipe import AssembleRecipe
from bastion_core.assemble.records import order_record
from bastion_core.assemble.station import bays_in
from bastion_core.case import Case
from bastion_core.cut.aims import Aim
from bastion_core.cut.plans import Alternative
from bastion_core.cut.station import CutData, CutResult
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import plain
from bastion_core.findings import Finding, Verdict
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.records import steps_record
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.station import FitResult
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import quarter_turns, scaling
from bastion_core.join.glue import glued
from bastion_core.join.recipe import JoinRecipe
from bastion_core.join.records import SeamRecord, axis_of
from bastion_core.join.station import JoinData, JoinResult
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.station import PiecesResult
from bastion_core.print.recipe import PrintRecipe
from bastion_core.print.records import PrintPart
from bastion_core.print.spread import Task, spread
from bastion_core.print.station import PrintData
from bastion_core.takeaway import rows_of

SCHEMA = 1
_SWUNG = (
    "length_mm", "grip_mm", "balance_mm", "mass_g", "swing_g", "wanted", "safety_bare", "weakest_mm", "weakest", "safety", "sags_mm", "seams", "offers",
)  # fmt: skip
"""What plan.json tells of a thing held in the hand."""


def plan_record(graph: Graph, file_name: str, more_warnings: tuple[str, ...] = ()) -> dict[str, Any]:
    """plan.json's content for a piece that is computed to the end.

    ``parts[].transform`` (4x4 rows) brings a part as it lies back to the scaled model as it lay in its file; ``upright`` does so for what is told
    in the upright piece: seams, joints, rods.
    """
    case = graph.case
    pieces: PiecesResult = graph.result("pieces")
    fit: FitResult = graph.result("fit")
    join: JoinData = graph.data("join")
    printed: PrintData = graph.data("print")
    on = _assigned(printed)
    home = _to_file(case.of(PiecesRecipe))
    parts = [_part(p, on.get(p.name), home) for p in printed.parts]
    joined: JoinResult = graph.result("join")
    cut: CutData = graph.data("cut")
    seen = {s.id: s.seen_cm for s in cut.seams}
    return {
        "schema": SCHEMA,
        "model": {
            "file": file_name,
            "triangles": pieces.triangles,
            "volume_mm3": round(pieces.volume_mm3, 3),
            "watertight": pieces.watertight,
            "mended": list(pieces.mended),
            "unit": pieces.unit,
        },
        **_set(case.of(PiecesRecipe), graph.result("cut")),
        "material": case.of(PrintRecipe).material,
        "inside": plain(bays_in(case.of(FitRecipe), fit)),
        "scale": [round(float(s), 6) for s in fit.scale],
        "fit": None if case.wearer is None else _fit(fit),
        "parts": parts,
        "seams": [_seam(s, case) | {"seen_cm": seen.get(s.id)} for s in join.seams],
        "upright": rows_of(home),
        "assembly": _assembly(graph),
        "finish": _finish(graph),
        "steps": [{"above": list(s.above), "below": list(s.below), "seams": list(s.seams), "axis": list(s.axis)} for s in join.steps],
        "alternatives": [_alternative(a, cut.aim) for a in cut.alternatives],
        "rods": [] if join.long is None else [plain(r) for r in join.long.rods],
        "swung": None if join.long is None else {k: v for k, v in plain(join.long).items() if k in _SWUNG},
        "weight": None if join.weight is None else plain(join.weight),
        "moves": [{k: v for k, v in plain(m).items() if k not in ("drawing", "box")} for m in join.moves],
        "marks": [{"part": m.part, "text": m.text, "position_mm": list(m.at_mm), "height_mm": m.height_mm} for m in join.marks],
        "carved_mm3": joined.carved_mm3,
        "grown_mm3": joined.grown_mm3,
        "hardware": plain(joined.hardware),
        "totals": {
            "parts": len(parts),
            "filament_g": round(sum(p["filament_g"] or 0 for p in parts), 2),
            "filament_m": round(sum(p["filament_m"] or 0 for p in parts), 3),
            "hours": round(sum(p["hours"] or 0 for p in parts), 3),
        },
        "warnings": [*more_warnings, *warnings(graph), *(f"{s.parts[0]} to {s.parts[1]}: {s.advice}" for s in join.seams if s.advice)],
    }


def _assembly(graph: Graph) -> dict[str, Any] | None:
    """The order in which it comes together, and what was decided about it; None where it is not computed yet."""
    if graph.found("assemble") is None:
        return None
    return {"decided": plain(graph.case.of(AssembleRecipe))} | order_record(graph.result("assemble"), graph.data("assemble"))


def _finish(graph: Graph) -> dict[str, Any] | None:
    """How it becomes smooth, and what was decided about it; None where it is not computed yet."""
    if graph.found("finish") is None:
        return None
    result, data = graph.result("finish"), graph.data("finish")
    told = steps_record(data.steps, result.products, result.hands_h, result.wait_h, result.days_least)
    return {"decided": plain(graph.case.of(FinishRecipe))} | told


def _alternative(plan: Alternative, chosen: Aim | None) -> dict[str, Any]:
    """A plan that was found: its first aim, what it costs, its planes (each limited to the sides of earlier ones)."""
    told = {
        name: getattr(plan, name)
        for name in (
            "parts",
            "hours",
            "filament_g",
            "support_g",
            "hand_h",
            "seam_cm",
            "seen_cm",
            "care_cm",
            "risk_h",
            "done_h",
            "cost_h",
            "confirmed",
        )
    }
    return {"aim": plan.aims[0], "aims": list(plan.aims), "chosen": chosen in plan.aims, **told, "planes": plain(plan.cuts)}


def _set(recipe: PiecesRecipe, cut: CutResult) -> dict[str, Any]:
    """The files of a set in their places and where they meet; what became of holes whose use is decided. Nothing for a piece without either."""
    told: dict[str, Any] = {}
    if recipe.files:
        files = [{"name": f.name, "body": f.body, "turn_deg": list(f.turn_deg), "move_mm": list(f.move_mm)} for f in recipe.files]
        told["set"] = {"files": files, "mates": plain(cut.mates)}
    if cut.fitted:
        told["features"] = [plain(f) | {"text": str(f.text)} for f in cut.fitted]
    return told


def warnings(graph: Graph) -> list[str]:
    """Everything tight or worse that the stations have to say, in millimetres."""
    said = []
    for key, station in graph.stations.items():
        known = graph.found(key)
        found = station.findings(graph.case, known.result) if known else ()
        said += [str(f.text) for f in found if isinstance(f, Finding) and f.verdict >= Verdict.TIGHT]
    return said


def _assigned(printed: PrintData) -> dict[str, str]:
    """The printer of each part, so that all of them together are done soonest."""
    tasks = [Task(p.name, {n: e.hours for n, e in p.on.items()}) for p in printed.parts if p.on]
    return {task.name: printer for printer, lane in spread(tasks).items() for task in lane}


def _to_file(recipe: PiecesRecipe) -> Floats:
    """4x4 from the upright piece back to how it lay in its file, at the same scale."""
    turn = quarter_turns(*recipe.turns)
    return np.asarray(np.linalg.inv(scaling(-1, 1, 1) @ turn if recipe.mirrored else turn))


def _part(part: PrintPart, printer: str | None, home: Floats) -> dict[str, Any]:
    one = part.on[printer] if printer else None
    # On a printer that does not take it the best way it has files of its own.
    as_laid = next((t for t in part.turned if printer in t.on), part)
    return {
        "id": part.id,
        "name": part.name,
        "file_3mf": as_laid.file_3mf,
        "file_stl": as_laid.file_stl,
        "size_mm": list(as_laid.size_mm),
        "volume_mm3": part.volume_mm3,
        "triangles": part.triangles,
        "printer": printer,
        "support_g": one and round(one.support_g, 2),
        "lying": {
            "down": list(as_laid.lying.down),
            "why": str(as_laid.lying.called) + "".join(f"; {t.text}" for t in as_laid.lying.terms),
            "others": [
                {"down": list(o.down), "called": str(o.called), "hours": o.hours, "support_g": o.support_g, "fits": o.fits}
                for o in part.others
            ],
        },
        "hands_h": round(part.hands.all_h, 2),
        "resin": part.resin
        and {
            "printer": part.resin.printer,
            "hours": round(part.resin.hours, 2),
            "ml": round(part.resin.ml, 1),
            "hands_h": round(part.resin.hands.all_h, 2),
            "brittle": part.resin.brittle,
        },
        "forming": plain(part.forming),
        "filament_g": one and round(one.filament_g, 2),
        "filament_m": one and round(one.filament_m, 3),
        "hours": one and round(one.hours, 3),
        "transform": rows_of(home @ np.array(as_laid.transform)),
    }


def _fit(fit: FitResult) -> dict[str, Any]:
    return {
        "verdict": str(fit.verdict),
        "reason": str(fit.reason),
        "suggested": fit.suggested,
        "judged": fit.judged,
        "room_mm": fit.room_mm,
        "least_scale": fit.least_scale,
        "probability": fit.probability,
    }


def _seam(seam: SeamRecord, case: Case) -> dict[str, Any]:
    """A seam with what holds it: kind, place, axis, clearance and sizes of each fastener, and its glue."""
    record = plain(seam)
    glue = glued(case.of(JoinRecipe).glue, case.of(PrintRecipe).material, seam.needs)
    joints = [
        {"kind": f.what or f.kind, "position_mm": list(f.position_mm), "axis": list(f.axis), "clearance_mm": f.clearance_mm, **f.sizes}
        for f in seam.joints
    ]
    told = {k: record[k] for k in ("id", "letters", "parts", "cut", "area_mm2", "kind")}
    told |= {"axis": list(axis_of(seam)), "rim_mm": seam.needs.rim_mm, "code": seam.code, "own": seam.own}
    return told | {
        "joints": joints,
        "closing": record["closing"],
        "glue": plain(glue) if glue and not seam.own else None,
        "advice": str(seam.advice),
    }
