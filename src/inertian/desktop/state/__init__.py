"""What the window shows: the document with its history, the worker, how the bench is looked at.

Imports `look` and the core. Must never know of a widget.
"""
