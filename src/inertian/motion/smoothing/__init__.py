"""Smooth motion through noisy samples, with what it may err by: splines whose roughness, noise and
correlation the data weigh.

Imports `numerics` and what lies below. Must never know of walls, windows or bodies.
"""
