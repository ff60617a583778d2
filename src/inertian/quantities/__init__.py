"""The ground floor: units, facts, estimates with uncertainty, budgets, rounding, expressions.

Imports nothing of ours. Must never know of samples over time, of trials or of files.
"""
