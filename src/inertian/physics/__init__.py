"""What motion means: quantities, accounts of momentum and energy, readings with their budgets.

Rooms, each importing only from those before it: `definitions`, `accounts`, `evaluation`,
`readings`. Imports `motion` and `quantities`. Must never know of projects, files or widgets.
"""
