"""Figures that are ready to show: what stands in them, drawn the same way for paper and for screen.

Imports nothing of the program but `quantities`; what is drawn is handed in. Must never know Qt.
"""
