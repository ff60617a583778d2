"""The usable samples of a body and their steady segments, and what a piece of them says."""

from dataclasses import dataclass

import numpy as np

from inertian.motion.numerics.outliers import local_scatter, outlier_rows
from inertian.motion.recording.trials import Body, Trial
from inertian.motion.spans.pulses import PulseSide, averaged_far_out
from inertian.motion.spans.segmentation import LEAST_SAMPLES, SteadySegment, steady_segments
from inertian.quantities.estimates import Array, Rows

LONGEST_SPIKE = 6  # samples at most that a few glitches may have been given a stretch of their own

BLOCKS_IN_LONG_PIECE = 1000  # that a long piece is summed up in before it is fitted

LEAST_NOISE_SHARE = 3e-6  # of the range of a channel: no noise is taken to be smaller


@dataclass(frozen=True, eq=False)
class Track:
    """One body's usable samples: their rows in the trial, t (n,), x and weight 1/σ² (axes, n), and
    steady stretches.
    """

    body: str
    rows: Rows
    t: Array
    x: Array
    weight: Array
    step: float
    segments: tuple[SteadySegment, ...]

    def side(
        self, first: SteadySegment, last: SteadySegment, about: tuple[float, float]
    ) -> PulseSide:
        """Return what the fits of a change between two stretches rest on."""
        rows = slice(first.start, last.stop)
        rests = (first.degree == 0, last.degree == 0)
        curved = 2 in (first.degree, last.degree)
        return averaged_far_out(
            self.t[rows], self.x[:, rows], self.weight[:, rows], rests, curved, about
        )


def track_of(trial: Trial, body: Body) -> Track | None:
    """Return the track of a body, glitches left out, or None if there are too few samples."""
    x = np.array([channel.si for channel in body.channels])
    rows = np.flatnonzero(np.isfinite(x).all(axis=0))
    if len(rows) < 2 * LEAST_SAMPLES[0]:
        return None
    floors = [
        max(c.resolution / 12**0.5, LEAST_NOISE_SHARE * float(np.ptp(xc[rows])))
        for c, xc in zip(body.channels, x, strict=True)
    ]
    constant = np.array([channel.constant for channel in body.channels])
    t, x = trial.t[rows], x[:, rows]
    scatter = [local_scatter(t, xc) for xc in x]
    bad = [outlier_rows(t, x[k], floors[k], scatter=scatter[k]) for k in np.flatnonzero(~constant)]
    away = np.unique(np.concatenate(bad)) if bad else rows[:0]
    if away.size:
        rows, t, x = np.delete(rows, away), np.delete(t, away), np.delete(x, away, axis=1)
        scatter = [local_scatter(t, xc) for xc in x]
    sigma = np.array(
        [np.maximum(own, max(floor, 1e-12)) for own, floor in zip(scatter, floors, strict=True)]
    )
    if not constant.all():  # what never changes is known no better than the rest
        sigma[constant] = sigma[~constant].max(axis=0)
    step = float(np.median(np.diff(t)))
    segments = steady_segments(t, list(x), list(sigma))
    return Track(body.name, rows, t, x, 1.0 / sigma**2, step, tuple(segments))


def end_velocities(track: Track, piece: SteadySegment) -> tuple[Array, Array]:
    """Return the velocities in m/s of a piece at its start and its end, by axis."""
    ends = (float(track.t[piece.start]), float(track.t[piece.stop - 1]))
    return velocity_of(track, piece, ends[0])[0], velocity_of(track, piece, ends[1])[0]


def velocity_of(
    track: Track, piece: SteadySegment, time: float
) -> tuple[Array, Array, Array, Array]:
    """Return velocity and its u at a time, acceleration and its u, by axis, from a polynomial
    through a piece.
    """
    t, samples, weights = _summed(track, piece)
    scale = float(t[-1] - t[0]) or 1.0
    design = np.vander((t - time) / scale, piece.degree + 1, increasing=True)
    v, u, a, u_a = [], [], [], []
    for x, weight in zip(samples, weights, strict=True):
        root = np.sqrt(weight)
        inverse = np.linalg.pinv(design * root[:, None])
        c = inverse @ (root * x)
        v.append(c[1] / scale if piece.degree else 0.0)
        u.append(np.linalg.norm(inverse[1]) / scale if piece.degree else 0.0)
        a.append(2.0 * c[2] / scale**2 if piece.degree == 2 else 0.0)
        u_a.append(2.0 * np.linalg.norm(inverse[2]) / scale**2 if piece.degree == 2 else 0.0)
    return np.array(v), np.array(u), np.array(a), np.array(u_a)


def _summed(track: Track, piece: SteadySegment) -> tuple[Array, Array, Array]:
    """Times, samples and weights of a piece; means of blocks where there are many samples."""
    rows = slice(piece.start, piece.stop)
    t, x, weight = track.t[rows], track.x[:, rows], track.weight[:, rows]
    if len(t) <= 2 * BLOCKS_IN_LONG_PIECE:
        return t, x, weight
    edges = np.linspace(0, len(t), BLOCKS_IN_LONG_PIECE + 1).astype(np.intp)[:-1]
    total = np.add.reduceat(weight, edges, axis=1)
    return (
        np.add.reduceat(t, edges) / np.diff(np.append(edges, len(t))),
        np.add.reduceat(x * weight, edges, axis=1) / total,
        total,
    )


def chi2(side: PulseSide, start: int, stop: int, degree: int) -> float:
    """Return χ² of a polynomial of some degree through rows start … stop − 1 of a side of a
    change.
    """
    t = side.t[start:stop]
    if len(t) <= degree + 1:
        return 0.0
    design = np.vander((t - t.mean()) / (np.ptp(t) or 1.0), degree + 1, increasing=True)
    total = 0.0
    for x, weight in zip(side.x[:, start:stop], side.weight[:, start:stop], strict=True):
        root = np.sqrt(weight)
        q, _ = np.linalg.qr(design * root[:, None])
        y = root * x
        rest = y - q @ (q.T @ y)
        total += float(rest @ rest)
    return total
