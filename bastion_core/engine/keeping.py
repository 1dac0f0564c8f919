"""Frozen dataclasses as JSON and back, and the one short name for everything a result depends on."""

import hashlib
import json
from enum import Enum
from typing import Any, TypeVar

import cattrs
import numpy as np
from cattrs.errors import ClassValidationError, IterableValidationError
from cattrs.preconf.json import make_converter

from bastion_core.errors import BastionError, RecipeProblem

T = TypeVar("T")
COMPUTED_BY = 2
"""Raised when the core computes something differently everywhere, so that old results are not taken for new ones."""

_CONVERTER = make_converter()
_CONVERTER.register_unstructure_hook_func(lambda kind: isinstance(kind, type) and issubclass(kind, np.generic), lambda v: v.item())
_CONVERTER.register_unstructure_hook_func(lambda kind: isinstance(kind, type) and issubclass(kind, np.ndarray), lambda v: v.tolist())
_CONVERTER.register_unstructure_hook_func(lambda kind: isinstance(kind, type) and issubclass(kind, Enum), lambda v: v.value)


def plain(value: object) -> Any:
    """A dataclass (or anything made of them) as JSON has it: dicts, lists, numbers, texts."""
    return _CONVERTER.unstructure(value)


def whole(kind: type[T], data: object) -> T:
    """What ``plain`` made of a ``kind``, back again. RecipeProblem that names the field where it does not fit."""
    try:
        return _CONVERTER.structure(data, kind)
    except (ClassValidationError, IterableValidationError, cattrs.BaseValidationError) as problem:
        name, inner = _first(problem)
        if isinstance(inner, BastionError):
            raise RecipeProblem(inner.said, inner.field or name) from problem
        why = "is missing" if isinstance(inner, KeyError) else str(inner).rstrip(".") or type(inner).__name__
        raise RecipeProblem(f"{name or kind.__name__}: {why}.", name) from problem
    except (TypeError, ValueError) as problem:
        raise RecipeProblem(f"{kind.__name__}: {problem}.") from problem


def _first(problem: BaseException, name: str = "") -> tuple[str, BaseException]:
    """The first field that did not fit, and its error."""
    inner = getattr(problem, "exceptions", None)
    if not inner:
        return name, problem
    first = inner[0]
    notes = getattr(first, "__notes__", [])
    field = next((n.name for n in notes if isinstance(getattr(n, "name", None), str)), "")
    return _first(first, name or field)


def hash_of(*parts: object) -> str:
    """A short stable hash of values that ``plain`` understands."""
    text = json.dumps([COMPUTED_BY, *(plain(p) for p in parts)], sort_keys=True, default=_json)
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def json_of(value: object) -> str:
    """``plain`` as text."""
    return json.dumps(plain(value), default=_json, ensure_ascii=False, allow_nan=False)


def _json(value: object) -> Any:
    if isinstance(value, np.generic | np.ndarray):
        return value.tolist()
    raise TypeError(f"{type(value).__name__} cannot be kept")
