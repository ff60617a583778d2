"""Reading any table into trials, and writing tables.

Rooms, each importing only from those before it: `cells`, `formats`, `interpretation`; `reader` is
the only way in. Imports `motion.recording` and `quantities`. Must never know of projects or
physics.
"""
