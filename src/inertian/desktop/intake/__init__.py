"""The stage where files come in: the file as it is, what was understood, a preview, joining clocks.

Imports `state` and `look`. Must never know of the bench.
"""
