"""Which turn an angle is in: angles are followed over the whole recording, once.

From one sample to the next a body is taken to turn by less than half a turn. Over a gap it may have
turned by more: there the count begins anew, and changes of the angle across it are not known.
"""

from dataclasses import dataclass

import numpy as np

from inertian.physics.evaluation.trial_context import NoValueError, TrialContext
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.memo import Memo
from inertian.quantities.rounding import write_shortest

GAP = 1.5  # usual steps between two samples beyond which a turn may have gone unseen
BESIDE = 5  # samples on each side of a gap that tell how fast the body turns there
FULL = 2.0 * np.pi

_memo = Memo()


@dataclass(frozen=True, eq=False)
class Turns:
    """The angle of a body at its samples, followed over the recording.

    `t` in s, `angle` in rad and `piece` have shape (n,); pieces are numbered between gaps that may
    hide a turn.
    """

    t: Array
    angle: Array
    piece: Rows

    def followed(self, times: Array, angle: Array) -> Array:
        """Return angles in rad, shape (…, m), at times in s, shape (m,), each in its own turn."""
        if not len(self.t):
            return angle
        near = np.interp(times, self.t, self.angle)
        return np.asarray(angle + FULL * np.round((near - angle) / FULL))

    def require_one_piece(self, times: Array) -> None:
        """Raise NoValueError where times in s, shape (m,), lie on both sides of an unseen turn."""
        if not len(self.t):
            return
        places = np.clip(np.searchsorted(self.t, times, "right") - 1, 0, len(self.t) - 1)
        pieces = np.unique(self.piece[places])
        if len(pieces) < 2:
            return
        first = int(np.flatnonzero(self.piece == pieces[0])[-1])
        low, high = (f"{write_shortest(end, 4)} s" for end in self.t[first : first + 2])
        raise NoValueError(
            f"No samples from {low} to {high}: the body may "
            "have made a whole turn there, so a change of its angle across that gap is not known."
        )


def turns_of(context: TrialContext, body: str) -> Turns:
    """Return how a body turns about the centre of the frame, remembered for the trial."""
    centre = context.frame.centre or (0.0, 0.0)
    return _memo.get(context.trial, (body, centre), lambda: _turns(context, body, centre), 8)


def _turns(context: TrialContext, body: str, centre: tuple[float, float]) -> Turns:
    x, y = (context.trial.body(body).channel(axis).si for axis in "xy")
    usable = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
    t = context.trial.t[usable]
    angle = np.unwrap(np.arctan2(y[usable] - centre[1], x[usable] - centre[0]))
    piece = np.zeros(len(t), dtype=np.intp)
    steps = np.diff(t)
    for gap in np.flatnonzero(steps > GAP * np.median(steps)) if len(steps) else ():
        if _fastest(t, angle, int(gap)) * steps[gap] > np.pi:
            piece[gap + 1 :] += 1
    return Turns(t, angle, piece)


def _fastest(t: Array, angle: Array, gap: int) -> float:
    """The larger of the angular speeds beside a gap after sample `gap`, in rad/s."""
    found = [0.0]
    for low, high in ((max(gap - BESIDE, 0), gap), (gap + 1, min(gap + 1 + BESIDE, len(t) - 1))):
        if high > low:
            found.append(abs(float(angle[high] - angle[low])) / float(t[high] - t[low]))
    return max(found)
