"""The suit table of a build: the core's, filled with what the pieces' last fits say."""

from django.db import transaction

from bastion_core.fit.scale import check_scale, scale_by_stature
from bastion_core.fit.sites import BY_NAME
from bastion_core.fit.suit import SuitPiece, suit_table
from bastion_site.builds.chain import Chain, refresh
from bastion_site.builds.models import Build, Piece


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
        SuitPiece(
            p.id, p.name, p.site, p.side, max(f["scale"]), f.get("least_scale"), f.get("wall_mm"), p.walls,
            tuple(f["span_mm"]) if f.get("span_mm") else None, f.get("radius_mm"),
        )
        for p, f, _ in found
        if f
    ]  # fmt: skip
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
