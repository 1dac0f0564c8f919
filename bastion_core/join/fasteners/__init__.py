"""The kinds of fasteners: one file each, and a line here."""

from bastion_core.join.fasteners.pin import Pin

KINDS = {kind.kind: kind for kind in (Pin,)}
