"""A camera over the ice: frames at uneven moments, positions with reading noise, a few frames
lost.
"""

from dataclasses import dataclass

import numpy as np

from inertian.quantities.estimates import Array
from inertian.rink.stones import TrueMotion


@dataclass(frozen=True)
class Camera:
    """How a camera errs: `rate` in frames/s, `noise` (m) of a position, `jitter` (s) of a time
    stamp, share `lost`.

    Positions are written in cm with `decimals` digits, times in s with four.
    """

    rate: float = 50.0
    noise: float = 0.0012
    jitter: float = 0.0003
    lost: float = 0.012
    decimals: int = 2


@dataclass(frozen=True, eq=False)
class Footage:
    """What the camera wrote: times in s, shape (n,), and positions in cm, shape (2, axes, n)."""

    times: Array
    positions_cm: Array


def film(motion: TrueMotion, duration: float, camera: Camera, rng: np.random.Generator) -> Footage:
    """Film a motion for `duration` seconds.

    A frame is exposed a little off its nominal time, the same for all it shows; the nominal time is
    what is written.
    """
    nominal = np.arange(0.0, duration, 1.0 / camera.rate)
    kept = rng.random(nominal.size) >= camera.lost
    kept[:4] = kept[-4:] = True
    nominal = nominal[kept]
    exposed = np.maximum(nominal + rng.normal(0.0, camera.jitter, nominal.size), 0.0)
    seen = motion.position(exposed)
    seen = seen + rng.normal(0.0, camera.noise, seen.shape)
    return Footage(np.round(nominal, 4), np.round(100.0 * seen, camera.decimals))
