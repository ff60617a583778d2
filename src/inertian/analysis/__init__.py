"""What a project's numbers are: evaluation of series and trials, batches, the second look.

Imports `project` and what lies below. Must never know how results are shown or written.
"""
