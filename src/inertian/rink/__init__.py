"""The demo scenario, a day at the ice rink, and its simulated instruments.

Imports `files` to write what it made. Must never know of projects or of how its data are read back.
"""
