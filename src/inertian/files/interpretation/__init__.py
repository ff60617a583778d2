"""From a grid of cells to trials: rows and titles, what each column is, what is amiss.

Imports `formats` and `cells`. Must never open a file.
"""
