"""Named stretches of time: what they are, finding them, naming them, joining two clocks by them.

Imports `recording` and `numerics`. Must never know how noise is judged or what is fitted over a
span.
"""
