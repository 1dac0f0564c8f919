"""Carrying out a piece's recipe in the worker: each station once, each result kept under its hash."""

import json
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.fit.scale import scale_by_stature, scale_to_length
from bastion_core.fit.scene import write_scene
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.join.pins import Joined, hardware, join
from bastion_core.pieces.intake import take_in_mesh
from bastion_core.pieces.silhouette import FRONT, SIDE, silhouette, svg_path
from bastion_core.plan import WornOutcome, cost, cut_stage, fit_stage, fit_worn, joint_record, lay_part, scaled, upright
from bastion_core.printing.profile import LAYER_HEIGHTS_MM
from bastion_core.progress import Progress, span
from bastion_core.takeaway import part_name, rows_of, write_part
from bastion_site.builds.calendar import build_calendar
from bastion_site.builds.chain import STATIONS, Chain
from bastion_site.builds.files import Workplace, load_solid, save_mesh
from bastion_site.builds.models import Derived, Piece
from bastion_site.shop.models import Spool
from bastion_site.wearers.scans import body_of_files

_PREVIEW_TRIANGLES = 60_000
_PART_TRIANGLES = 30_000


def plain(value):
    """Numpy numbers and tuples as JSON has them."""
    return json.loads(json.dumps(value, default=lambda v: v.tolist() if hasattr(v, "tolist") else str(v)))


def keep(kind: str, hash_: str, summary: dict, data: dict | None = None) -> Derived:
    """Store a result under its hash; the same recipe computed twice gives one row."""
    kept, _ = Derived.objects.update_or_create(kind=kind, hash=hash_, defaults={"summary": plain(summary), "data": plain(data or {})})
    return kept


def folder_of(kind: str, hash_: str) -> Path:
    """Where the files of a result lie."""
    return Derived(kind=kind, hash=hash_).folder


def compute(piece: Piece, progress: Progress, intake_only: bool = False) -> None:
    """Everything of a piece's recipe that has no fresh result yet."""
    chain = Chain.of(piece)
    if chain.found("intake") is None:
        _intake(chain, span(progress, 0.0, 0.2))
        chain.forget()
    if intake_only:
        return
    run = _Run(chain)
    if chain.found("fit") is None:
        run.fit(span(progress, 0.2, 0.27))
        chain.forget()
    if not chain.printers:
        raise RecipeProblem("There is no printer to cut for. Add one in the shop, or choose others under Cut.")
    if chain.found("cut") is None:
        run.cut(span(progress, 0.27, 0.55))
        chain.forget()
    if chain.found("join") is None:
        run.join(span(progress, 0.55, 0.7))
        chain.forget()
    if chain.found("print") is None:
        run.print(span(progress, 0.7, 0.98))
        chain.forget()
    settle(piece, chain)
    progress(1.0, "done")


def _intake(chain: Chain, progress: Progress) -> None:
    piece, hash_ = chain.piece, chain.intake_hash
    progress(0.02, "reading the file")
    source = read_mesh(piece.mesh.path)
    # Something to look at before the mending: what the maker dropped, seconds after it was dropped.
    preview = folder_of("preview", piece.mesh.sha256)
    if not preview.exists():
        with Workplace(preview) as folder:
            write_glb({"piece": simplified(source.mesh, _PREVIEW_TRIANGLES)}, folder / "preview.glb")
    progress(0.2, "reading the file")
    taken = take_in_mesh(source, piece.site, piece.unit or None, progress)
    with Workplace(folder_of("intake", hash_)) as folder:
        save_mesh(taken.mesh, folder / "solid.npz")
        write_glb({"piece": simplified(taken.mesh, _PREVIEW_TRIANGLES)}, folder / "preview.glb")
    health = taken.health
    keep(
        "intake",
        hash_,
        {
            "unit": taken.unit,
            "unit_reason": taken.unit_guess.reason,
            "unit_sure": taken.unit_guess.sure,
            "size_mm": health.size_mm,
            "triangles": health.triangles,
            "volume_mm3": health.volume_mm3,
            "watertight": health.watertight_as_it_came,
            "overlaps": health.overlaps_itself,
            "mended": health.mended,
            "sentences": health.sentences(),
            "thinnest_wall_mm": health.thinnest_wall_mm,
            "bodies": health.bodies,
        },
        {"faults": asdict(health.faults)},
    )


class _Run:
    """One computation of a piece; solids stay in memory from station to station."""

    def __init__(self, chain: Chain) -> None:
        self.chain = chain
        self._standing: Solid | None = None
        self._joined: Joined | None = None

    def standing(self) -> Solid:
        """The piece upright (and mirrored), at scale 1."""
        if self._standing is None:
            chain = self.chain
            solid = upright(load_solid(folder_of("intake", chain.intake_hash) / "solid.npz"), chain.turns)
            self._standing = solid.transformed(scaling(-1, 1, 1)) if chain.piece.mirrored else solid
        return self._standing

    def fit(self, progress: Progress) -> None:
        progress(0.05, "fitting")
        solid, chain = self.standing(), self.chain
        mesh = solid.mesh()
        thin = chain.found("intake").summary["thinnest_wall_mm"]
        worn, why_not = self._worn(mesh, thin, progress)
        recipe = chain.fit_recipe
        quick = fit_stage(mesh, replace(recipe, scale=worn.scale) if worn else recipe, thin)
        scale = worn.scale if worn else quick.scale
        warnings = list(quick.warnings) if not worn else [w for w in quick.warnings if w.startswith("The axes")]
        if why_not:
            warnings.append(f"Whether it can be worn was not judged: {why_not}")
        answer = worn.answer if worn else None
        summary = {
            "scale": scale,
            "suggested": worn.suggested if worn else quick.suggested,
            "verdict": answer.verdict if answer else quick.verdict,
            "reason": answer.reason if answer else quick.reason,
            "warnings": [*warnings, *(answer.warnings if answer else ())],
            "size_mm": solid.size * np.array(scale),
            "silhouette": silhouette(solid),
            "silhouette_side": silhouette(solid, SIDE),
            "bounds_mm": solid.bounds,
            # A plate touches somewhere wherever it is laid: its tightest place tells nothing.
            "room_mm": _finite(answer.room.least_mm) if worn and worn.fitting.seating.goes_round else None,
            "judged": answer is not None,
            "least_scale": answer.least_scale if answer else None,
            "probability": answer.probability if answer else None,
            "remedies": [{"label": r.text, "kind": r.kind, "change": _decided(r.change, chain.piece.bays)} for r in answer.remedies]
            if answer
            else [],
            "wall_mm": thin * min(scale) if thin else None,
            "measure_next": answer.better[0].reason if answer and answer.better else "",
        }
        data = {"head": quick.head, "answer": None, "sections": []}
        if worn and answer:
            data["answer"] = answer.as_dict() | {"crease_drawing": worn.fitting.crease_drawing(answer)}
            data["sections"] = worn.fitting.sections(answer.placed)
            with Workplace(folder_of("fit", chain.fit_hash)) as folder:
                write_scene(worn.fitting, answer, folder / "fit.glb")
                save_mesh(worn.fitting.worn_mesh(answer.placed), folder / "worn.npz")
        keep("fit", chain.fit_hash, summary, data)

    def _worn(self, mesh, thin: float | None, progress: Progress) -> tuple[WornOutcome | None, str]:
        """The whole answer for a worn piece, or why there is none."""
        chain = self.chain
        question = chain.question
        if question is None:
            return None, ""
        recipe = chain.fit_recipe
        chosen = recipe.scale
        if chosen is None and recipe.wanted_length_mm is not None and recipe.site != "head":
            size = scale_to_length(float(mesh.size.max()), recipe.wanted_length_mm)[0]
            chosen = (size, size, size)
        start = 1.0 if recipe.site == "head" else scale_by_stature(recipe.wearer.get("stature_mm"), recipe.made_for_mm)[0]
        try:
            scan = chain.scan
            body = scan and body_of_files(str(scan.folder), scan.kind, scan.told["values"], question.wearer)
            question = replace(question, thinnest_wall_mm=thin)
            return fit_worn(mesh, question, start, chosen, progress, body), ""
        except (MeshProblem, RecipeProblem) as problem:
            return None, str(problem)

    @property
    def scale(self) -> tuple[float, float, float]:
        return tuple(self.chain.found("fit").summary["scale"])

    def cut(self, progress: Progress) -> None:
        chain = self.chain
        solid = scaled(self.standing(), self.scale)
        slug = part_name(chain.piece.name)
        made = cut_stage(solid, chain.printers, self.scale, slug, chain.piece.site, chain.cuts, progress)
        self._parting = made.parting
        parts = [
            {
                "name": p.name,
                "size_mm": p.solid.size,
                "centre_mm": p.solid.bounds.mean(axis=0),
                "volume_mm3": p.solid.volume,
                "fits": made.fits[p.name],
                "sides": p.sides,
            }
            for p in made.parting.parts
        ]
        hash_ = chain.cut_hash
        with Workplace(folder_of("cut", hash_)) as folder:
            write_glb({p.name: simplified(p.solid.mesh(), _PART_TRIANGLES) for p in made.parting.parts}, folder / "parts.glb")
        keep(
            "cut",
            hash_,
            {
                "parts": len(parts),
                "seams": len(made.parting.seams),
                "findings": made.parting.findings,
                "misfits": made.misfits,
                "proposed": made.proposed,
                "whole_fits": made.whole_fits,
            },
            {"cuts": [asdict(c) for c in made.cuts], "parts": parts},
        )

    def join(self, progress: Progress) -> None:
        chain = self.chain
        parting = getattr(self, "_parting", None)
        if parting is None:
            cuts = [
                Cut(c["id"], tuple(c["point"]), tuple(c["normal"]), tuple(map(tuple, c["limits"])))
                for c in _data("cut", chain.cut_hash)["cuts"]
            ]
            parting = part_solid(scaled(self.standing(), self.scale), cuts, self.scale, part_name(chain.piece.name))
        joined = self._joined = join(parting, chain.pin_rule, progress)
        hash_ = chain.join_hash
        normals: dict[str, list] = {p.name: [] for p in joined.parts}
        for joint in joined.joints:
            n = np.array(joint.seam.plane.normal)
            normals[joint.seam.above].append((-n).tolist())
            normals[joint.seam.below].append(n.tolist())
        with Workplace(folder_of("join", hash_)) as folder:
            for part in joined.parts:
                save_mesh(part.solid.mesh(), folder / f"{part.name}.npz")
        seams = [joint_record(j) | _face_drawing(j) for j in joined.joints]
        pins = hardware(joined.joints)
        keep(
            "join",
            hash_,
            {
                "pins": sum(h.count for h in pins),
                "seams": len(seams),
                "glued_only": sum(not s["joints"] for s in seams),
                "warnings": joined.warnings,
                "hardware": [asdict(h) for h in pins],
            },
            {"seams": seams, "normals": normals, "parts": [p.name for p in joined.parts]},
        )

    def print(self, progress: Progress) -> None:
        chain = self.chain
        record = _data("join", chain.join_hash)
        source = folder_of("join", chain.join_hash)
        price = Spool.objects.filter(material=chain.profile.material).order_by("id").values_list("price_per_kg", flat=True).first()
        parts = []
        hash_ = chain.print_hash
        with Workplace(folder_of("print", hash_)) as folder:
            for index, name in enumerate(record["parts"]):
                progress(index / len(record["parts"]), f"laying {name}")
                solid = load_solid(source / f"{name}.npz")
                normals: list[Floats] = [np.array(n) for n in record["normals"][name]]
                laid = lay_part(name, solid, normals, chain.printers, chain.profile)
                on = {n: asdict(e) for n, e in laid.estimates.items()}
                best = laid.best_printer
                parts.append(
                    write_part(laid.solid, folder, name)
                    | {
                        "printer": best,
                        "filament_g": on[best]["filament_g"] if best else None,
                        "filament_m": on[best]["filament_m"] if best else None,
                        "hours": on[best]["hours"] if best else None,
                        "support_g": on[best]["support_g"] if best else None,
                        "transform": rows_of(np.linalg.inv(laid.matrix)),
                        "on": on,
                        "sweep": {f"{h:.2f}": laid.by_layer_height[h] for h in LAYER_HEIGHTS_MM},
                        "picture": silhouette(laid.solid, FRONT),
                        "footprint": svg_path(laid.solid.outline().simplify(0.5)),
                    }
                )
        grams = sum(p["filament_g"] or 0 for p in parts)
        sweep = [
            {
                "layer_mm": h,
                "hours": sum(p["sweep"][f"{h:.2f}"][p["printer"]][0] for p in parts if p["printer"]),
                "filament_g": sum(p["sweep"][f"{h:.2f}"][p["printer"]][1] for p in parts if p["printer"]),
            }
            for h in LAYER_HEIGHTS_MM
        ]
        keep(
            "print",
            hash_,
            {
                "parts": len(parts),
                "hours": sum(p["hours"] or 0 for p in parts),
                "filament_g": grams,
                "filament_m": sum(p["filament_m"] or 0 for p in parts),
                "cost": cost(grams, chain.profile, price),
                "unprintable": [p["name"] for p in parts if not p["printer"]],
                "tasks": [{"name": p["name"], "hours": {n: e["hours"] for n, e in p["on"].items()}} for p in parts if p["printer"]],
            },
            {"parts": parts, "sweep": sweep},
        )


def _decided(change: dict, bays: list[dict]) -> dict:
    """A remedy's change as decisions of the piece: one bay's other place is a new list of bays."""
    if "bay" not in change:
        return change
    return {"bays": [b | {"place": change["place"], "at_mm": None} if i == change["bay"] else b for i, b in enumerate(bays)]}


def _finite(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _face_drawing(joint) -> dict:
    """The cut face flat, for the drawing: outline, box, and the pins' places in it."""
    low_u, low_v, high_u, high_v = joint.seam.face.bounds
    return {
        "face": svg_path(joint.seam.face),
        "box": [low_u, -high_v, high_u - low_u, high_v - low_v],
        "spots": [{"x": p.flat_mm[0], "y": -p.flat_mm[1], "radius_mm": p.hole_radius_mm} for p in joint.pins],
    }


def _data(kind: str, hash_: str) -> dict:
    return Derived.objects.get(kind=kind, hash=hash_).data


def settle(piece: Piece, chain: Chain) -> None:
    """Take note of what is shown now, and of what the last change did to the totals."""
    result = chain.found("print").summary
    totals = {k: result[k] for k in ("parts", "hours", "filament_g", "filament_m", "cost")}
    Piece.objects.filter(pk=piece.pk).update(shown={s: chain.hash(s) for s in STATIONS})
    calendar = build_calendar(piece.build)
    totals["done_by"] = calendar["done_by"]
    fresh = Piece.objects.get(pk=piece.pk)
    if fresh.totals is None:
        Piece.objects.filter(pk=piece.pk).update(totals=totals)
    elif any(fresh.totals.get(k) != totals[k] for k in ("parts", "hours", "filament_g")):
        before = fresh.totals | {"because": fresh.because}
        Piece.objects.filter(pk=piece.pk).update(totals=totals, before=before)
    else:
        Piece.objects.filter(pk=piece.pk).update(totals=totals)
