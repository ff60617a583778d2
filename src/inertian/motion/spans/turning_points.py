"""Turning points: where a body that is driven back goes the other way."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from inertian.motion.spans.pieces_under_one_law import SAME_TIME, TURN_HALF
from inertian.motion.spans.span_naming import FoundMotion, FoundSpan
from inertian.motion.spans.spans import SpanKind
from inertian.motion.spans.tracks import Track
from inertian.quantities.rounding import write_shortest

# Steps, and share of the shorter piece, that a turning point may lie off where two pieces meet
TURN_ROOM, TURN_ROOM_SHARE = 4, 0.3
RETURN_SIGMAS = 6.0  # σ of a reading that a body must move on each side of a turning point
LEAST_SAMPLES = 3  # on each side of a turning point


def turned(motions: Sequence[FoundMotion], step: float) -> tuple[list[FoundMotion], list[float]]:
    """Split steady accelerations where the body turns round; return the motions and the moments."""
    turns: list[float] = []
    found: list[FoundMotion] = []
    for motion in motions:
        time = _turning_time(motion)
        if time is None:
            found.append(motion)
        elif _moves_on_both_sides(motion, time, step):
            turns.append(time)
            v = motion.v[0] + motion.a * (time - motion.start)
            share = (time - motion.start) / (motion.stop - motion.start)
            found.append(
                replace(
                    motion, stop=time, v=(motion.v[0], v), samples=round(share * motion.samples)
                )
            )
            found.append(
                replace(
                    motion,
                    start=time,
                    v=(v, motion.v[1]),
                    samples=round((1 - share) * motion.samples),
                )
            )
        else:
            found.append(motion)
    for k, (a, b) in enumerate(pairwise(found)):
        time = _turn_between(a, b, step)
        if time is not None and all(abs(time - t) > 3 * step for t in turns):
            turns.append(time)
            found[k], found[k + 1] = replace(a, stop=time), replace(b, start=time)
    return found, turns


def _returns(motion: FoundMotion, side: float) -> bool:
    return 0.5 * float(np.linalg.norm(motion.a)) * side**2 > RETURN_SIGMAS * motion.sigma


def _moves_on_both_sides(motion: FoundMotion, time: float, step: float) -> bool:
    """Whether a body moves noticeably on both sides of a turning point; friction stops it, but
    never turns it round.
    """
    side = min(time - motion.start, motion.stop - time)
    return side > LEAST_SAMPLES * step and _returns(motion, side)


def _turning_time(motion: FoundMotion) -> float | None:
    """When the velocity of a steady acceleration along a line goes through zero, or None."""
    if motion.kind is not SpanKind.ACCELERATION:
        return None
    along = motion.a / np.linalg.norm(motion.a)
    v0, v1 = float(motion.v[0] @ along), float(motion.v[1] @ along)
    across = float(np.linalg.norm(motion.v[0] - v0 * along))
    if v0 >= 0.0 or v1 <= 0.0 or across > 0.1 * max(-v0, v1):
        return None
    return motion.start + (motion.stop - motion.start) * -v0 / (v1 - v0)


def _turn_between(a: FoundMotion, b: FoundMotion, step: float) -> float | None:
    """When a body turns round where one steady acceleration goes over into another, or None."""
    if (
        b.start - a.stop > SAME_TIME * step
        or not a.kind is b.kind is SpanKind.ACCELERATION
        or float(a.a @ b.a) <= 0.0
    ):
        return None
    along = b.a / np.linalg.norm(b.a)
    if not float(a.v[0] @ along) < 0.0 < float(b.v[1] @ along):
        return None
    middle = 0.5 * (a.stop + b.start)
    zeros = [
        a.stop - float(a.v[1] @ along) / float(a.a @ along),
        b.start - float(b.v[0] @ along) / float(b.a @ along),
    ]
    room = max(TURN_ROOM * step, TURN_ROOM_SHARE * min(a.stop - a.start, b.stop - b.start))
    near = [z for z in zeros if abs(z - middle) <= room]
    if near and not (_returns(a, near[0] - a.start) and _returns(b, b.stop - near[0])):
        return None
    return float(np.mean(near)) if near else None


def turn_span(track: Track, time: float) -> FoundSpan:
    """Return the span of a turning point at a time in s."""
    half = TURN_HALF * track.step
    at = f"{write_shortest(time, 4)} s"
    why = f"the velocity goes through zero at {at} and the acceleration does not"
    return FoundSpan(SpanKind.TURN, "", time - half, time + half, (track.body,), why)
