"""Files over HTTP: what the stage shows, photos, and what a maker downloads."""

import csv
import io
import json
import tempfile
import zipfile
from typing import Any

from django.conf import settings
from django.http import FileResponse, Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view

from bastion_core.assemble.paper import assembly_pdf
from bastion_core.assemble.records import DRAWINGS, AssemblyDrawings
from bastion_core.engine.keeping import plain, whole
from bastion_core.engine.store import Ref
from bastion_core.finish.records import LOOK
from bastion_core.join.patterns import strips_pdf, strips_svg
from bastion_core.join.station import JoinData
from bastion_core.plan import plan_record
from bastion_core.takeaway import cut_list, hardware_list, part_name, sheet_html
from bastion_site.builds.models import Build, Piece
from bastion_site.engine.cases import WITH, PieceGraph, graph_of
from bastion_site.engine.store import DatabaseStore
from bastion_site.errors import NotYet
from bastion_site.wire import wire

_STAGE = {
    "pieces": ("pieces", "preview.glb"), "preview": ("preview", "preview.glb"), "fit": ("fit", "fit.glb"), "cut": ("cut", "parts.glb"),
    "seen": ("cut", "seen.glb"), "join": ("join", "joined.glb"), "print": ("print", "laid.glb"), "finish": ("finish", LOOK),
}  # fmt: skip
"""Of each kind of address the station whose folder it is in, and the file."""


def put_piece(zipped: zipfile.ZipFile, graph: PieceGraph, folder: str = "") -> dict[str, Any]:
    """A piece's files into a zip: its parts, plan.json, the cut list, sheets to print. Returns what plan.json says."""
    piece, printed = graph.piece, graph.found("print")
    assert printed is not None
    record = plan_record(graph, piece.file_name)
    pictures = {p.name: p.picture for p in graph.data("print").parts}
    sheet = sheet_html(piece.name, piece.build.name, record, pictures, graph.data("join").seams, piece.note)
    written = io.StringIO()
    csv.writer(written).writerows(cut_list(record["hardware"], record["parts"]))
    there = graph.store.folder(printed.ref)
    for part in record["parts"]:
        for key in ("file_3mf", "file_stl"):
            zipped.write(there / part[key], folder + part[key])
    zipped.writestr(folder + "plan.json", json.dumps(record, indent=1, ensure_ascii=False))
    zipped.writestr(folder + "cut-list.csv", written.getvalue())
    zipped.writestr(folder + "sheet.html", sheet)
    order = _assembly(graph)
    if order is not None:
        zipped.writestr(folder + "assembly.pdf", order)
    return record


def _piece(pk: int) -> Piece:
    piece = Piece.objects.select_related(*WITH).filter(pk=pk).first()
    if piece is None:
        raise Http404("There is no such piece.")
    return piece


def sent(path, headers: dict | None = None) -> HttpResponse:
    """A small file as a download; it may be gone once the answer is made."""
    answer = HttpResponse(path.read_bytes(), content_type="application/octet-stream", headers=headers or {})
    answer["Content-Disposition"] = f'attachment; filename="{path.name}"'
    return answer


@extend_schema(responses={(200, "model/gltf-binary"): OpenApiTypes.BINARY})
@api_view(["GET"])
def stage_file(request, station: str, hash_: str) -> HttpResponse:
    """A GLB for the stage. Named by hash, so it never changes."""
    kind, name = _STAGE[station]
    path = DatabaseStore().folder(Ref(kind, hash_)) / name
    if not path.is_file():
        raise Http404("This view is not computed yet.")
    return FileResponse(path.open("rb"), content_type="model/gltf-binary", headers={"Cache-Control": "public, max-age=31536000, immutable"})


@extend_schema(responses=wire(AssemblyDrawings))
@api_view(["GET"])
def assembly_pictures(request, hash_: str) -> HttpResponse:
    """The drawings of an order. Named by hash, so they never change."""
    path = DatabaseStore().folder(Ref("assemble", hash_)) / DRAWINGS
    if not path.is_file():
        raise Http404("This order is not drawn yet.")
    return HttpResponse(
        path.read_bytes(), content_type="application/json", headers={"Cache-Control": "public, max-age=31536000, immutable"}
    )


@extend_schema(responses={(200, "application/pdf"): OpenApiTypes.BINARY})
@api_view(["GET"])
def assembly_sheet(request, pk: int) -> HttpResponse:
    """A piece's order to print: a drawing for each step, with what to do."""
    piece = _piece(pk)
    sheet = _assembly(graph_of(piece))
    if sheet is None:
        raise NotYet("The order is not computed yet. Wait for it, and download the sheet then.")
    answer = HttpResponse(sheet, content_type="application/pdf")
    answer["Content-Disposition"] = f'attachment; filename="{part_name(piece.name)}-assembly.pdf"'
    return answer


def _assembly(graph: PieceGraph) -> bytes | None:
    """The order as PDF; None where it is not computed yet."""
    found = graph.found("assemble")
    if found is None:
        return None
    drawn = whole(AssemblyDrawings, json.loads((graph.store.folder(found.ref) / DRAWINGS).read_text("utf-8")))
    return assembly_pdf(graph.piece.name, graph.data("assemble"), drawn)


@extend_schema(responses={(200, "image/*"): OpenApiTypes.BINARY})
@api_view(["GET"])
def photo(request, name: str) -> HttpResponse:
    """A photo of a test fit."""
    path = settings.MEDIA_ROOT / "photos" / name
    if not path.is_file():
        raise Http404("This photo is gone from the data folder.")
    return FileResponse(path.open("rb"), headers={"X-Content-Type-Options": "nosniff"})


@extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
@api_view(["GET"])
def takeaway(request, pk: int) -> HttpResponse:
    """Zip of a piece: parts as 3MF and STL, plan.json, the cut list as CSV, and a sheet to print."""
    piece = _piece(pk)
    graph = graph_of(piece)
    printed = graph.found("print")
    if printed is None:
        raise NotYet("This piece is not computed to the end yet. Wait for it, or compute it, and download it then.")
    packed = tempfile.TemporaryFile()  # noqa: SIM115  the response closes it
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as zipped:
        record = put_piece(zipped, graph)
    packed.seek(0)
    slug = record["parts"][0]["name"].rsplit("-", 1)[0] if record["parts"] else "piece"
    return FileResponse(packed, as_attachment=True, filename=f"{slug}.zip", content_type="application/zip")


@extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
@api_view(["GET"])
def piece_hardware(request, pk: int) -> HttpResponse:
    """Pins, screws, inserts and nuts of a piece."""
    piece = _piece(pk)
    return _hardware([piece], f"{part_name(piece.name)}-hardware.csv")


@extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
@api_view(["GET"])
def build_hardware(request, pk: int) -> HttpResponse:
    """Pins, screws, inserts and nuts of all pieces of a build."""
    build = Build.objects.filter(pk=pk).first()
    if build is None:
        raise Http404("There is no such build.")
    return _hardware(list(build.pieces.select_related(*WITH)), f"{part_name(build.name)}-hardware.csv")


@extend_schema(responses={(200, "image/svg+xml"): OpenApiTypes.STR, (200, "application/pdf"): OpenApiTypes.BINARY})
@api_view(["GET"])
def piece_strips(request, pk: int, kind: str) -> HttpResponse:
    """The strips of a piece's moving parts as flat patterns at true size."""
    piece = _piece(pk)
    found = graph_of(piece).found("join")
    if found is None:
        raise NotYet("The joints are not computed yet. Wait for them, and download the strips then.")
    data: JoinData = graph_of(piece).data("join")
    name = f"{part_name(piece.name)}-strips.{kind}"
    svg = kind == "svg"
    content = strips_svg(data.moves, piece.name) if svg else strips_pdf(data.moves, piece.name)
    return HttpResponse(
        content,
        content_type="image/svg+xml" if svg else "application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


def _hardware(pieces: list[Piece], name: str) -> HttpResponse:
    """The list of some pieces; one that is not computed yet says so in it. NotYet where none is."""
    known = {piece.name: graph_of(piece).found("join") for piece in pieces}
    if pieces and not any(known.values()):
        raise NotYet("The joints are not computed yet. Wait for them, and download the list then.")
    lines: list[dict] = []
    for piece, found in known.items():
        if found is None:
            lines.append({"name": "not computed yet", "count": "", "diameter_mm": 0, "length_mm": 0, "piece": piece})
        else:
            lines += [plain(line) | {"piece": piece} for line in found.result.hardware]
    answer = HttpResponse(content_type="text/csv; charset=utf-8", headers={"Content-Disposition": f'attachment; filename="{name}"'})
    csv.writer(answer).writerows(hardware_list(lines))
    return answer
