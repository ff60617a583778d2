"""The trends stage: table of results, figure, repeats, trials laid over one another, and the margin
beside them.

Imports the rooms of the window below it. Must never work anything out itself.
"""
