"""From bytes to grids of cells: text, spreadsheets, JSON, arrays, archives.

Imports `cells`. Must never know what a column means.
"""
