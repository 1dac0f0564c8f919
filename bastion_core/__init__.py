"""The computation of Odd Bastion: no web framework, no database, no settings.

Millimetres, grams, hours and degrees throughout. One folder per station of the
work (measure, pieces, fit, cut, join, print, assemble, finish); what they share lives in
``geometry`` and ``formats``. ``engine`` knows what a station is, ``stations`` which there are.
"""

__version__ = "0.18.0"
