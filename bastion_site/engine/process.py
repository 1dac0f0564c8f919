"""A process of its own for geometry: it stays warm between questions, is ended when it takes too long or too much, and never outlives its parent."""

import ctypes
import importlib
import multiprocessing
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from bastion_core.errors import MeshProblem, Stopped
from bastion_site.errors import Busy

_PR_SET_PDEATHSIG = 1
_LOOK_S = 0.2
_GRACE_S = 2.0
MOST_BYTES = int(os.environ.get("BASTION_MOST_MB", 6000)) * 1024**2
"""What one process may hold; more is taken for a file that cannot be handled here."""
TOO_MUCH = "This took more memory than this machine can give it and was stopped. Reduce the file's triangles."


def die_with_parent() -> None:
    """A child never outlives its parent, however that ends."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)


def resident_bytes(pid: int) -> int:
    """Memory a process holds; 0 when it is gone."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except (OSError, IndexError):
        return 0


def _serve(pipe: Connection, parent: int) -> None:
    """The child: answers one question after another until the pipe closes."""
    die_with_parent()
    if os.getppid() != parent:
        os._exit(0)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    import django

    django.setup()
    while True:
        try:
            module, name, arguments = pipe.recv()
        except (EOFError, OSError):
            return
        try:
            answer = (True, getattr(importlib.import_module(module), name)(*arguments))
        except BaseException as problem:
            answer = (False, problem)
        try:
            pipe.send(answer)
        except Exception as problem:  # an answer or error that cannot be sent
            pipe.send((False, RuntimeError(f"{type(problem).__name__}: {problem}")))


_STARTER = ThreadPoolExecutor(1, "starter")
"""A child dies with the thread that started it: this one lives as long as the process."""


def _start(child: multiprocessing.process.BaseProcess) -> None:
    """Start a child that needs nothing of how its parent was started; telling it would run that program again."""
    main = sys.modules["__main__"].__dict__
    kept = {name: main.get(name) for name in ("__spec__", "__file__")}
    main.update(dict.fromkeys(kept))
    try:
        child.start()
    finally:
        main.update(kept)


class Process:
    """One warm child. ``ask`` from any thread; one question is worked on at a time."""

    def __init__(self, idle_s: float = 60.0, most_waiting: int = 2) -> None:
        self._idle_s = idle_s
        self._turn = threading.Lock()
        self._places = threading.BoundedSemaphore(most_waiting + 1)
        self._child: multiprocessing.process.BaseProcess | None = None
        self._pipe: Connection | None = None
        self._timer: threading.Timer | None = None

    def ask(self, work: Callable[..., Any], *arguments: Any, timeout_s: float = 120.0, stop: Callable[[], bool] | None = None) -> Any:
        """What ``work(*arguments)`` returns in the child; its exceptions come through.

        ``work`` is a function of a module. ``stop`` is asked now and then: once true, the child is ended and Stopped raised. MeshProblem
        when the child died, took too long or too much memory; Busy when too many wait.
        """
        if not self._places.acquire(blocking=False):
            raise Busy
        try:
            with self._turn:
                return self._asked(work, arguments, timeout_s, stop)
        finally:
            self._places.release()

    def _asked(self, work: Callable[..., Any], arguments: tuple[Any, ...], timeout_s: float, stop: Callable[[], bool] | None) -> Any:
        if self._timer is not None:
            self._timer.cancel()
        pipe = self._awake()
        assert self._child is not None and self._child.pid is not None
        until = time.monotonic() + timeout_s
        try:
            pipe.send((work.__module__, work.__qualname__, arguments))
            while not pipe.poll(_LOOK_S):
                if stop is not None and self._ends(stop):
                    raise Stopped
                if time.monotonic() > until:
                    self.end()
                    raise MeshProblem(f"This took longer than {timeout_s / 60:.0f} minutes and was stopped. Reduce the file's triangles.")
                if resident_bytes(self._child.pid) > MOST_BYTES:
                    self.end()
                    raise MeshProblem(TOO_MUCH)
            good, answer = pipe.recv()
        except (EOFError, OSError, BrokenPipeError) as error:
            self.end()
            raise MeshProblem(
                "The computation ended before it was done, most likely for want of memory. Reduce the file's triangles."
            ) from error
        self._timer = threading.Timer(self._idle_s, self._rest)
        self._timer.daemon = True
        self._timer.start()
        if good:
            return answer
        raise answer

    def _ends(self, stop: Callable[[], bool]) -> bool:
        """Ask whether to stop, and end the child if so; also where asking itself says why not to go on."""
        try:
            asked = stop()
        except BaseException:
            self.end()
            raise
        if asked:
            self.end()
        return asked

    def _awake(self) -> Connection:
        if self._child is not None and self._child.is_alive() and self._pipe is not None:
            return self._pipe
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._child = context.Process(target=_serve, args=(theirs, os.getpid()), daemon=True)
        _STARTER.submit(_start, self._child).result()
        theirs.close()
        return self._pipe

    def _rest(self) -> None:
        """Nobody asked for a while: the memory is given back."""
        if self._turn.acquire(blocking=False):
            try:
                self.end()
            finally:
                self._turn.release()

    def end(self) -> None:
        """End the child: asked first, then killed."""
        child, pipe = self._child, self._pipe
        self._child = self._pipe = None
        if pipe is not None:
            pipe.close()
        if child is None:
            return
        with suppress(Exception):
            child.terminate()
            child.join(_GRACE_S)
            if child.is_alive():
                child.kill()
                child.join(_GRACE_S)


warm = Process(most_waiting=1)
"""The web server's: gauge rings, copies, drawings, what a page waits for."""
