"""Derivatives of analytic functions by the complex step (Squire & Trapp, SIAM Rev. 40 (1998)
110-112).
"""

from collections.abc import Callable
from typing import Any

import numpy as np

STEP = 1e-30  # no difference is taken, so the step may be far below any rounding


def slope(function: Callable[[Any], Any], at: Any) -> Any:
    """Return ∂function/∂argument at `at`, a number or an array, element by element.

    The function must be analytic: no `abs`, no comparison but of real parts.
    """
    return np.imag(function(at + 1j * STEP)) / STEP
