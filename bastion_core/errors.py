"""The one family of exceptions the core raises; messages are written for a maker."""

from bastion_core.findings import Said


class BastionError(Exception):
    """Something the maker can act on: what is wrong, where, and what to do.

    ``code`` is a short stable word for programs; ``str(error)`` is the sentence in millimetres, ``said`` the one whose lengths are
    still numbers; ``field`` names the decision it is about, where it is about one.
    """

    code = "error"

    def __init__(self, said: Said | str, field: str = "") -> None:
        super().__init__(said, field)  # as arguments, so that it comes whole out of another process
        self.said = said if isinstance(said, Said) else Said(said)
        self.field = field

    def __str__(self) -> str:
        return str(self.said)


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

    def __init__(self, said: Said | str = "Stopped on request. Nothing that was there before has changed.", field: str = "") -> None:
        super().__init__(said, field)
