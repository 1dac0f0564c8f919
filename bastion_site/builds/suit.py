"""The suit table of a build: the core's, filled with what the pieces' last fits say."""

from pathlib import Path

from django.db import transaction

from bastion_core.fit.joints import Worn, drawn, meetings, meshes_of, tightest_of
from bastion_core.fit.scale import check_scale, scale_by_stature
from bastion_core.fit.sites import BY_NAME
from bastion_core.fit.suit import SuitPiece, suit_table
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer as CoreWearer
from bastion_site.builds.chain import Chain, refresh
from bastion_site.builds.files import load_mesh
from bastion_site.builds.hashing import hash_of
from bastion_site.builds.models import Build, Derived, Piece
from bastion_site.jobs.apart import run_apart
from bastion_site.wearers.scans import body_of_files


def _worn(build: Build):
    return build.pieces.filter(site__in=BY_NAME).select_related("build__wearer", "wearer", "mesh")


def suit(build: Build) -> dict:
    """First guess from the statures, and a row for each worn piece."""
    found = []
    for piece in _worn(build):
        chain = Chain.of(piece)
        fit = chain.shown("fit")
        found.append((piece, fit.summary if fit else None, chain.states(piece.jobs.first())["fit"]))
    asked = [
        SuitPiece(p.id, p.name, p.site, p.side, max(f["scale"]), f.get("least_scale"), f.get("wall_mm"), p.walls) for p, f, _ in found if f
    ]
    told = {row.id: row for row in suit_table(asked)}
    rows = []
    for piece, fit, state in found:
        row = told.get(piece.id)
        rows.append(
            {
                "id": piece.id,
                "name": piece.name,
                "site": piece.site,
                "verdict": fit["verdict"] if fit else "waits",
                "state": state,
                "wanted": fit.get("least_scale") if fit else None,
                "chosen": max(fit["scale"]) if fit else None,
                "room_mm": fit.get("room_mm") if fit else None,
                "probability": fit.get("probability") if fit else None,
                "ratio": row.ratio if row else None,
                "wall_mm": fit.get("wall_mm") if fit else None,
                "complaints": list(row.complaints) if row else [],
            }
        )
    wearer = build.wearer
    made_for = build.pieces.values_list("made_for_mm", flat=True).first()
    stature = wearer.measurements.get("stature_mm") if wearer else None
    factor, reason = scale_by_stature(stature, made_for) if made_for else (None, "the build has no pieces yet")
    return {"factor": factor if stature else None, "reason": reason, "rows": rows}


def moved(build: Build) -> dict:
    """Every joint of the build's wearer with its pieces on; computed once for the same pieces in the same places."""
    from bastion_site.builds.pipeline import keep

    if build.wearer is None:
        return {"waits": "Nobody is chosen to wear this build. Choose a wearer on the Wall.", "meetings": [], "left_out": []}
    worn, left_out, hashes = [], [], []
    scan = build.wearer.scans.filter(used=True, kind="body").first()
    for piece in _worn(build):
        chain = Chain.of(piece)
        fit = chain.found("fit")
        if piece.worn_by != build.wearer or fit is None or not (fit.folder / "worn.npz").exists():
            left_out.append(piece.name)
            continue
        worn.append((piece.id, piece.name, piece.site, piece.side, str(fit.folder / "worn.npz")))
        hashes.append((piece.id, piece.name, fit.hash))
    core = build.wearer.core()
    hash_ = hash_of("moved", hashes, core.as_dict(), scan and [scan.pk, scan.told["values"]])
    found = Derived.objects.filter(kind="moved", hash=hash_).first()
    if found is None:
        told = run_apart(move_joints, worn, core, scan and str(scan.folder), scan and scan.told["values"])
        found = keep("moved", hash_, {}, {"meetings": told})
    return {"waits": "", "meetings": found.data["meetings"], "left_out": left_out}


def move_joints(worn: list[tuple], wearer: CoreWearer, scan_folder: str | None, measured: dict | None) -> list[dict]:
    """The meetings of pieces whose worn meshes lie in these files, on the wearer's body; for a process apart."""
    body = body_of_files(scan_folder, "body", measured or {}, wearer) if scan_folder else stand_in(wearer)
    pieces = [Worn(id_, name, site, side, load_mesh(Path(file))) for id_, name, site, side, file in worn]
    told = meetings(pieces, body)
    tightest = {id(m) for m in tightest_of(told)}
    return [
        m.as_dict() | {"tightest": id(m) in tightest, "drawing": drawn(m, *meshes_of(m, pieces, body), body) if id(m) in tightest else None}
        for m in told
    ]


def scale_all(build: Build, factor: float) -> None:
    """Every worn piece to one scale, as a decision of the maker."""
    check_scale((factor, factor, factor))
    with transaction.atomic():
        for piece in Piece.objects.select_for_update().filter(build=build, site__in=BY_NAME):
            piece.scale = [factor, factor, factor]
            piece.version += 1
            piece.save(update_fields=["scale", "version"])
    for piece in _worn(build):
        refresh(piece, "the suit's factor")
