"""The kinds of fasteners: one file each."""
