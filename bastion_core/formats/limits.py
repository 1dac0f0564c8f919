"""How much a file may hold."""

MOST_TRIANGLES = 6_000_000
"""More than any printer shows; all copies of a package count."""
