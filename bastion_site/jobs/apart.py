"""Geometry that a page waits for: done in a process of its own, so that neither its lock nor its crash reaches the web server."""

import multiprocessing
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any

import django

from bastion_core.errors import MeshProblem


def _ready() -> None:
    """The new process knows the site, too: what it is asked to do may stand in one of its modules."""
    django.setup()


def run_apart(work: Callable[..., Any], *arguments: Any) -> Any:
    """What ``work(*arguments)`` returns; its exceptions come through. MeshProblem when the process died over it."""
    with ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn"), initializer=_ready) as pool:
        try:
            return pool.submit(work, *arguments).result(timeout=120)
        except BrokenProcessPool as error:
            raise MeshProblem(
                "The computation ended before it was done, most likely for want of memory. Reduce the file's triangles."
            ) from error
        except TimeoutError as error:
            raise MeshProblem("This took longer than two minutes and was stopped. Reduce the file's triangles.") from error
