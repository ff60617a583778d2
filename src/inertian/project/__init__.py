"""The Project value: everything about one investigation, its edits, its history, storage, recovery.

Imports `rink`, `files`, `physics`, `motion` and `quantities`. Must never compute a result.
"""
