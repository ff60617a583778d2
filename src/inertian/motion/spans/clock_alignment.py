"""Two recorders, one trial: clocks brought together, and positions of recorders that face one
another.
"""

from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.recording.trials import Body, Channel, Trial, TrialError
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.units import Unit

_FINE = 4000  # points of the common grid on which two signals are held against one another


class JoinError(TrialError):
    """Two recordings cannot be joined, or their clocks cannot be brought together by themselves."""


@dataclass(frozen=True)
class ClockOffset:
    """What is added to the times of the second recorder, in s, with its standard uncertainty and
    how it was found.
    """

    value: float
    u: float
    how: str


def join_trials(first: Trial, second: Trial, offset: float, facing: float | None = None) -> Trial:
    """Return one trial with the bodies of both; `offset` (s) is added to the times of the second.

    `facing` is L in m where the recorders face one another: then x = L − x′ for the second. All
    times are in s on the first clock, and each channel is blank at the stamps of the other. A body
    of the second whose name is taken gets a number. Raises JoinError if the recordings do not
    overlap in time.
    """
    late = second.t + offset
    if late[0] >= first.t[-1] or late[-1] <= first.t[0]:
        raise JoinError(
            first.name,
            f"with this offset, “{second.name}” was recorded at another time. Change the offset.",
        )
    times = np.union1d(first.t, late)
    rows1, rows2 = np.searchsorted(times, first.t), np.searchsorted(times, late)
    taken = {b.name for b in first.bodies}
    bodies = [_spread(b, rows1, len(times), None) for b in first.bodies]
    for body in second.bodies:
        name, number = body.name, 2
        while name in taken:
            name, number = f"{body.name} {number}", number + 1
        taken.add(name)
        bodies.append(replace(_spread(body, rows2, len(times), facing), name=name))
    origin = replace(
        first.provenance,
        others=(*first.provenance.others, second.provenance, *second.provenance.others),
    )
    return replace(
        first,
        raw_time=times,
        time_unit=Unit("s", "time", 1.0),
        time_base=1.0,
        bodies=tuple(bodies),
        provenance=origin,
    )


def _spread(body: Body, rows: Rows, n: int, facing: float | None) -> Body:
    def spread(channel: Channel) -> Channel:
        raw = np.full(n, np.nan)
        raw[rows] = channel.raw
        u = None
        if channel.u is not None:
            u = np.full(n, np.nan)
            u[rows] = channel.u
        made = replace(channel, raw=raw, u=u)
        if facing is not None and channel.axis != "y":
            shift = facing - channel.shift if channel.axis == "x" else 0.0
            made = replace(made, sign=-channel.sign, shift=shift)
        return made

    return Body(body.name, tuple(map(spread, body.channels)), tuple(map(spread, body.sensors)))


def find_offset(first: Trial, second: Trial) -> ClockOffset:
    """Return the offset that brings the clocks together, from what both saw of the contact.

    A force held against an acceleration, or two forces, are laid over one another where they agree
    best (cross-correlation, its maximum refined by a parabola); else the moment at which the motion
    breaks, or a force or acceleration stands out, is found in each. u is that of a moment known
    within one step of each clock (JCGM 100:2008, 4.3.7). Raises JoinError if one of them shows no
    contact.
    """
    u = float(np.hypot(first.step(), second.step())) / 12.0**0.5
    one, two = _signal(first), _signal(second)
    if one is not None and two is not None:
        return ClockOffset(
            _lag(first.t, one, second.t, two), u, "force and acceleration laid over one another"
        )
    return ClockOffset(_moment(first) - _moment(second), u, "the moment of the contact in each")


def _signal(trial: Trial) -> Array | None:
    """The first force or acceleration of a trial, less its usual value, without its sign; blanks
    are zero.
    """
    sensors = [c for b in trial.bodies for c in b.sensors if c.axis in ("F", "a")]
    if not sensors:
        return None
    y = sensors[0].si
    return np.nan_to_num(np.abs(y - np.nanmedian(y)))


def _moment(trial: Trial) -> float:
    signal = _signal(trial)
    if trial.followed:
        spans = suggest_spans(trial)
        # Alone, a body meets nobody
        hits = [spans.contact] if spans.contact else [s for s in spans if s.kind.event]
        if hits:
            return 0.5 * (hits[0].start + hits[0].stop)
    if signal is None or not signal.max() > 0.0:
        raise JoinError(
            trial.name,
            (
                "no contact stands out in it, so the clocks cannot be brought together. Type the "
                "offset."
            ),
        )
    strong = np.where(signal > 0.5 * signal.max(), signal, 0.0)
    return float(strong @ trial.t / strong.sum())


def _lag(t1: Array, y1: Array, t2: Array, y2: Array) -> float:
    """The shift of the second signal at which it agrees best with the first, in s."""
    step = min(float(np.ptp(t1)), float(np.ptp(t2))) / _FINE
    a = np.interp(np.arange(t1[0], t1[-1], step), t1, y1)
    b = np.interp(np.arange(t2[0], t2[-1], step), t2, y2)
    size = 1 << int(np.ceil(np.log2(len(a) + len(b))))
    both = np.fft.irfft(
        np.fft.rfft(a - a.mean(), size) * np.conj(np.fft.rfft(b - b.mean(), size)), size
    )
    best = int(np.argmax(both))
    left, middle, right = both[best - 1], both[best], both[(best + 1) % size]
    bend = left - 2.0 * middle + right
    fine = best + (0.5 * (left - right) / bend if bend < 0.0 else 0.0)
    return float(t1[0] - t2[0] + step * (fine - size if best > size // 2 else fine))
