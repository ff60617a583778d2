"""Places that step while the speed stays: a zero that moved, or frames that were dropped while time
went on as if they were there.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from inertian.analysis.second_look.cases import Case, Samples
from inertian.analysis.second_look.notes import Note, Place, Severity
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_estimate, write_shortest

HALF, FEWER = 10, 6  # samples on either side of a step that tell it; where the motion bends more
STEP_Z, STEP_SIGMAS = 9.0, 6.0  # u, and σ of a reading, that a step must exceed
SMOOTH = 2.5  # χ² per degree of freedom that may be left beside a step
BETTER = 25.0  # χ² by which a step explains more than a change of velocity does
EVEN = 0.05  # of a step of time that times may be off even spacing
LONGEST = 100_000  # samples that are looked at
MOST_DROPPED = 6  # frames that are lost at once
MOST_U = 0.25  # u of a number of frames, above which it tells nothing
FRAMES_OF_A_ZERO = 30.0  # over how many frames the step of a zero is spread, beforehand


@dataclass(frozen=True)
class PlaceStep:
    """A step of one channel: before which sample, how far in m ± u, at which speed in m/s."""

    row: int
    size: float
    u: float
    speed: float


def _designs(middle: int, count: int) -> tuple[Array, Array]:
    """A parabola with a step before the middle sample, and one with a kink at it."""
    tau = (np.arange(count) - middle + 0.5) / middle
    late = (np.arange(count) >= middle).astype(float)
    smooth = np.stack([np.ones(count), tau, tau**2])
    return np.vstack([smooth, late]), np.vstack([smooth, np.maximum(tau, 0.0)])


def place_steps(own: Samples) -> list[PlaceStep]:
    """Return where the places of a channel step by more than 9 u and 6 σ, between two pieces of one
    parabola; none where time is not even.

    Least squares of a parabola with a step in windows of 20 samples, and of 12, at every sample; a
    kink there must explain less by 25 in χ².
    """
    n, dt = len(own.x), np.diff(own.t)
    step = float(np.median(dt))
    if n > LONGEST or np.any(np.abs(dt - step) > EVEN * step) or own.sigma <= 0.0:
        return []
    found = _steps_in_windows(own, HALF, step)
    more = _steps_in_windows(own, FEWER, step)
    return found + [m for m in more if all(abs(m.row - f.row) > HALF for f in found)]


def _steps_in_windows(own: Samples, half: int, step: float) -> list[PlaceStep]:
    if len(own.x) < 2 * half:
        return []
    windows = np.lib.stride_tricks.sliding_window_view(own.x, 2 * half)
    windows = windows - windows.mean(axis=1, keepdims=True)
    stepped, kinked = _designs(half, 2 * half)
    inverse = np.linalg.pinv(stepped.T)
    c = windows @ inverse.T
    left = np.sum((windows - c @ stepped) ** 2, axis=1)
    kink = np.sum((windows - windows @ np.linalg.pinv(kinked.T).T @ kinked) ** 2, axis=1)
    variance, size, dof = own.sigma**2, c[:, 3], 2 * half - 4
    u = np.sqrt(float(inverse[3] @ inverse[3]) * np.maximum(variance, left / dof))
    clear = np.abs(size) > np.maximum(STEP_Z * u, STEP_SIGMAS * own.sigma)
    clear &= (left < SMOOTH * dof * variance) & (kink > left + BETTER * variance)
    found = []
    for place in np.flatnonzero(clear):
        around = slice(max(place - half, 0), place + half + 1)
        if np.abs(size[place]) == np.abs(size[around][clear[around]]).max():
            speed = float(c[place, 1]) / (half * step)
            found.append(PlaceStep(int(place) + half, float(size[place]), float(u[place]), speed))
    return found


def moved_places(case: Case) -> Iterator[Note]:
    """Steps of places (`place_steps`): *dropped-frames* where each is a whole number of what the
    body moves in a sample, the same for all bodies that move then, by Bayes' theorem; else
    *zero-shift*.
    """
    steps = [(own, one) for own in case.positions for one in place_steps(own)]
    told: list[int] = []
    for own, one in sorted(steps, key=lambda item: item[1].row):
        row = int(own.rows[one.row])
        if any(abs(row - other) <= HALF for other in told):
            continue
        told.append(row)
        t = float(own.t[one.row])
        dropped = _dropped(own, one)
        place = Place(own.body, "", float(own.t[one.row - 1]), t)
        if dropped is not None and not _someone_stays(case, row, one):
            yield Note(
                "dropped-frames",
                Severity.HIGH,
                f"At {write_shortest(t, 4)} s {own.body} is {dropped} "
                f"{'step' if dropped == 1 else 'steps'} further on than it should be, at the same "
                "speed: frames are missing there, but time goes on as if they were not.",
                {"t": t, "frames": float(dropped), "shift": one.size, "u": one.u},
                place,
                None,
                f"{row}",
                abs(one.size) / one.u,
            )
            continue
        yield Note(
            "zero-shift",
            Severity.HIGH,
            f"At {write_shortest(t, 4)} s the places of {own.body} along {own.axis} step by "
            f"{write_estimate(one.size, one.u, 'm')}, and it goes on at the same speed: the zero "
            "moved, or another point was followed from there on.",
            {"t": t, "shift": one.size, "u": one.u},
            place,
            None,
            f"{own.body} {row}",
            abs(one.size) / one.u,
        )


def _dropped(own: Samples, one: PlaceStep) -> int | None:
    """How many frames a step stands for, if a whole number of them explains it better than a zero
    that moved by anything: Bayes' theorem, n frames beforehand 2⁻ⁿ.
    """
    per_frame = one.speed * float(np.median(np.diff(own.t)))
    if per_frame == 0.0:
        return None
    count, u = one.size / per_frame, abs(one.u / per_frame)
    whole = round(count)
    if not 1 <= whole <= MOST_DROPPED or u > MOST_U:
        return None
    near = np.exp(-0.5 * ((count - whole) / u) ** 2) / (u * np.sqrt(2.0 * np.pi))
    return whole if near * 2.0**-whole > 1.0 / FRAMES_OF_A_ZERO else None


def _someone_stays(case: Case, row: int, one: PlaceStep) -> bool:
    """Whether another channel moves then and does not step."""
    for other in case.positions:
        k = int(np.searchsorted(other.rows, row))
        if not HALF <= k <= len(other.x) - HALF:
            continue
        before, after = other.x[k - HALF : k], other.x[k : k + HALF]
        t0, t1 = other.t[k - HALF : k], other.t[k : k + HALF]
        lines = [np.polyfit(t - other.t[k], x, 1) for t, x in ((t0, before), (t1, after))]
        speed = 0.5 * (lines[0][0] + lines[1][0])
        shift = float(np.polyval(lines[1], 0.0) - np.polyval(lines[0], 0.0))
        frames = one.size / one.speed if one.speed else 0.0
        u = other.sigma * 1.3
        if abs(speed * frames) > STEP_Z * u and abs(shift) < 0.3 * abs(speed * frames):
            return True
    return False
