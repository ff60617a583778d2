"""Inertian: honest accounts of momentum and energy from position-time files."""

import os

# Matrices are small here: handing parts of them to other threads costs more than it gains, many
# times so where several processes share few cores
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
