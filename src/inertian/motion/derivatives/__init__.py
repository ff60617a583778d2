"""Value, velocity and acceleration at any moment from local fits, with their uncertainty.

Imports `noise` and what lies below. Must never know of masses or of what a person asked for.
"""
