"""Parts that are printed stay as they are: what it costs to have them as they are decided now."""

from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError
from bastion_core.findings import Finding, Verdict, grams, hours, say
from bastion_site.engine.cases import PieceGraph

_SAME_MM, _SAME_SHARE = 0.05, 1e-3


def altered(graph: PieceGraph) -> tuple[Finding, ...]:
    """A finding where decisions would make printed parts otherwise than they were printed, with the price of printing them again.

    Nothing while the piece is computed, or where no part of it is printed.
    """
    frozen = list(graph.piece.frozen_parts.all())
    known = graph.found("print") if frozen else None
    if known is None or all(f.print_hash == known.ref.hash for f in frozen):
        return ()
    now = {p["id"]: p for p in graph.store.data(known.ref)["parts"]}
    other: list[str] = []
    price_h = price_g = 0.0
    for part in frozen:
        was = _as_printed(graph, part.print_hash).get(part.part)
        then = now.get(part.part)
        if was is None or (then is not None and _same(was, then)):
            continue
        other.append(was["name"].rsplit("-", 1)[-1])
        price_h += (then or was)["hours"] or 0.0
        price_g += (then or was)["filament_g"] or 0.0
    if not other:
        return ()
    words = "{}: printed already, otherwise than is decided now. To print that again takes {}, {}; or undo what changed it."
    return (Finding("frozen", Verdict.TIGHT, say(words, ", ".join(other), hours(price_h), grams(price_g))),)


def _as_printed(graph: PieceGraph, print_hash: str) -> dict[str, dict]:
    try:
        return {p["id"]: p for p in graph.store.data(Ref("print", print_hash))["parts"]}
    except BastionError:  # swept by an older version
        return {}


def _same(was: dict, now: dict) -> bool:
    """Whether a part is the same solid: its volume, and its size in any order, as it may lie otherwise."""
    alike = all(abs(a - b) <= _SAME_MM for a, b in zip(sorted(was["size_mm"]), sorted(now["size_mm"]), strict=True))
    turned = was["size_mm"] != now["size_mm"] and was["transform"] != now["transform"]
    return abs(was["volume_mm3"] - now["volume_mm3"]) <= _SAME_SHARE * was["volume_mm3"] and (alike or turned)
