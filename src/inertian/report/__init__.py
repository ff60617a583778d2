"""Results for readers: JSON, CSV and text.

Imports `analysis` and what lies below. Must never know of Qt.
"""
