"""One short name for everything a result depends on."""

import hashlib
import json

COMPUTED_BY = 1
"""Raised when the core computes something differently, so that old results are not taken for new ones."""


def hash_of(*parts) -> str:
    """A short stable hash of JSON-able values."""
    return hashlib.sha256(json.dumps([COMPUTED_BY, *parts], sort_keys=True, default=str).encode()).hexdigest()[:32]
