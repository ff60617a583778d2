"""The noise that a fit uses: that of the series, or the scatter about the fit if that is larger."""

from dataclasses import replace

import numpy as np

from inertian.motion.noise.local_noise import POOLING_LIMITS
from inertian.motion.noise.reading_noise import READINGS, STAMPS
from inertian.motion.noise.stated_noise import contradicted
from inertian.quantities.estimates import JointScalars, Pools


def scatter_over_noise(
    pools: Pools, chi: float | None, dof: int, patterned: bool, pool: str = READINGS
) -> tuple[float, float]:
    """Return by how much the noise in use is multiplied, and its degrees of freedom then; χ² and
    `dof` are those of the fit, `patterned` whether its residuals follow a pattern.

    Noise that is known is used unless residuals are clearly larger (Birge, Phys. Rev. 40 (1932)
    207-227). Noise that was estimated from few samples is taken together with the residuals where
    both agree within chance; else residuals tell. Patterns are no noise: they only ever widen.
    """
    known = 0.0 if chi is None else pools.relative.get((pool, pool), 0.0)
    freedom = 2.0 / known if known > 0.0 else float("inf")
    if chi is None or dof < 1:
        return 1.0, freedom
    ratio = chi / dof
    if not np.isfinite(freedom) or patterned:
        wide = contradicted(ratio, dof)
        return (float(np.sqrt(ratio)), float(dof)) if wide else (1.0, freedom)
    apart = abs(np.log(max(ratio, np.finfo(float).tiny)))
    if apart > POOLING_LIMITS * np.sqrt(2.0 / freedom + 2.0 / dof):
        return float(np.sqrt(ratio)), float(dof)
    together = (freedom + dof * ratio) / (freedom + dof)
    return float(np.sqrt(together)), max(freedom, float(dof))


def with_scatter(
    joint: JointScalars, wider: float, dof: float, pool: str = READINGS
) -> JointScalars:
    """Return the same with the noise of samples and time stamps multiplied, facts as they are."""
    pools = {pool, STAMPS}
    parts = tuple(
        replace(part, covariance=wider**2 * part.covariance) if part.source.pool in pools else part
        for part in joint.parts
    )
    known = {key: one for key, one in joint.pools.relative.items() if not pools & set(key)}
    if np.isfinite(dof):
        known |= {(name, name): 2.0 / dof for name in pools}
    return replace(joint, parts=parts, pools=Pools(known))
