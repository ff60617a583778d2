"""Local polynomial fits as linear operators on the samples: value, slope or curvature at any
moment, at any spacing.

Source: Savitzky & Golay, Anal. Chem. 36 (1964) 1627-1639, for any spacing. No window reaches across
the walls of a contact, nor across a long gap.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from types import MappingProxyType

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from inertian.motion.numerics.operators import (
    OneWindow,
    Operator,
    OwnWeights,
    Piece,
    SameWeights,
    operator_of_pieces,
)
from inertian.motion.numerics.sliding_fits import (
    basis,
    degree_for,
    even_basis,
    even_runs,
    window_bases,
)
from inertian.quantities.estimates import Array, Rows

DEFAULT_WINDOW = 9  # samples in a local fit where nothing is known of the motion
DEFAULT_DEGREE = 2
GAP_IN_STEPS = 10.0  # usual steps between two samples beyond which they are not of one stretch
# Least degree inside a contact: a line through three samples of a hit says nothing
LEAST_DEGREE_INSIDE_CONTACT = 2
CHUNK = 500_000  # samples in windows of their own that are worked on at a time
NOTHING_SMOOTHED: Mapping[int, Callable[[Rows, Array], Sequence[Piece]]] = MappingProxyType({})
AT_SAMPLE = 1e-9  # of a step that a time may be off a sample and still be at it


@dataclass(frozen=True)
class FitSegment:
    """A stretch of usable samples that windows may span, start ≤ i < stop; `place` counts the walls
    before it.
    """

    start: int
    stop: int
    place: int

    @property
    def inside(self) -> bool:
        """Whether it lies inside a contact; walls come in pairs."""
        return bool(self.place % 2)

    def carries(self, size: int, degree: int, order: int) -> bool:
        """Whether windows of so many samples, of at most its length, give a derivative of an
        order.
        """
        fitted = degree_for(min(size, self.stop - self.start), degree)
        return fitted >= max(order, LEAST_DEGREE_INSIDE_CONTACT if self.inside else 1)


def fit_segments(t: Array, walls: Sequence[float]) -> list[FitSegment]:
    """Return the stretches between walls and long gaps, of usable samples at times t, shape
    (n,).
    """
    step = float(np.median(np.diff(t))) if len(t) > 1 else 0.0
    gaps = np.flatnonzero(np.diff(t) > GAP_IN_STEPS * step) + 1
    edges = np.searchsorted(t, sorted(walls), "left")
    found = []
    for place, (start, stop) in enumerate(zip([0, *edges], [*edges, len(t)], strict=True)):
        cuts = [int(start), *(int(g) for g in gaps if start < g < stop), int(stop)]
        found += [FitSegment(a, b, place) for a, b in pairwise(cuts) if b > a]
    return found


def local_operator(
    t: Array,
    usable: Rows,
    times: Array,
    walls: Sequence[float],
    order: int,
    sizes: Rows | int = DEFAULT_WINDOW,
    degree: int = DEFAULT_DEGREE,
    parts: Sequence[FitSegment] | None = None,
    smoothed: Mapping[int, Callable[[Rows, Array], Sequence[Piece]]] = NOTHING_SMOOTHED,
) -> Operator:
    """Return value (order 0), slope (1) or second derivative (2) at some times in s, shape (m,).

    `usable` are the rows of samples at times t that may be used; `sizes` the samples in a window,
    one number or one by usable sample, that of the nearest one being taken. Near an edge a window
    keeps its samples and is evaluated off-centre, so u grows. What is estimated otherwise than in
    windows is in `smoothed`, by where the part begins: pieces for some places at some times.
    """
    own = t[usable]
    parts = fit_segments(own, walls) if parts is None else parts
    near = nearest(own, times)
    pieces: list[Piece] = []
    for part, at in _by_part(own, parts, times, np.sort(np.asarray(walls, dtype=float))):
        if part.start in smoothed:
            pieces += smoothed[part.start](at, times[at])
            continue
        n = part.stop - part.start
        index = np.clip(near[at], part.start, part.stop - 1)
        requests = np.minimum(
            np.full(len(at), sizes) if isinstance(sizes, int) else sizes[index], n
        )
        for size in np.unique(requests):
            if part.carries(int(size), degree, order):
                mine = requests == size
                window = _Window(own, part, int(size), degree_for(int(size), degree), order)
                pieces += window.pieces(at[mine], times[at[mine]], index[mine] - part.start)
    return operator_of_pieces(usable, len(times), pieces, order)


def nearest(own: Array, times: Array) -> Rows:
    """Return which of some ordered times each of others, in s, is nearest to, shape (m,)."""
    if len(own) < 2:
        return np.zeros(len(times), dtype=np.intp)
    after = np.clip(np.searchsorted(own, times), 1, len(own) - 1)
    return np.asarray(after - (times - own[after - 1] < own[after] - times), dtype=np.intp)


def _by_part(
    own: Array, parts: Sequence[FitSegment], times: Array, walls: Array
) -> list[tuple[FitSegment, Rows]]:
    """Which times belong to which part: between the same walls, and there the nearest."""
    place = np.searchsorted(walls, times, "right")
    found = []
    for number in sorted({part.place for part in parts}):
        alike = [part for part in parts if part.place == number]
        middles = [0.5 * (own[a.stop - 1] + own[b.start]) for a, b in pairwise(alike)]
        here = np.flatnonzero(place == number)
        own_part = np.searchsorted(np.array(middles), times[here])
        found += [(part, here[own_part == k]) for k, part in enumerate(alike)]
    return [(part, at) for part, at in found if len(at)]


@dataclass(frozen=True, eq=False)
class _Window:
    """Windows of one size on one part of the usable samples at times `own`."""

    own: Array
    part: FitSegment
    size: int
    degree: int
    order: int

    def pieces(self, at: Rows, times: Array, index: Rows) -> list[Piece]:
        """Return the estimates at some times, whose nearest samples in the part are `index`."""
        t, n = self.own[self.part.start : self.part.stop], self.part.stop - self.part.start
        if self.size >= n:
            return [self._fixed(at, times, 0)]
        first = np.clip(index - self.size // 2, 0, n - self.size)
        step = (t[-1] - t[0]) / (n - 1)
        even = self.size % 2 == 1 and even_runs(t, n // 2) == [(0, n)]
        middle = (
            even
            & (np.abs(times - t[index]) <= AT_SAMPLE * step)
            & (first + self.size // 2 == index)
        )
        found: list[Piece] = []
        if middle.any():
            centred = even_basis(self.size, self.degree, self.order)
            weights = centred.phi @ centred.slopes[self.size // 2] / step**self.order
            found.append(SameWeights(at[middle], self.part.start + first[middle], weights))
        for edge in (0, n - self.size):
            here = ~middle & (first == edge)
            if here.any():
                found.append(self._fixed(at[here], times[here], edge))
        rest = np.flatnonzero(~middle & (first > 0) & (first < n - self.size))
        chunk = max(CHUNK // self.size, 1)
        for rows in np.split(rest, np.arange(chunk, len(rest), chunk)):
            if len(rows):
                ts = sliding_window_view(t, self.size)[first[rows]]
                phi, slopes = window_bases(ts, times[rows], self.degree, self.order)
                weights = np.einsum("iwk,ik->iw", phi, slopes)
                found.append(OwnWeights(at[rows], self.part.start + first[rows], weights))
        return found

    def _fixed(self, at: Rows, times: Array, first: int) -> OneWindow:
        start = self.part.start + first
        whole = basis(self.own[start : start + self.size], times, self.degree, self.order)
        return OneWindow(at, start, whole.slopes, whole.phi)
