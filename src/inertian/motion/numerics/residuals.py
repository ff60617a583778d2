"""What the residuals of a fit say: whether they scatter or follow a pattern."""

import math

import numpy as np

from inertian.quantities.estimates import Array

PATTERN_Z = 4.0  # normal deviates beyond which residuals are said to follow a pattern


def pattern_z(residuals: Array, used: Array) -> float:
    """Return how clearly neighbouring residuals resemble each other, as a normal deviate; above
    PATTERN they do.

    The von Neumann ratio η = Σ(r_{i+1} − r_i)²/Σr² is 2 for independent residuals, with variance
    4(n−2)/(n²−1) about it (von Neumann, Ann. Math. Stat. 12 (1941) 367-395). Residuals and flags of
    used samples have shape (n,); 0 for fewer than 8 used samples.
    """
    r = residuals[used > 0]
    return pattern_z_of_sums(float(np.sum(np.diff(r) ** 2)), float(r @ r), len(r))


def pattern_z_of_sums(changes: float, squares: float, n: int) -> float:
    """Return the same from Σ(r_{i+1} − r_i)² and Σr² of n residuals."""
    if n < 8 or squares == 0.0:
        return 0.0
    return (2.0 - changes / squares) / math.sqrt(4.0 * (n - 2.0) / (n * n - 1.0))
