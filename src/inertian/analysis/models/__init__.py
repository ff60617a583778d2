"""The models of a project's trials: fitted, compared, with their accounts; with the trials of a
series where they share a parameter.
"""
