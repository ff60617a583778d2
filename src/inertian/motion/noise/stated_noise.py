"""Whether noise that was stated, typed or in columns, can be true: the one place where that is
decided.

Stated noise is used as it is unless the samples clearly scatter more; then the scatter is used, and
it is said. A recording in coarse steps cannot err by less than step/√12, whatever was stated
(JCGM 100:2008, F.2.2.1). The spread of a mean square of normal errors is that of χ² (ibid., E.4.3).
"""

import math

# Normal deviates by which a mean square must exceed what was stated. A true statement is then
# called too small once in
# 2,000 times where there are many degrees of freedom; with few, χ² is skew and it happens in under
# 1 %.
CONTRADICTION_Z = 3.3
SCATTER_USED = "the samples scatter more than the noise that was given, so the scatter is used"
STEP_USED = (
    "the noise that was given is smaller than the step of the recording allows, "
    "which is used: step/√12"
)


def contradicted(ratio: float, dof: float) -> bool:
    """Return whether residuals are clearly larger than stated noise allows.

    `ratio` is their mean square over the one stated, which is 1 ± √(2/ν) if the statement is true;
    ν degrees of freedom. With none, or where nothing was estimated (ν infinite), nothing is
    contradicted.
    """
    return 0.0 < dof < math.inf and ratio > 1.0 + CONTRADICTION_Z * math.sqrt(2.0 / dof)


def least_noise(step: float) -> float:
    """Return the least σ of readings that are rounded to a step: that of a rectangle, step/√12."""
    return step / math.sqrt(12.0)
