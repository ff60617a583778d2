"""The trials at the left, as cards or rows.

Imports `state` and `look`. Must never know of a stage.
"""
