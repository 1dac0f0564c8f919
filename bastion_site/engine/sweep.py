"""Takes away what nobody refers to any more: results, sources and photos of what was deleted, a deleted person's body among them."""

import shutil
import time
from collections.abc import Iterable
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError
from bastion_core.stations import BUILD_STATIONS, STATIONS
from bastion_site.builds.models import Build, Derived, FrozenPart, MeshFile, Piece, TestFit
from bastion_site.engine.cases import SCANS, WITH, build_graph, drafts_of, graphs_of
from bastion_site.prints.models import Run
from bastion_site.wearers.models import Scan

_MOMENT_S = 60.0
_PREVIEW, _SCAN = "preview", "scan"


def sweep(everything: bool = False) -> int:
    """Delete what nothing kept refers to; how many results, sources and photos went.

    With ``everything`` also files without a row, as a crash leaves them: only while nothing is being computed or brought in.
    """
    begun, gone = timezone.now(), 0
    used = _used()
    for kind in [s.key for s in (*STATIONS, *BUILD_STATIONS)]:
        # What a worker keeps meanwhile may belong to decisions made meanwhile.
        for derived in Derived.objects.filter(kind=kind, created__lt=begun).only("kind", "hash"):
            ref = Ref(derived.kind, derived.hash)
            if ref not in used:
                derived.delete()
                shutil.rmtree(_folder(ref), ignore_errors=True)
                gone += 1
    gone += _beside(used)
    pictures = set(TestFit.objects.exclude(photo="").values_list("photo", flat=True))
    pictures |= set(Piece.objects.exclude(picture="").values_list("picture", flat=True))
    pictures |= set(Run.objects.exclude(photo="").values_list("photo", flat=True))
    # A photo is there a moment before its row.
    before = time.time() + (1 if everything else -_MOMENT_S)
    gone += _unlink(p for p in _in(settings.MEDIA_ROOT / "photos") if p.name not in pictures and p.stat().st_mtime < before)
    return gone + (_orphans(used) if everything else 0)


def _used() -> set[Ref]:
    """Every result that a piece or build would show: today's, and the last there was while today's is computed."""
    used = {Ref("print", h) for h in FrozenPart.objects.values_list("print_hash", flat=True)}
    pieces = list(Piece.objects.select_related(*WITH).prefetch_related(*SCANS))
    pieces += drafts_of(pieces)
    for piece in pieces:
        used |= {Ref(key, hash_) for key, hash_ in piece.shown.items()}
    for graph in graphs_of(pieces):
        used |= set(_refs(graph, STATIONS))
    for build in Build.objects.all():
        try:
            used |= set(_refs(build_graph(build)[0], BUILD_STATIONS))
        except BastionError:
            continue
    return used | set(_leant_on(used))


def _leant_on(used: set[Ref]) -> Iterable[Ref]:
    """What used results were made with and is kept beside them."""
    for kind in {ref.kind for ref in used}:
        for found in Derived.objects.filter(kind=kind, result__has_key="leans_on").only("kind", "hash", "result").iterator():
            if Ref(found.kind, found.hash) in used:
                yield from (Ref(r["kind"], r["hash"]) for r in found.result["leans_on"])


def _beside(used: set[Ref]) -> int:
    """Takes away what is kept beside results and none of them leans on; not what was kept a moment ago, for a result to come."""
    known = {s.key for s in (*STATIONS, *BUILD_STATIONS)} | {_SCAN, _PREVIEW}
    kept = {_folder(ref) for ref in used}
    before, gone = time.time() - _MOMENT_S, 0
    for kind in _in(settings.MEDIA_ROOT / "derived"):
        for folder in _in(kind) if kind.name not in known else ():
            if folder not in kept and folder.stat().st_mtime < before:
                shutil.rmtree(folder, ignore_errors=True)
                gone += 1
    return gone


def _refs(graph, stations) -> Iterable[Ref]:
    for station in stations:
        try:
            ref = graph.ref(station.key)
        except BastionError:  # decisions that no longer go with this program are mended by their maker first
            continue
        if ref is not None:
            yield ref


def _orphans(used: set[Ref]) -> int:
    """Folders of results without a row, sources and scans of nobody."""
    MeshFile.objects.filter(pieces=None, sets=None, scans=None).delete()
    kept = {_folder(ref) for ref in used}
    kept |= {_folder(Ref(_PREVIEW, sha)) for sha in MeshFile.objects.values_list("sha256", flat=True)}
    gone = 0
    for kind in _in(settings.MEDIA_ROOT / "derived"):
        if kind.name == _SCAN:
            left = [f for f in _in(kind) if f.name not in {str(pk) for pk in Scan.objects.values_list("pk", flat=True)}]
        else:
            left = [f for f in _in(kind) if f not in kept]
        for folder in left:
            shutil.rmtree(folder, ignore_errors=True)
        gone += len(left)
    known = set(MeshFile.objects.values_list("sha256", flat=True))
    return gone + _unlink(p for p in _in(settings.MEDIA_ROOT / "sources") if p.name not in known)


def _folder(ref: Ref) -> Path:
    return settings.MEDIA_ROOT / "derived" / ref.kind / ref.hash


def _in(folder: Path) -> list[Path]:
    return sorted(folder.iterdir()) if folder.is_dir() else []


def _unlink(paths: Iterable[Path]) -> int:
    count = 0
    for path in paths:
        path.unlink(missing_ok=True)
        count += 1
    return count
