"""Inertian: honest accounts of momentum and energy from position-time files."""

__version__ = "0.1.0"
