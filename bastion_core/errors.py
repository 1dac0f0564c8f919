"""The one family of exceptions the core raises; messages are written for a maker."""


class BastionError(Exception):
    """Something the maker can act on: what is wrong, where, and what to do.

    ``code`` is a short stable word for programs; ``str(error)`` is the sentence.
    """

    code = "error"


class FileProblem(BastionError):
    """A file that cannot be used as it is."""

    code = "file"


class MeshProblem(BastionError):
    """A mesh that was read but cannot be made into a solid, or is out of all proportion."""

    code = "mesh"


class MeasureProblem(BastionError):
    """A measurement that no person can have, or that could not be understood."""

    code = "measure"


class RecipeProblem(BastionError):
    """A decision (scale, plane, pin, profile) that cannot be carried out."""

    code = "recipe"


class Stopped(BastionError):
    """The work was stopped on request."""

    code = "stopped"

    def __init__(self) -> None:
        super().__init__("Stopped on request. Nothing that was there before has changed.")
