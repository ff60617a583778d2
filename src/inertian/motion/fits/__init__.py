"""Curves through the samples of a span: polynomials, free motion, any shape, errors in both axes.

Imports `spans`, `recording` and `numerics`. Must never know of derivatives at a moment.
"""
