"""What may be asked: quantities, readings, curves, formulas, facts worked out from measurements.

Imports `motion` and `quantities`. Must never know how anything is computed on a trial.
"""
