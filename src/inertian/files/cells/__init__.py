"""What stands in a cell, a line or a title: numbers, moments, units, separators; recipes and
findings.

Imports `quantities`. Must never know which format a file has.
"""
