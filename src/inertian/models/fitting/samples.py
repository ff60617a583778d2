"""The samples that a model is held against: of each channel those inside its stretch, with their
weights; of long recordings means over short runs stand for them. So of a force that drives it.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from inertian.models.definitions.force_kinds import FORCE_AXIS
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.physics.evaluation.quantity_values import quantity_values
from inertian.physics.evaluation.trial_context import QuantityValues, TrialContext
from inertian.quantities.estimates import Array, ChannelId, Estimate, Rows

MOST_WHOLE = 6_000  # samples of a channel up to which each counts by itself
RUNS = 3_000  # of a longer one
FORCE_ERRORS = 200  # runs of a recorded force at most, each with an error of its own


@dataclass(frozen=True, eq=False)
class ChannelSamples:
    """Samples of one channel, or means of runs of them: moments in s, values in m, or N, standard
    uncertainties of each, (n,).

    `first` are the places of the runs among `rows`, the rows of the recording.
    """

    body: str
    axis: str
    key: ChannelId
    rows: Rows
    first: Rows
    t: Array
    x: Array
    sigma: Array
    raw: QuantityValues

    def spread(self, weights: Array) -> Array:
        """Return weights on means as weights on all samples, (…, samples)."""
        counts = np.diff(np.append(self.first, len(self.rows)))
        return np.repeat(weights / counts, counts, axis=-1)

    def estimate(self, weights: Array, value: float) -> Estimate:
        """Return a value that is linear in the samples, with weights on means, (n,)."""
        return self.raw.estimate(self.spread(weights), value)


def channel_samples(
    context: TrialContext, bodies: Sequence[str], start: float, stop: float
) -> tuple[ChannelSamples, ...]:
    """Return the samples of the channels of some bodies from one moment to another, in s."""
    return tuple(
        made
        for body in bodies
        for axis in context.trial.body(body).axes
        if len((made := _of_channel(context, body, axis, start, stop)).x)
    )


def force_samples(context: TrialContext, body: str, start: float, stop: float) -> ChannelSamples:
    """Return means of short runs of the readings of a force on a body, (n,) in N, from one moment
    to another, in s.
    """
    most = FORCE_ERRORS
    return _of_channel(context, body, FORCE_AXIS, start, stop, Quantity.SENSOR, most, most)


def _of_channel(
    context: TrialContext, body: str, axis: str, start: float, stop: float,
    quantity: Quantity = Quantity.POSITION, whole: int = MOST_WHOLE, runs: int = RUNS,
) -> ChannelSamples:  # fmt: skip
    t = context.trial.t
    channel = (
        context.sensor(body, axis)
        if quantity is Quantity.SENSOR
        else context.trial.body(body).channel(axis)
    )
    inside = (t >= start) & (t <= stop) & np.isfinite(channel.si)
    rows = np.flatnonzero(inside)
    key = context.trial.channel_id(body, axis)
    raw = quantity_values(context, QuantityRef(quantity, axis), body, t[rows], rows)
    noise = context.clock_noise
    variance = noise.reading[key][1].of_one(len(t))[rows]
    if key in noise.rate and noise.jitter > 0.0:
        variance = variance + noise.jitter * np.asarray(noise.rate[key][0 : len(t)])[rows] ** 2
    many = len(rows)
    first = np.arange(many) if many <= whole else _runs(many, runs)
    counts = np.diff(np.append(first, many)) if many else np.zeros(0)
    mean = (lambda v: np.add.reduceat(v, first) / counts) if many else (lambda v: v)
    sigma = np.sqrt(np.maximum(mean(variance) / np.maximum(counts, 1), 1e-300))
    return ChannelSamples(
        body, axis, key, rows, first, mean(t[rows]), mean(channel.si[rows]), sigma, raw
    )


def _runs(many: int, runs: int) -> Rows:
    return np.unique(np.linspace(0, many, runs, endpoint=False).astype(np.intp))
