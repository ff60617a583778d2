"""Velocity and acceleration of every body of a trial, at every sample, each with its standard
uncertainty: by local polynomials (Savitzky & Golay, Anal. Chem. 36 (1964) 1627-1639) or by
differences.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from inertian.motion.derivatives.local_derivatives import BY_DATA, WindowRequest
from inertian.motion.derivatives.local_fits import (
    ChannelSamples,
    local_fits,
    reading_noise_of,
)
from inertian.motion.noise.local_noise import (
    MOST_SAMPLES_WATCHED,
    LocalNoise,
    NoiseSegment,
    noise_of_segments,
    with_given,
)
from inertian.motion.noise.reading_noise import READINGS, InstrumentNoise
from inertian.motion.numerics.local_polynomials import fit_segments
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Spans
from inertian.quantities.errors import Refusal
from inertian.quantities.estimates import Array, Pools, Rows

# Samples that noise is judged by where someone waits for the picture
SAMPLES_WATCHED_AT_ONCE = 1_600


class Method(StrEnum):
    """How velocity and acceleration are had from positions."""

    LOCAL = "local"  # local polynomials, windows by the data
    CENTRAL = "central"  # the parabola through a sample and its two neighbours
    TWO_POINT = "two-point"  # from the sample before to this one, as a class writes it first


class NoSamplesError(Refusal):
    """A trial has nothing that could be derived."""


UNMARKED = Spans()
JUDGED = 5  # samples of a stretch outside of contacts that tells noise: a parabola leaves two


@dataclass(frozen=True, eq=False)
class DerivedChannel:
    """What was derived of one channel, in SI, at its readings; all arrays have shape (n,), NaN
    where there is none.

    `rows` are the rows of the trial; `windows` how many samples each estimate of an order was made
    of.
    """

    rows: Rows
    t: Array
    x: Array
    u_x: Array
    v: Array
    u_v: Array
    a: Array
    u_a: Array
    windows: Mapping[int, Rows]


@dataclass(frozen=True, eq=False)
class BodyDerived:
    """The channels of one body that were derived, by axis, and the noise of its readings."""

    name: str
    noise: LocalNoise
    axes: Mapping[str, DerivedChannel]


def _segments(t: Array, x: Array, walls: Sequence[float]) -> list[tuple[Rows, bool]]:
    """The same, each with whether it lies inside a contact."""
    usable = np.flatnonzero(np.isfinite(x))
    parts = fit_segments(t[usable], walls)
    return [(usable[part.start : part.stop], part.inside) for part in parts]


def derive(
    trial: Trial,
    spans: Spans = UNMARKED,
    method: Method = Method.LOCAL,
    window: WindowRequest = BY_DATA,
    given: Mapping[str, float] | None = None,
    noises: Sequence[LocalNoise] | None = None,
) -> list[BodyDerived]:
    """Return position, velocity and acceleration of all bodies that were followed, with standard
    uncertainties.

    Nothing reaches across the walls of contacts, nor across long gaps. `given` is a known σ of
    readings by body, in m; it is not used where the samples clearly scatter more. Where columns
    state the uncertainty of each reading, σ is spread over the readings as they say, if σ is
    `stated_sigma`. `noises` are those of the bodies where they were judged before, as by
    `noise_of_bodies`. Raises NoSamplesError if no body was followed.
    """
    noises = noise_of_bodies(trial, spans) if noises is None else noises
    result = []
    for body, own in zip(trial.followed, noises, strict=True):
        noise = with_given(own, given[body.name]) if given and body.name in given else own
        by_column = (given or {}).get(body.name) == stated_sigma(body)
        axes = {}
        for channel in body.channels:
            samples = _samples(trial, body, channel, by_column)
            found = _channel(samples, spans.of(body.name).walls(), noise, method, window)
            if len(found.rows):
                axes[channel.axis] = found
        result.append(BodyDerived(body.name, noise, axes))
    return result


def noise_of_bodies(
    trial: Trial, spans: Spans, watched: int = MOST_SAMPLES_WATCHED
) -> list[LocalNoise]:
    """Return the noise of each body that was followed, from local fits. Raises NoSamplesError if
    there is none.

    A hit of a few samples has no smooth motion that noise could be told from, so noise is judged
    outside of contacts, where there is such a stretch; channels that never change tell nothing.
    """
    if not trial.followed:
        raise NoSamplesError(
            f"{trial.name}: no positions were recorded, so there is nothing to derive."
        )
    cut = [_noise_segments(trial, body, spans) for body in trial.followed]
    return noise_of_segments(
        cut, [max(c.resolution for c in body.channels) for body in trial.followed], watched
    )


def _noise_segments(trial: Trial, body: Body, spans: Spans) -> list[NoiseSegment]:
    walls, found = spans.of(body.name).walls(), []
    for channel in [c for c in body.channels if not c.still] or body.channels:
        segments = _segments(trial.t, channel.si, walls)
        outside = [rows for rows, inside in segments if not inside and len(rows) >= JUDGED]
        for rows in outside or [rows for rows, _ in segments]:
            found.append(NoiseSegment(trial.t[rows], channel.si[rows]))
    return found


def stated_sigma(body: Body) -> float | None:
    """Return the root mean square of the uncertainties that columns state of a body's positions, in
    m, or None.
    """
    stated = [c.stated[np.isfinite(c.raw)] for c in body.channels if c.stated is not None]
    return (
        float(np.sqrt(np.mean(np.concatenate(stated) ** 2)))
        if len(stated) == len(body.channels) > 0
        else None
    )


def noise_of_trial(trial: Trial, spans: Spans) -> InstrumentNoise:
    """Return the noise of a trial by itself, from local fits: what there is to go by where no free
    motion is marked.

    Bodies are taken together, each by how well its noise is known.
    """
    known = [
        one
        for one in noise_of_bodies(trial, spans, SAMPLES_WATCHED_AT_ONCE)
        if np.isfinite(one.sigma)
    ]
    if not known:
        return InstrumentNoise(0.0, 0.0, float("inf"), Pools())
    weights = np.array([max(one.dof, 1.0) for one in known])
    sigma = float(np.sqrt(weights @ [one.sigma**2 for one in known] / weights.sum()))
    dof = float(sum(one.dof for one in known))
    pools = Pools({(READINGS, READINGS): 2.0 / dof}) if dof > 0.0 else Pools()
    return InstrumentNoise(sigma, max(one.stamp for one in known), dof or float("inf"), pools)


def _samples(trial: Trial, body: Body, channel: Channel, by_column: bool) -> ChannelSamples:
    """A channel for local fits; where columns say how readings differ, their variances over σ²."""
    sigma, share = stated_sigma(body), None
    if by_column and sigma is not None and channel.stated is not None:
        share = (channel.stated / sigma) ** 2
    return ChannelSamples(
        body.name,
        channel.axis,
        trial.t,
        channel.si,
        channel.resolution,
        share=share,
        beside=trial.channels_followed,
    )


def _channel(
    samples: ChannelSamples,
    walls: Sequence[float],
    noise: LocalNoise,
    method: Method,
    window: WindowRequest,
) -> DerivedChannel:
    fits = local_fits(samples, walls, window, noise)
    rows, t = fits.usable, samples.t[fits.usable]
    smooth = {order: fits.estimated(order) for order in (0, 1, 2)}
    speed = np.nan_to_num(smooth[1].value)
    readings = reading_noise_of(fits, noise, speed)
    share = 1.0 if samples.share is None else samples.share
    u_x = np.sqrt(noise.sigma**2 * share + (noise.stamp * speed) ** 2)
    found = {}
    for order in (1, 2):
        variance = fits.own_variance(order, readings) + np.square(smooth[order].bias)
        found[order] = smooth[order].value[rows], np.sqrt(variance)[rows]
    windows = {order: fits.sizes[order] for order in (1, 2)}
    if method is not Method.LOCAL and len(rows):
        parts = [slice(part.start, part.stop) for part in fits.parts]
        u = u_x[rows]
        apart = [
            _differences(
                t[p],
                samples.x[rows][p],
                u[p],
                noise.correlation,
                method,
                {order: one.value[rows][p] for order, one in smooth.items()},
            )
            for p in parts
        ]
        found = {
            order: (
                np.concatenate([one[order][0] for one in apart]),
                np.concatenate([one[order][1] for one in apart]),
            )
            for order in (1, 2)
        }
        count = 3 if method is Method.CENTRAL else 2
        windows = {1: np.full(len(t), count), 2: np.full(len(t), 3)}
    (v, u_v), (a, u_a) = found[1], found[2]
    return DerivedChannel(rows, t, samples.x[rows], u_x[rows], v, u_v, a, u_a, windows)


def _differences(
    t: Array,
    x: Array,
    u_x: Array,
    correlation: float,
    method: Method,
    smooth: Mapping[int, Array],
) -> dict[int, tuple[Array, Array]]:
    """Velocity and acceleration of one stretch by differences, with their u; what a difference
    leaves out is judged from the smooth motion, its derivatives by order.
    """
    n = len(t)
    found = {}
    for order in (1, 2):
        value, exact, variance = (np.full(n, np.nan) for _ in range(3))
        if n > order:
            rows, near = _neighbours(n, method, order)
            ts, xs, levels = t[near], x[near], smooth[0][near]
            weights = _difference_weights(ts, t[rows], order, method)
            value[rows] = np.einsum("ij,ij->i", weights, xs - xs[:, :1])
            exact[rows] = np.einsum("ij,ij->i", weights, levels - levels[:, :1])
            spread = weights * u_x[near]
            variance[rows] = np.einsum(
                "ij,jk,ik->i", spread, _correlation_matrix(spread.shape[1], correlation), spread
            )
        bias = np.nan_to_num(exact - smooth[order])
        found[order] = value, np.sqrt(variance + bias**2)
    return found


def _correlation_matrix(size: int, correlation: float) -> Array:
    away = np.abs(np.subtract.outer(np.arange(size), np.arange(size)))
    return np.asarray(np.where(away == 0, 1.0, correlation**away))


def _neighbours(n: int, method: Method, order: int) -> tuple[Rows, Rows]:
    """The rows that have the neighbours a difference needs, (m,), and the rows of those, (m, 2 or
    3).
    """
    before, after = (-1, 1) if method is Method.CENTRAL else (-order, 0)
    rows = np.arange(-before, n - after)
    return rows, rows[:, None] + np.arange(before, after + 1)


def _difference_weights(ts: Array, at: Array, order: int, method: Method) -> Array:
    """Weights of a derivative at some times of the polynomial through two or three samples each,
    shape (m, 2 or 3).
    """
    if ts.shape[1] == 2:
        step = ts[:, 1] - ts[:, 0]
        return np.stack([-1.0 / step, 1.0 / step], axis=1)
    d = ts - at[:, None]
    weights = np.empty_like(ts)
    for k in range(3):
        i, j = (m for m in range(3) if m != k)
        bottom = (d[:, k] - d[:, i]) * (d[:, k] - d[:, j])
        weights[:, k] = (2.0 if order == 2 else -(d[:, i] + d[:, j])) / bottom
    if (
        order == 2 and method is Method.TWO_POINT
    ):  # the change of the last two velocities over the last step
        h0, h1 = ts[:, 1] - ts[:, 0], ts[:, 2] - ts[:, 1]
        weights = np.stack(
            [1.0 / (h0 * h1), -1.0 / (h1 * h1) - 1.0 / (h0 * h1), 1.0 / (h1 * h1)], axis=1
        )
    return weights
