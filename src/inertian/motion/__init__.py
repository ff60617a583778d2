"""What samples of a motion say: recordings, spans, fits, reading noise, derivatives.

Rooms, each importing only from those before it: `numerics`, `recording`, `spans`, `fits`, `noise`,
`derivatives`. Imports `quantities`. Must never know of masses, laws or files.
"""
