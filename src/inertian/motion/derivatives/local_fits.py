"""Local fits of a channel of a trial: smooth motions of its parts, or polynomials in windows by the
data. How windows are chosen is told in docs/methods.md.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from inertian.motion.derivatives.local_derivatives import (
    BY_DATA,
    PLACES,
    WindowRequest,
    half_place,
    mean_square_bias,
    noise_in_windows,
    possible_bias,
    sliding_with_sizes,
    window_duration,
    window_sizes,
)
from inertian.motion.derivatives.smoothed_stretch import (
    SmoothedStretch,
    smoothable,
    smoothed_stretch,
)
from inertian.motion.noise.local_noise import LocalNoise
from inertian.motion.numerics.local_polynomials import (
    FitSegment,
    fit_segments,
    local_operator,
    nearest,
)
from inertian.motion.numerics.operators import Operator, Piece
from inertian.motion.numerics.quantisation import (
    harmonic_amplitudes,
    harmonic_patterns,
    harmonics_worth,
    white_variance,
)
from inertian.motion.numerics.sliding_fits import even_runs
from inertian.motion.numerics.window_selection import (
    LONG_RECORDING,
    QUOTED_DEGREE,
    Misfits,
    misfits,
)
from inertian.motion.smoothing.smoothing_budget import budget_of
from inertian.quantities.estimates import Array, Mask, ReadingNoise, Rows, locked

# Samples in all windows together of an unevenly spaced recording, at most
MOST_UNEVEN_WEIGHTS = 500_000
PLACES_IN_LONG = 2_000  # samples of a long recording that unlike readings are followed at
# Samples in a window that an unevenly spaced recording always gets, if the data allow it
NARROW = 21
# Of the windows that samples of a rough stretch ask for, the share that is narrower than the one
# that serves all
NARROW_SHARE = 0.25


@dataclass(frozen=True, eq=False)
class ChannelSamples:
    """A channel as local fits see it: body and axis, times in s and values in SI, (n,), and the
    step of readings.
    """

    body: str
    axis: str
    t: Array
    x: Array
    resolution: float = 0.0
    given: float = 0.0  # a σ of readings that is known; 0 if none is
    share: Array | None = None  # the variance of each reading over σ², where columns state it
    beside: int = 1  # how many channels are smoothed of the recording in all

    @property
    def name(self) -> tuple[str, str]:
        """What tells it from other channels of the trial."""
        return self.body, self.axis


@dataclass(frozen=True, eq=False)
class DerivativeAtSamples:
    """A derivative at all samples: values, the norms √Σw² of their weights, and what the fits may
    leave out; (n,).
    """

    value: Array
    norm: Array
    bias: Array


@dataclass(frozen=True, eq=False)
class LocalFits:
    """The windows of a channel: usable rows, the parts they form, and samples in a window by order
    and usable row.
    """

    channel: ChannelSamples
    walls: tuple[float, ...]
    usable: Rows
    parts: list[FitSegment]
    sizes: dict[int, Rows]
    noise: LocalNoise
    # What fits leave out in places of long recordings, shared by all walls
    seen: dict[tuple[object, ...], float]
    smoothed: Mapping[int, SmoothedStretch] = field(default_factory=dict)  # by start of the part
    known: dict[int, DerivativeAtSamples] = field(default_factory=dict)

    def windows(self, order: int) -> tuple[int, int] | None:
        """Return the least and the greatest number of samples in a window outside of contacts, or
        None.
        """
        outside = [self.sizes[order][p.start : p.stop] for p in self.parts if not p.inside]
        if not outside:
            return None
        return min(int(s.min()) for s in outside), max(int(s.max()) for s in outside)

    def operator(self, times: Array, order: int) -> Operator:
        """Return value (order 0), velocity (1), acceleration (2) or, from smooth motion only, its
        rate (3) at some times in s, shape (m,), as weights on the samples.
        """
        t = self.channel.t

        def pieces_of(start: int, stretch: SmoothedStretch) -> Callable[[Rows, Array], list[Piece]]:
            return lambda at, moments: stretch.pieces(at, moments, order, start)

        return local_operator(
            t,
            self.usable,
            times,
            self.walls,
            order,
            self.sizes[min(order, 2)],
            _degree(order),
            parts=self.parts,
            smoothed={start: pieces_of(start, one) for start, one in self.smoothed.items()},
        )

    def estimated(self, order: int, before: "LocalFits | None" = None) -> DerivativeAtSamples:
        """Return a derivative at all samples; what other walls left as it was is taken over from
        `before`.
        """
        if order not in self.known:
            self.known[order] = self._estimated(order, before)
        return self.known[order]

    def _estimated(self, order: int, before: "LocalFits | None") -> DerivativeAtSamples:
        n, sizes = len(self.channel.t), self.sizes[min(order, 2)]
        degree = _degree(order)
        value, norm, missed = (np.full(n, np.nan) for _ in range(3))
        if len(self.usable) > LONG_RECORDING and order <= degree:
            missed[self.usable] = self._bias_in_long(order)
        stale = np.ones(len(self.usable), dtype=bool)
        if before is not None and order in before.known:
            stale = self._changed(order, before)
            old, kept = before.known[order], self.usable[~stale]
            value[kept], norm[kept] = old.value[kept], old.norm[kept]
        for part in self.parts:
            own = slice(part.start, part.stop)
            rows, size = self.usable[own], sizes[own]
            t, x = self.channel.t[rows], self.channel.x[rows]
            if part.start in self.smoothed:
                value[rows], norm[rows], missed[rows] = self.smoothed[part.start].at(t, order)
                continue
            if order > degree:
                continue
            if len(self.usable) <= LONG_RECORDING:
                share = None if self.channel.share is None else self.channel.share[rows]
                missed[rows] = possible_bias(t, x, order, size, self.noise, share)
            for low, high in _runs(stale[own]):
                found = sliding_with_sizes(t, x, size, [(order, degree)], rows=(low, high))[0]
                for kind, one in zip((value, norm), found, strict=True):
                    kind[rows[low:high]] = one[low:high]
            few = int(size.min()) <= degree + 1
            for bad in np.unique(size) if few else ():
                if not part.carries(int(bad), degree, order):
                    for kind in (value, norm, missed):
                        kind[rows[size == bad]] = np.nan
        return DerivativeAtSamples(locked(value), locked(norm), locked(missed))

    def left_out(self, times: Array, order: int) -> tuple[dict[tuple[int, int], Array], Array]:
        """Return what fits may leave out of a derivative at some times in s, (m,), in SI: errors
        shared by all times and derivatives, by part and number, each of u = 1, and u of the rest.
        """
        if not len(self.usable):
            return {}, np.zeros(len(times))
        rows = self.usable[nearest(self.channel.t[self.usable], times)]
        rest = np.nan_to_num(self.estimated(order).bias[rows])
        shared: dict[tuple[int, int], Array] = {}
        starts = [part.start for part in self.parts]
        places = np.searchsorted(self.usable, rows)
        for part in np.unique(np.searchsorted(starts, places, "right") - 1):
            start = starts[part]
            if start not in self.smoothed:
                continue
            here = np.flatnonzero((places >= start) & (places < self.parts[part].stop))
            found, rest[here] = self.smoothed[start].left_out(times[here], order)
            for k, one in enumerate(found):
                if one.any():
                    shared[start, k] = np.zeros(len(times))
                    shared[start, k][here] = one
        return shared, rest

    def variance(self, order: int, noise: ReadingNoise) -> Array:
        """Return the variance of a derivative at all samples that a noise of readings gives it, in
        SI squared; (n,).
        """
        n, m = len(self.channel.t), len(self.usable)
        whole = np.full(n, np.nan)
        if not m:
            return whole
        some = (
            np.arange(m)
            if m <= LONG_RECORDING
            else np.unique(np.linspace(0, m - 1, PLACES_IN_LONG).astype(np.intp))
        )
        operator = self.operator(self.channel.t[self.usable[some]], order)
        found = operator.product_under(operator, np.zeros(n) + noise.variance, noise.alike)
        for pattern in noise.rounding:
            found += operator.applied(np.asarray(pattern[slice(0, n)])) ** 2
        good = some[np.isfinite(found)]
        if m > LONG_RECORDING and good.size:
            found = np.interp(np.arange(m), good, found[np.isfinite(found)])
        whole[self.usable] = found
        return whole

    def own_variance(self, order: int, noise: ReadingNoise) -> Array:
        """As `variance`, where what is white of the noise is that which came with the smooth
        motion, as probable as every correlation is.
        """
        if not self.smoothed:
            return self.variance(order, noise)
        found = self.variance(order, replace(noise, rounding=()))
        for part in self.parts:
            if part.start in self.smoothed:
                rows = self.usable[part.start : part.stop]
                moments = self.channel.t[rows]
                found[rows] = self.smoothed[part.start].reading_variance(moments, order)
        if noise.rounding:
            operator = self.operator(self.channel.t[self.usable], order)
            for pattern in noise.rounding:
                own = operator.applied(np.asarray(pattern[slice(0, len(found))]))
                found[self.usable] += own**2
        return found

    def _bias_in_long(self, order: int) -> Array:
        """What fits may leave out, from some places of a long recording; shape (len(usable),)."""
        n, sizes, channel = len(self.usable), self.sizes[order], self.channel
        half, found = half_place(sizes), []
        places = np.linspace(half, n - half, PLACES).astype(int)
        stops = [part.stop for part in self.parts]
        for place in places:
            part = self.parts[min(int(np.searchsorted(stops, place, "right")), len(stops) - 1)]
            low, high = max(int(place) - half, part.start), min(int(place) + half, part.stop)
            key = (channel.name, channel.given, order, int(sizes[place]), low, high)
            if key not in self.seen:
                rows = self.usable[low:high]
                self.seen[key] = mean_square_bias(
                    channel.t[rows], channel.x[rows], order, sizes[low:high], self.noise
                )
            found.append(self.seen[key])
        return np.sqrt(np.interp(np.arange(n), places, found))

    def _changed(self, order: int, before: "LocalFits") -> Mask:
        """Which usable samples have other windows than before: another size, or a wall nearby came
        or went.
        """
        new, old = self.sizes[order], before.sizes[order]
        changed = new != old
        own = self.channel.t[self.usable]
        for wall in set(self.walls) ^ set(before.walls):
            place = int(np.searchsorted(own, wall))
            near = own[max(place - 1, 0) : place + 1]
            reach = (
                int(max(new[max(place - 1, 0) : place + 1].max(initial=0), old.max(initial=0)))
                if near.size
                else 0
            )
            changed[max(place - reach, 0) : place + reach] = True
        return np.asarray(changed)


def reading_noise_of(fits: LocalFits, noise: LocalNoise, speed: Array) -> ReadingNoise:
    """Return the noise of all readings of a channel with that of its time stamps, at some speeds in
    m/s, (n,): what is white, what neighbours share, and the pattern of coarse steps.
    """
    t, many = fits.channel.t, harmonics_worth(len(fits.channel.t))
    variance = np.full(len(t), white_variance(noise.step, noise.sigma, many))
    if fits.channel.share is not None:
        variance *= np.where(np.isfinite(fits.channel.share), fits.channel.share, 1.0)
    variance += (noise.stamp * speed) ** 2
    rounded: tuple[Array, ...] = ()
    if len(fits.usable) > 1 and harmonic_amplitudes(noise.step, noise.sigma):
        lasting = window_duration(t, fits.sizes[1])
        level = fits.estimated(0).value
        rounded = harmonic_patterns(level, t, lasting, noise.step, noise.sigma, many)
    return ReadingNoise(variance, noise.correlation, rounded)


def local_fits(
    channel: ChannelSamples,
    walls: Sequence[float],
    window: WindowRequest,
    noise: LocalNoise,
    tried: list[Misfits] | None = None,
    seen: dict[tuple[object, ...], float] | None = None,
) -> LocalFits:
    """Return the local fits of a channel that do not reach across some walls, times in s: smooth
    motions of all parts that hold enough samples for one, windows in the others, in long recordings
    and by hand.

    `tried` are windows that were tried all over a long recording; `seen` what was found in places
    of it.
    """
    usable = np.flatnonzero(np.isfinite(channel.x))
    t, x = channel.t[usable], channel.x[usable]
    parts = fit_segments(t, walls)
    share = None if channel.share is None else channel.share[usable]
    smoothed: dict[int, SmoothedStretch] = {}
    if len(t) > LONG_RECORDING:  # one window serves all of a long recording
        tried = tried_windows(t, x, noise, share) if tried is None and window == BY_DATA else tried
        sizes = window_sizes(t, _off_walls(tried or [], parts), window)
        lengths = [p.stop - p.start for p in parts]
        most = np.repeat(lengths, lengths)
        sizes = {order: np.minimum(found, most) for order, found in sizes.items()}
    else:
        sizes = {order: np.empty(len(usable), dtype=np.intp) for order in QUOTED_DEGREE}
        budget = budget_of(channel.beside)
        for part in sorted(parts, key=lambda one: one.start - one.stop):  # the longest first
            own = slice(part.start, part.stop)
            stretch = None
            if window == BY_DATA and smoothable(part.stop - part.start) and budget.left > 0:
                sigma, _, alike = noise_in_windows(
                    t[own], x[own], noise, None if share is None else share[own]
                )
                stretch = smoothed_stretch(
                    t[own], x[own], replace(noise, sigma=sigma), alike, len(t), budget
                )
            if stretch is not None:
                smoothed[part.start] = stretch
                found = dict.fromkeys(QUOTED_DEGREE, stretch.equivalent_windows(t[own]))
            else:
                few = tried_windows(t[own], x[own], noise, share) if window == BY_DATA else []
                found = window_sizes(t[own], few, window)
                if window == BY_DATA and smoothable(part.stop - part.start):
                    found = {order: _one_for_all(size) for order, size in found.items()}
            for order, size in found.items():
                sizes[order][own] = np.minimum(size, _most(t[own]))
    walls = tuple(walls)
    known = {} if seen is None else seen
    return LocalFits(channel, walls, usable, parts, sizes, noise, known, smoothed)


def _one_for_all(sizes: Rows) -> Rows:
    """One window for all samples of a stretch that is too rough to be smoothed: a narrow one of
    those that the samples ask for.
    """
    return np.full(len(sizes), int(np.quantile(sizes, NARROW_SHARE)) // 2 * 2 + 1)


def tried_windows(t: Array, x: Array, noise: LocalNoise, share: Array | None) -> list[Misfits]:
    """Return windows of growing size tried all over samples, (n,), with the misfits they show."""
    if not np.isfinite(noise.sigma):
        return []
    return misfits(t, x, *noise_in_windows(t, x, noise, share))


def _degree(order: int) -> int:
    """The degree of polynomials in windows, one that has no such derivative where it is too high to
    be had from them.
    """
    return QUOTED_DEGREE.get(order, order - 1)


def _runs(mask: Mask) -> list[tuple[int, int]]:
    """Where a mask holds, as (start, stop)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]])))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]


def _off_walls(tried: list[Misfits], parts: list[FitSegment]) -> list[Misfits]:
    """The windows that lie within one part."""
    stops = np.array([part.stop for part in parts])
    found = []
    for one in tried:
        ends = np.searchsorted(stops, [one.first, one.first + one.size - 1], "right")
        whole = ends[0] == ends[1]
        found.append(one.of(whole))
    return found


def _most(t: Array) -> int:
    """The samples in a window of a part, at most: windows of uneven spacing have weights of their
    own.
    """
    n = len(t)
    even = n < 2 or even_runs(t, n // 2) == [(0, n)]
    return n if even else min(max(MOST_UNEVEN_WEIGHTS // n, NARROW) | 1, n)
