"""Numerical methods on plain arrays: sliding fits, windows, operators, least squares, integrals.

Imports `quantities` only. Must never know of trials, bodies or spans.
"""
