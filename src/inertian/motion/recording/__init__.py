"""A recording of one go: trials, their tidy steps, their frame, and the samples that count.

Imports `numerics`. Must never know what happens in a trial (spans) or what is fitted to it.
"""
