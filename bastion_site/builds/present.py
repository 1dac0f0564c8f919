"""What the screens are told of a piece: results, findings with remedies, and what the last change did."""

from bastion_core.errors import BastionError
from bastion_core.fit.sites import BY_NAME
from bastion_core.measure.wearer import ROWS
from bastion_site.builds.chain import STATIONS, Chain
from bastion_site.builds.models import Derived, Piece
from bastion_site.jobs.models import Job
from bastion_site.shop.models import Spool
from bastion_site.wearers.sheet import needs_of

HEAD_NEEDS = ("head_breadth_mm", "head_length_mm")
OTHER_NEEDS = ("stature_mm",)
_WORST = {"holds": 0, "waits": 1, "tight": 2, "stops": 3}


def finding(verdict: str, text: str, *remedies: tuple[str, dict]) -> dict:
    """Something to know: how bad, what, and changes to the piece that would mend it."""
    return {"verdict": verdict, "text": text, "remedies": [{"label": label, "change": change} for label, change in remedies]}


def row(piece: Piece, chain: Chain, job: Job | None, spools: list[Spool]) -> dict:
    """A piece as a row of the Wall."""
    results = {s: _summary(chain, s) for s in STATIONS}
    states = chain.states(job)
    findings = _findings(piece, chain, results, states, job, spools)
    stations = {}
    for station in ("measure", *STATIONS):
        worst = max((f["verdict"] for f in findings[station]), key=lambda v: _WORST[v], default="holds")
        waits = station != "measure" and results[station] is None and worst != "stops"
        stations[station] = {
            "state": "fresh" if station == "measure" else states[station],
            "verdict": "waits" if waits else worst,
            "findings": findings[station],
        }
    wearer = piece.worn_by
    fit = results["fit"]
    return {
        "id": piece.id,
        "name": piece.name,
        "side": piece.side,
        "site": piece.site,
        "mirror_of": piece.mirror_of_id,
        "version": piece.version,
        "file_name": piece.file_name,
        "wearer": None if wearer is None else {"id": wearer.id, "name": wearer.name, **_taken(piece, wearer)},
        "silhouette": fit["silhouette"] if fit else "",
        "bounds_mm": fit["bounds_mm"] if fit else None,
        "job": job_record(job),
        "stations": stations,
        "intake": results["intake"],
        "fit": fit and {k: v for k, v in fit.items() if not k.startswith("silhouette")},
        "cut": results["cut"],
        "join": results["join"],
        "print": results["print"] and {k: v for k, v in results["print"].items() if k != "tasks"},
        "totals": piece.totals,
        "before": piece.before,
        "because": piece.because,
    }  # fmt: skip


def _taken(piece: Piece, wearer) -> dict:
    """How many of the measurements this piece hangs on are taken."""
    needs, core = needs_of(piece), wearer.core()
    return {"taken": sum(core.get(k, piece.side) is not None for k in needs), "of": len(needs)}


def detail(piece: Piece, chain: Chain, job: Job | None, spools: list[Spool]) -> dict:
    """A piece with all that its station pages show: the row, its recipe, and the bulky results."""
    return row(piece, chain, job, spools) | {
        "build": piece.build_id,
        "note": piece.note,
        "recipe": {name: getattr(piece, name) for name in RECIPE_FIELDS} | {"wearer": piece.wearer_id},
        "fit_data": _data(chain, "fit"),
        "usual": usual(piece),
        "cut_data": _data(chain, "cut"),
        "join_data": _without(_data(chain, "join"), "normals"),
        "print_data": _without(_data(chain, "print"), ""),
        "silhouette_side": (_summary(chain, "fit") or {}).get("silhouette_side", ""),
        "files": {"preview": _file(chain, "intake") or _preview(piece), "parts": _file(chain, "cut"), "fit": _fit_file(chain)},
    }


RECIPE_FIELDS = (
    "name", "note", "site", "side", "unit", "turn_x", "turn_y", "turn_z", "mirrored", "pad_mm", "made_for_mm", "wanted_length_mm", "scale",
    "way_in", "layers", "bays", "shift_mm", "turn_deg", "give_mm",
    "printer_ids", "cuts", "pin_diameters_mm", "pin_clearance_mm", "layer_mm", "walls", "infill", "material",
)  # fmt: skip


def job_record(job: Job | None) -> dict | None:
    if job is None:
        return None
    return {"id": job.id, "kind": job.kind, "state": job.state, "progress": job.progress, "what": job.what, "message": job.message}


def _summary(chain: Chain, station: str) -> dict | None:
    try:
        result = chain.shown(station)
    except BastionError:
        return None
    return result.summary if result else None


def _data(chain: Chain, station: str) -> dict | None:
    try:
        result = chain.shown(station)
    except BastionError:
        return None
    return Derived.objects.get(pk=result.pk).data if result else None


def _without(data: dict | None, key: str) -> dict | None:
    return data and {k: v for k, v in data.items() if k != key}


def _file(chain: Chain, station: str) -> str | None:
    """Address part of a station's GLB: the hash, so that a browser may keep it for ever."""
    try:
        result = chain.shown(station)
    except BastionError:
        return None
    return f"{station}/{result.hash}" if result else None


def _fit_file(chain: Chain) -> str | None:
    """The fit's scene, where the piece was judged on a body."""
    summary = _summary(chain, "fit")
    return _file(chain, "fit") if summary and summary.get("judged") else None


def usual(piece: Piece) -> dict:
    """What is usual where a piece is worn: how it goes on, and whether it is judged on a body at all."""
    where = BY_NAME.get(piece.site)
    return {"worn": where is not None, "way_in": where.way_in if where else ""}


def _preview(piece: Piece) -> str | None:
    folder = Derived(kind="preview", hash=piece.mesh.sha256).folder
    return f"preview/{piece.mesh.sha256}" if folder.exists() else None


def _findings(piece: Piece, chain: Chain, results: dict, states: dict, job: Job | None, spools: list[Spool]) -> dict[str, list[dict]]:
    told: dict[str, list[dict]] = {s: [] for s in ("measure", *STATIONS)}
    wearer = piece.worn_by
    needs = HEAD_NEEDS if piece.site == "head" else OTHER_NEEDS
    if wearer is None:
        told["measure"].append(finding("waits", "No wearer is chosen. Choose one for the build or for this piece."))
    else:
        missing = [ROWS[k].name.lower() for k in needs if k not in wearer.measurements]
        if missing:
            guessed = "Guessed meanwhile, as far as the rest tells." if piece.site in BY_NAME else ""
            told["measure"].append(finding("tight", f"{wearer.name}: {' and '.join(missing)} not taken. {guessed}".strip()))
    if job and job.state in (Job.State.FAILED, Job.State.STOPPED):
        station = next((s for s in STATIONS if states[s] != "fresh"), None)
        if station:
            told[station].append(finding("stops" if job.state == Job.State.FAILED else "waits", job.message))
    intake, fit, cut, joined, printed = (results[s] for s in STATIONS)
    if intake:
        if not intake["watertight"]:
            told["intake"].append(finding("tight", "Not watertight as it came; mended: " + "; ".join(intake["mended"]) + "."))
        if intake["overlaps"]:
            told["intake"].append(finding("tight", "The surface passes through itself: weights and hours may count some material twice."))
        if not intake["unit_sure"]:
            told["intake"].append(finding("tight", f"Unit guessed as {intake['unit']}: {intake['unit_reason']}."))
    if fit:
        if fit["verdict"] != "holds":
            remedies = []
            if piece.scale is not None and not fit.get("judged"):
                remedies.append((f"Scale to {100 * fit['suggested']:.1f} %", {"scale": None}))
            for remedy in fit.get("remedies", []):
                if remedy["change"]:
                    remedies.append((remedy["label"].split(":")[0].rstrip("."), remedy["change"]))
            told["fit"].append(finding(fit["verdict"], fit["reason"], *remedies))
            by_hand = [r["label"] for r in fit.get("remedies", []) if not r["change"]]
            if by_hand:
                told["fit"].append(finding("waits", " ".join(by_hand)))
        told["fit"] += [finding("waits" if w.startswith("Costume only") else "tight", w) for w in fit["warnings"]]
        sure = fit.get("probability")
        if sure is not None and 0.02 < sure < 0.98:
            told["fit"].append(
                finding("tight" if sure < 0.9 else "holds", f"{100 * sure:.0f} % likely to fit. {fit['measure_next']}".strip())
            )
    if cut:
        for name in cut["misfits"]:
            told["cut"].append(
                finding(
                    "stops",
                    f"{name} fits no printer chosen for this piece.",
                    ("Propose planes", {"cuts": None}),
                    ("Use all printers", {"printer_ids": []}),
                )
            )
        if piece.cuts is not None and not cut["misfits"] and not cut["findings"] and len(piece.cuts) == 0:
            told["cut"].append(finding("holds", "Kept in one piece by the maker."))
        told["cut"] += [finding("tight", text) for text in cut["findings"]]
    if joined:
        if joined["glued_only"]:
            told["join"].append(
                finding("tight", f"{joined['glued_only']} of {joined['seams']} seams have no room for pins: glue with an inside fillet.")
            )
        told["join"] += [finding("tight", w) for w in joined["warnings"]]
    if printed:
        for name in printed["unprintable"]:
            told["print"].append(finding("stops", f"{name} cannot be printed: it fits no printer as it lies."))
        there = [s for s in spools if s.material == piece.material]
        left = sum(s.left_g for s in there)
        if there and left < printed["filament_g"]:
            told["print"].append(
                finding("tight", f"{printed['filament_g']:.0f} g needed, {left:.0f} g left on the shop's spools of this material.")
            )
        elif not there:
            told["print"].append(finding("tight", "The shop has no spool of this material."))
    return told
