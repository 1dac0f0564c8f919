"""Where results are kept: by station and hash, each with a small part, a bulky part and a folder of files."""

import json
import os
import shutil
import tempfile
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any, Protocol

from bastion_core.engine.keeping import json_of
from bastion_core.errors import FileProblem


@dataclass(frozen=True)
class Ref:
    """A kept result: its station (or other kind) and its hash."""

    kind: str
    hash: str


class Store(Protocol):
    """Keeps results; two of them stand beside each other: a folder, and the site's rows and folders."""

    def find(self, ref: Ref) -> Any | None:
        """The small part of a result as JSON has it, or None."""

    def data(self, ref: Ref) -> Any:
        """The bulky part; FileProblem when it is gone."""

    def keep(self, ref: Ref, result: Any, data: Any) -> None:
        """Keep a result (dataclasses); the same one kept twice is one."""

    def folder(self, ref: Ref) -> Path:
        """Where a result's files lie."""

    def source(self, sha256: str) -> Path:
        """A model file as it came."""


class Workplace:
    """A folder that is filled under a temporary name and appears whole, or not at all."""

    def __init__(self, target: Path) -> None:
        self.target = target

    def __enter__(self) -> Path:
        self.target.parent.mkdir(parents=True, exist_ok=True)
        self.made = Path(tempfile.mkdtemp(dir=self.target.parent, prefix=".new-"))
        return self.made

    def __exit__(self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None) -> None:
        if kind is not None or not any(self.made.iterdir()):
            shutil.rmtree(self.made, ignore_errors=True)
            return
        self.made.chmod(0o755)
        if self.target.exists():
            shutil.rmtree(self.target)
        os.replace(self.made, self.target)


class FolderStore:
    """Results in a folder: the command line's store."""

    def __init__(self, root: Path, sources: dict[str, Path]) -> None:
        self.root, self.sources = root, sources

    def folder(self, ref: Ref) -> Path:
        """Where a result's files lie."""
        return self.root / ref.kind / ref.hash

    def find(self, ref: Ref) -> Any | None:
        """The small part of a result, or None."""
        path = self._path(ref, "result")
        return json.loads(path.read_text("utf-8")) if path.exists() else None

    def data(self, ref: Ref) -> Any:
        """The bulky part; FileProblem when it is gone."""
        try:
            return json.loads(self._path(ref, "data").read_text("utf-8"))
        except FileNotFoundError as error:
            raise FileProblem("A computed file is gone. Compute the piece again.") from error

    def keep(self, ref: Ref, result: Any, data: Any) -> None:
        """Keep a result: each file appears whole or not at all, the small part last."""
        for name, value in (("data", data), ("result", result)):
            path = self._path(ref, name)
            path.parent.mkdir(parents=True, exist_ok=True)
            new = path.with_suffix(f".{os.getpid()}.new")
            new.write_text(json_of(value), "utf-8")
            os.replace(new, path)

    def source(self, sha256: str) -> Path:
        """A model file as it came."""
        return self.sources[sha256]

    def _path(self, ref: Ref, name: str) -> Path:
        return self.root / ref.kind / f"{ref.hash}.{name}.json"
