"""Readings of a trial: at a moment, over a span, by a curve; their intervals and budgets.

Imports `evaluation` and `definitions`. Must never know of projects or of how numbers are written.
"""
