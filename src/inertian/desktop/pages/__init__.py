"""The pages of the margin: account, tidying, readings, formulas; their forms, cards and dialogs.

Imports `bench`, `state` and `look`. Must never know of the window.
"""
