"""The table of results: what each trial gives by name, its columns and rows, with correlations.

Imports `analysis.evaluation` and what lies below. Must never know how a table is shown or written.
"""
