"""What motion means: quantities, readings with their budgets, accounts of momentum and energy.

Rooms, each importing only from those before it: `definitions`, `evaluation`, `readings`,
`accounts`. Imports `motion` and `quantities`. Must never know of projects, files or widgets.
"""
