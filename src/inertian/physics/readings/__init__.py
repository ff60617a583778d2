"""Readings of a trial: at a moment, over a span, by a curve; their intervals and budgets.

Imports `evaluation` and what lies below. Must never know of projects or of how numbers are written.
"""
