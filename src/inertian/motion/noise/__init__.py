"""How much readings scatter: from the fits of free motion, from local fits, or as stated.

Imports `fits` and what lies below. Must never know what the noise is used for.
"""
