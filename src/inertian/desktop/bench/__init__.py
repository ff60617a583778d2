"""The stage of strips on one time axis: span rail, strips, mouse and keys, treating others alike.

Imports `state` and `look`. Must never know of the pages of the margin.
"""
