"""A trial of which nothing was recorded: a clock, and bodies that models move."""

from collections.abc import Sequence

import numpy as np

from inertian.motion.recording.trials import Body, Channel, Trial, TrialError
from inertian.quantities.units import unit_of

FEWEST, MOST, MOMENTS = 10, 1_000_000, 400  # moments; where nobody says how many


def trial_without_data(
    name: str, bodies: Sequence[str], axes: Sequence[str], duration: float, step: float
) -> Trial:
    """Return a trial with moments from 0 s on, `step` s apart, and bodies along some axes, all of
    whose positions are missing. Raises TrialError.
    """
    names = list(dict.fromkeys(body.strip() for body in bodies if body.strip()))
    if not names:
        raise TrialError(name, "say which bodies move, such as: A, B.")
    if not (np.isfinite([duration, step]).all() and duration > 0.0 and step > 0.0):
        raise TrialError(name, "it needs a duration and a step above zero, in s.")
    many = round(duration / step) + 1
    if not FEWEST <= many <= MOST:
        raise TrialError(
            name, f"{duration:g} s in steps of {step:g} s are {many} moments; {FEWEST} to {MOST:,} "
            "can be had. Choose another step."
        )  # fmt: skip
    missing = np.full(many, np.nan)
    metre = unit_of("length", "m")
    made = tuple(
        Body(body, tuple(Channel(axis, f"{axis} {body}", metre, missing) for axis in axes))
        for body in names
    )
    t = np.arange(many, dtype=np.float64) * step
    return Trial("without-data", name, "t", unit_of("time", "s"), t, made)
