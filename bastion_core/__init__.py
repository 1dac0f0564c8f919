"""The computation of Odd Bastion: no web framework, no database, no settings.

Millimetres, grams, hours and degrees throughout. One folder per station of the
work (measure, pieces, fit, cut, join, printing); what they share lives in
``geometry`` and ``formats``. ``plan`` strings the stations together.
"""
