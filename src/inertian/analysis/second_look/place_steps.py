"""Places that step while the speed stays: a zero that moved, or frames that were dropped while time
went on as if they were there.

Windows around every sample are fitted by polynomials in time, in four ways: as they are, with a
kink, with a step, and with the time after the sample put forward by whole frames.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from inertian.analysis.second_look.cases import Case, Samples
from inertian.analysis.second_look.notes import Note, Place, Severity
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_estimate, write_shortest

HALVES, DEGREES = (10, 6), (1, 2, 3)  # samples on either side, and polynomials that are tried
STEP_Z, STEP_SIGMAS = 8.0, 5.0  # u, and σ of a reading, that a step must exceed
SHIFT_GAIN = 64.0  # χ² that missing frames must explain
SMOOTH = 2.0  # χ² per degree of freedom that may be left
LEAST_NOISE = 0.04  # of a variance, that noise is at least
BETTER = 20.0  # χ² by which a step explains more than a change of velocity does
# χ² by which any step may explain more than whole frames do, and by which it may less for each
# frame more than one: many are seldom lost at once
FEWER, UNUSUAL = 6.0, 1.5
EVEN = 0.05  # of a step of time that times may be off even spacing
LONGEST = 100_000  # samples that are looked at
MOST_DROPPED = 4  # frames that are lost at once
# Where velocity may change, in parts of half a window from its middle: at one place, or at two
KINKS = ((-0.4,), (-0.2,), (0.0,), (0.2,), (0.4,), (-0.3, 0.3), (-0.5, 0.1), (-0.1, 0.5))
FIRST = 1e6  # strength: what else is said of such a trial follows from it


@dataclass(frozen=True)
class PlaceStep:
    """A step of places: before which sample; of a zero, of which channel and how far in m ± u; of
    missing frames, how many, and the χ² that they explain.
    """

    row: int
    channel: int = 0
    size: float = 0.0
    u: float = 0.0
    frames: int = 0
    gain: float = 0.0


class _Windows:
    """All windows of some channels with so many samples on either side, and χ² of fits in them."""

    def __init__(self, x: Array, sigmas: Array, half: int, degree: int) -> None:
        self.half, self.degree, self.sigmas = half, degree, sigmas
        whole = np.lib.stride_tricks.sliding_window_view(x, 2 * half, axis=1)
        self._x = (whole - whole.mean(axis=2, keepdims=True)) / sigmas[:, None, None]
        self._tau = (np.arange(2 * half) - half + 0.5) / half
        self._late = (np.arange(2 * half) >= half).astype(float)
        self.dof = len(x) * (2 * half - degree - 1)

    def _left(self, design: Array) -> Array:
        """χ² of each channel in each window, (channels, windows)."""
        q, _ = np.linalg.qr(design.T)
        return np.asarray(np.sum(self._x**2, axis=2) - np.sum((self._x @ q) ** 2, axis=2))

    def _powers(self, tau: Array) -> Array:
        return tau ** np.arange(self.degree + 1)[:, None]

    @cached_property
    def plain(self) -> Array:
        """χ² of the polynomial."""
        return self._left(self._powers(self._tau))

    @cached_property
    def kinked(self) -> Array:
        """χ² with a change of velocity about the middle, at once or over some samples."""
        base = self._powers(self._tau)
        tried = [
            self._left(np.vstack([base, *(np.maximum(self._tau - at, 0.0) for at in places)]))
            for places in KINKS
        ]
        return np.asarray(np.min(tried, axis=0))

    @cached_property
    def stepped(self) -> tuple[Array, Array, float]:
        """χ² with a step, its size in σ, and the u of that in σ."""
        design = np.vstack([self._powers(self._tau), self._late])
        inverse = np.linalg.pinv(design.T)
        return self._left(design), self._x @ inverse[-1], float(np.linalg.norm(inverse[-1]))

    def shifted(self, frames: int) -> Array:
        """χ² with the time after the middle put forward by so many frames."""
        return self._left(self._powers(self._tau + self._late * frames / self.half))


def _peaks(strength: Array, half: int) -> list[int]:
    """Windows in which something positive is largest among its neighbours."""
    found = []
    for place in np.flatnonzero(strength > 0.0):
        around = strength[max(place - half, 0) : place + half + 1]
        if strength[place] == around.max():
            found.append(int(place))
    return found


def place_steps(x: Array, sigmas: Array) -> list[PlaceStep]:
    """Return where places step, evenly sampled; x in m of shape (channels, n), σ of readings
    (channels,).

    Frames are missing where time put forward by 1 to 4 of them explains 64 in χ², leaves less than
    2 per degree of freedom, and is better by 20 than a change of velocity in all channels, and no
    worse by 6 (1.5 less for each frame more) than any steps; a zero moved where one channel steps
    by 8 u and 5 σ, better by 20 than with a change of velocity.
    """
    found: list[PlaceStep] = []
    sigmas = sigmas * _of_noise(x, sigmas)
    tried = [
        _Windows(x, sigmas, half, degree)
        for half in HALVES
        for degree in DEGREES
        if x.shape[1] > 2 * half
    ]
    for rule in (_missing_frames, _moved_zeros):
        for windows in tried:
            for one in rule(windows):
                if all(abs(one.row - other.row) > windows.half for other in found):
                    found.append(one)
    return found


def _of_noise(x: Array, sigmas: Array) -> Array:
    """What σ has to be multiplied by, at most 1, so that cubics through most windows leave what
    they should: the scatter of a whole recording is larger where it is rougher somewhere.
    """
    half, degree = HALVES[0], DEGREES[-1]
    if x.shape[1] <= 2 * half:
        return np.ones(len(x))
    left = np.median(_Windows(x, sigmas, half, degree).plain, axis=1)
    return np.asarray(np.sqrt(np.clip(left / (2 * half - degree - 1), LEAST_NOISE, 1.0)))


def _missing_frames(windows: _Windows) -> Iterator[PlaceStep]:
    shifted = np.array([windows.shifted(n) for n in range(1, MOST_DROPPED + 1)])
    # Channels in which something else happens in a window say nothing there
    dof = windows.dof / len(windows.sigmas)
    best_of = np.minimum(np.minimum(windows.plain, windows.stepped[0]), shifted.min(axis=0))
    says = best_of < SMOOTH * dof
    plain, kinked, stepped = (
        np.sum(one * says, axis=0) for one in (windows.plain, windows.kinked, windows.stepped[0])
    )
    sums = np.sum(shifted * says, axis=1)
    best, frames = sums.min(axis=0), sums.argmin(axis=0) + 1
    gain = plain - best
    clear = (gain > SHIFT_GAIN) & (best < SMOOTH * dof * says.sum(axis=0))
    clear &= (kinked > best + BETTER) & (stepped > best - FEWER + UNUSUAL * (frames - 1))
    for place in _peaks(np.where(clear, gain, 0.0), windows.half):
        row = place + windows.half
        yield PlaceStep(row, frames=int(frames[place]), gain=float(gain[place]))


def _moved_zeros(windows: _Windows) -> Iterator[PlaceStep]:
    (left, size, u), sigmas = windows.stepped, windows.sigmas
    dof = windows.dof / len(sigmas) - 1
    wider = u * np.sqrt(np.maximum(left / dof, 1.0))
    clear = (np.abs(size) > np.maximum(STEP_Z * wider, STEP_SIGMAS)) & (left < SMOOTH * dof)
    clear &= windows.kinked > left + BETTER
    for channel, sigma in enumerate(sigmas):
        for place in _peaks(np.where(clear[channel], np.abs(size[channel]), 0.0), windows.half):
            amount, own = float(size[channel, place] * sigma), float(wider[channel, place] * sigma)
            yield PlaceStep(place + windows.half, channel, amount, own)


def moved_places(case: Case) -> Iterator[Note]:
    """Steps of places (`place_steps`) of a trial that is evenly sampled: *dropped-frames* where a
    whole number of missing frames explains them for all bodies, else *zero-shift*.
    """
    t = case.trial.t
    dt = np.diff(t)
    even = len(t) <= LONGEST and np.all(np.abs(dt - np.median(dt)) < EVEN * np.median(dt))
    channels = [own for own in case.positions if own.sigma > 0.0 and len(own.x) > 0.8 * len(t)]
    if not even or not channels:
        return
    x = np.array([np.interp(t, own.t, own.x) for own in channels])
    for one in place_steps(x, np.array([own.sigma for own in channels])):
        at = float(t[one.row])
        place = Place(channels[one.channel].body, "", float(t[one.row - 1]), at)
        yield (
            _dropped(at, one, place)
            if one.frames
            else _shifted(at, one, channels[one.channel], place)
        )


def _dropped(at: float, one: PlaceStep, place: Place) -> Note:
    return Note(
        "dropped-frames",
        Severity.HIGH,
        f"At {write_shortest(at, 4)} s everything is {one.frames} "
        f"{'step' if one.frames == 1 else 'steps'} of time further on than it should be: frames "
        "are missing there, but time goes on as if they were not.",
        {"t": at, "frames": float(one.frames), "chi2": one.gain},
        place,
        None,
        f"{one.row}",
        FIRST + one.gain,
    )


def _shifted(at: float, one: PlaceStep, own: Samples, place: Place) -> Note:
    return Note(
        "zero-shift",
        Severity.HIGH,
        f"At {write_shortest(at, 4)} s the places of {own.body} along {own.axis} step by "
        f"{write_estimate(one.size, one.u, 'm')}, and it goes on at the same speed: the zero "
        "moved, or another point was followed from there on.",
        {"t": at, "shift": one.size, "u": one.u},
        place,
        None,
        f"{own.body} {one.row}",
        FIRST + abs(one.size) / one.u,
    )
