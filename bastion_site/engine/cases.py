"""From rows to what the core's stations are asked about: a piece or a build with everything decided, the shop as it is today."""

from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import replace

from bastion_core.case import BuildCase, Case, PrintedPiece, ScanBody, WornPiece
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError
from bastion_core.fit.sites import BY_NAME
from bastion_core.measure.wearer import Wearer as CoreWearer
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.plates.beds import round_rate
from bastion_core.plates.recipe import PlatesRecipe
from bastion_core.print.recipe import PrintRecipe
from bastion_core.recipes import VERSION
from bastion_core.shop import Shop
from bastion_core.stations import BUILD_STATIONS, STATIONS
from bastion_site.builds.models import Build, Draft, Piece
from bastion_site.engine.store import DatabaseStore
from bastion_site.prints.bench import hands_here
from bastion_site.prints.logbook import learnt_here, parts_printed
from bastion_site.shop.models import Printer, shop_today
from bastion_site.wearers.models import Wearer

WITH = ("build__wearer", "wearer", "mesh")
"""What a piece is always loaded with."""
SCANS = ("wearer__scans", "build__wearer__scans", "frozen_parts")
"""What many pieces are loaded with beside that."""


def scan_for(wearer: Wearer | None, site: str) -> ScanBody | None:
    """The scan that stands for the wearer's body at a site, where one is used.

    On the head a head's goes before a whole one's; on trunk and limbs a whole one's, and a head's says nothing of limbs.
    """
    where = BY_NAME.get(site)
    if wearer is None or where is None:
        return None
    kinds = {"head": ("head", "body"), "trunk": ("body", "head")}.get(where.part, ("body",))
    used = {scan.kind: scan for scan in wearer.scans.all() if scan.used and scan.found}
    return next((scan_body(used[kind]) for kind in kinds if kind in used), None)


def scan_body(scan) -> ScanBody:
    """A scan as stations know it. Its files change when it is read otherwise, so what was found on it is part of its name."""
    values = {k: v["value"] for k, v in scan.found["values"].items()}
    return ScanBody(Ref("scan", f"{scan.pk}/{scan.reading}"), scan.kind, values)


def case_of(piece: Piece, shop: Shop, people: dict[int, CoreWearer] | None = None) -> Case:
    """A piece as stations know it; RecipeProblem when a decision cannot be. ``people`` are those already asked for, by key."""
    wearer, site, known = piece.worn_by, piece.of(PiecesRecipe).site, {} if people is None else people
    if wearer is not None and wearer.pk not in known:
        known[wearer.pk] = wearer.core()
    core = None if wearer is None else known[wearer.pk]
    return Case(piece.name, piece.mesh.sha256, piece.decided, core, scan_for(wearer, site), shop)


class PieceGraph(Graph):
    """A piece's stations, with what was shown last where nothing is fresh."""

    def __init__(
        self, piece: Piece, shop: Shop, store: DatabaseStore, memo: Memo | None = None, people: dict[int, CoreWearer] | None = None
    ) -> None:
        super().__init__(STATIONS, case_of(piece, shop, people), store, memo)
        self.piece = piece

    def last(self, key: str) -> Ref | None:
        """Where the result lies that is shown: the fresh one, else the last one there was."""
        ref = self.ref(key)
        if ref is not None and (self.found(key) is not None):
            return ref
        shown = self.piece.shown.get(key)
        return Ref(key, shown) if shown else None


def name_of(ref: Ref) -> str:
    """A result in one word."""
    return f"{ref.kind}/{ref.hash}"


def drafts_of(pieces: Iterable[Piece]) -> list[Piece]:
    """The drafts of pieces as the pieces they would be; one whose change can no longer be is passed over."""
    found = []
    for draft in Draft.objects.filter(piece__in=list(pieces), recipe_version=VERSION).select_related(*(f"piece__{name}" for name in WITH)):
        with suppress(BastionError):
            found.append(draft.as_piece())
    return found


def shop_now() -> Shop:
    """The shop as it is, with what its log says of its hands."""
    return replace(shop_today(), hands=hands_here())


def _at_once() -> list[list[str]]:
    """The stations whose results are kept, in their order: together those of which none reads another's."""
    levels: list[list[str]] = [[]]
    for station in (s for s in STATIONS if s.kept):
        if set(station.after) & set(levels[-1]):
            levels.append([])
        levels[-1].append(station.key)
    return levels


_AT_ONCE = _at_once()


def graph_of(piece: Piece, memo: Memo | None = None) -> PieceGraph:
    """One piece's stations as they stand."""
    return PieceGraph(piece, shop_now(), DatabaseStore(), memo)


def graphs_of(pieces: Sequence[Piece], shop: Shop | None = None) -> list[PieceGraph]:
    """Many pieces' stations, their results looked up station by station instead of piece by piece."""
    store, shop = DatabaseStore(), shop or shop_now()
    people: dict[int, CoreWearer] = {}
    graphs = [PieceGraph(p, shop, store, None, people) for p in pieces]
    for keys in _AT_ONCE:
        store.look_up(ref for key in keys for g in graphs if (ref := g.ref(key)) is not None)
    store.look_up(Ref(s.key, g.piece.shown[s.key]) for s in STATIONS for g in graphs if s.key in g.piece.shown)
    return graphs


def worn_pieces(build: Build) -> Iterable[Piece]:
    """The pieces of a build that are worn somewhere."""
    return [p for p in build.pieces.select_related(*WITH).prefetch_related(*SCANS) if p.site in BY_NAME]


def build_case(build: Build) -> tuple[BuildCase, list[str]]:
    """A build as stations know it, and the names of worn pieces that were left out: not judged yet, or worn by somebody else."""
    pieces = list(build.pieces.select_related(*WITH).prefetch_related(*SCANS))
    worn, printed, left_out = [], [], []
    shop, decided = shop_now(), build.decided
    left_for_later = build.of(PlatesRecipe).left_out
    _, again = parts_printed(p.pk for p in pieces)
    for graph in graphs_of(pieces, shop):
        piece = graph.piece
        done, how = graph.found("print"), piece.of(PrintRecipe)
        if done is not None and piece.pk not in left_for_later:
            printed.append(PrintedPiece(piece.pk, piece.name, done.ref, how.material, how.colour, how.layer_mm, again.get(piece.pk, ())))
        if piece.site not in BY_NAME:
            continue
        fit = graph.found("fit")
        if piece.worn_by != build.wearer or fit is None or not fit.result.judged:
            left_out.append(piece.name)
            continue
        worn.append(WornPiece(piece.id, piece.name, piece.site, piece.side, fit.ref))
    wearer = build.wearer
    scan = next((s for s in wearer.scans.all() if s.used and s.found and s.kind == "body"), None) if wearer else None
    return BuildCase(
        wearer.core() if wearer else None, scan_body(scan) if scan else None, tuple(worn), decided, tuple(printed), shop,
        tuple(p.gantry() for p in Printer.objects.filter(active=True)), round_rate(learnt_here().fails_of("").per_h),
    ), left_out  # fmt: skip


def build_graph(build: Build, memo: Memo | None = None) -> tuple[Graph, list[str]]:
    """A build's stations as they stand, and what was left out of them."""
    case, left_out = build_case(build)
    return Graph(BUILD_STATIONS, case, DatabaseStore(), memo), left_out


def whole(graph: Graph) -> bool:
    """Whether everything of it is fresh; a decision that cannot be is not."""
    try:
        return graph.fresh
    except BastionError:
        return False
