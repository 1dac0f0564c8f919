"""How long work reports where it is, and how it is told to stop."""

from collections.abc import Callable

Progress = Callable[[float, str], None]
"""Called with a fraction 0..1 and what is being done. It may raise ``Stopped``."""


def silent(fraction: float, what: str) -> None:
    """The progress callback that reports to nobody."""


def span(progress: Progress, start: float, end: float) -> Progress:
    """A callback for a sub-task that fills ``start``..``end`` of its parent's bar.

    >>> seen = []
    >>> span(lambda f, w: seen.append((f, w)), 0.5, 1.0)(0.5, "cutting")
    >>> seen
    [(0.75, 'cutting')]
    """

    def inner(fraction: float, what: str) -> None:
        progress(start + (end - start) * min(max(fraction, 0.0), 1.0), what)

    return inner
