"""Swings and glides found in what was first taken to pieces: one span where one law does."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from inertian.motion.spans.curved_motion import slows_as_one, swing_of
from inertian.motion.spans.span_naming import (
    FoundEvent,
    FoundMotion,
    FoundSpan,
    reason_of_swing,
)
from inertian.motion.spans.spans import SpanKind
from inertian.motion.spans.tracks import Track
from inertian.quantities.rounding import write_number

SAME_TIME = 1.5  # steps that spans may lie apart and still be one
TURN_HALF = 1.5  # steps on each side of a turning point that its span holds
# Pieces and changes that a swing stands for, at least; periods up to which its moments are told
PIECES_OF_SWING, PERIODS_TOLD = 3, 6.0


def under_one_law(
    track: Track, events: Sequence[FoundEvent], motions: dict[str, list[FoundMotion]]
) -> tuple[list[FoundSpan], list[FoundEvent]]:
    """Return swings and glides of a body, and the events without those that are part of a swing;
    its steady motions are left without the pieces of both.
    """
    body, found, gone = track.body, list[FoundSpan](), set[int]()
    own = [e for e in events if body in e.bodies]
    soft = [e for e in own if e.kind is SpanKind.INTERACTION and len(e.bodies) == 1]
    hard = [e for e in own if not any(e is one for one in soft)]
    kept: list[FoundMotion] = []
    edges = [-np.inf, *(0.5 * (e.start + e.stop) for e in hard), np.inf]
    for low, high in pairwise(edges):
        pieces = [m for m in motions[body] if low < 0.5 * (m.start + m.stop) < high]
        inside = [e for e in soft if low < 0.5 * (e.start + e.stop) < high]
        made, left = _swing(track, pieces, inside)
        if made:
            gone |= {id(e) for e in inside}
        else:
            made, left = _glides(track, pieces, inside)
        found += made
        kept += left
    motions[body] = kept
    return found, [e for e in events if id(e) not in gone]


def _swing(
    track: Track, pieces: Sequence[FoundMotion], inside: Sequence[FoundEvent]
) -> tuple[list[FoundSpan], list[FoundMotion]]:
    """A swing with its moments, that stands for all pieces but rest before and after it."""
    moving = [k for k, m in enumerate(pieces) if m.kind is not SpanKind.REST]
    if not moving or len(moving) + len(inside) < PIECES_OF_SWING:
        return [], []
    start = min([pieces[moving[0]].start, *(e.start for e in inside)])
    stop = max([pieces[moving[-1]].stop, *(e.stop for e in inside)])
    found = _told(track, start, stop)
    if not found:
        return [], []
    return found, [*pieces[: moving[0]], *pieces[moving[-1] + 1 :]]


def whole_swing(track: Track) -> list[FoundSpan] | None:
    """Return the swing that a body makes all the time, if it does; then there is nothing else."""
    if len(track.segments) < PIECES_OF_SWING:
        return None
    return _told(track, float(track.t[0]), float(track.t[-1])) or None


def _told(track: Track, start: float, stop: float) -> list[FoundSpan]:
    """A swing from start to stop in s with its moments; none if it is none."""
    swing = swing_of(track, start, stop)
    if swing is None:
        return []
    body, half = track.body, TURN_HALF * track.step
    found = [FoundSpan(SpanKind.SWING, "", start, stop, (body,), reason_of_swing(body, swing))]
    if stop - start <= PERIODS_TOLD * swing.period:
        for kind, why, times in (
            (SpanKind.TURN, "turns", swing.turns),
            (SpanKind.MIDDLE, "goes through the middle", swing.middles),
        ):
            found += [
                FoundSpan(
                    kind,
                    "",
                    max(t - half, start),
                    min(t + half, stop),
                    (body,),
                    f"here the sine {why}",
                )
                for t in times
            ]
    return found


def _glides(
    track: Track, pieces: Sequence[FoundMotion], inside: Sequence[FoundEvent]
) -> tuple[list[FoundSpan], list[FoundMotion]]:
    """Glides that lose speed by one law, each for all the pieces it stands for."""
    runs: list[list[FoundMotion]] = []
    for piece in pieces:
        if runs and _goes_on_slowing(runs[-1][-1], piece, track.step, inside):
            runs[-1].append(piece)
        else:
            runs.append([piece])
    found, left = [], []
    for run in runs:
        if len(run) > 1 and slows_as_one(track, [(m.start, m.stop) for m in run]):
            speeds = [float(np.linalg.norm(v)) for v in (run[0].v[0], run[-1].v[1])]
            many = sum(m.samples for m in run)
            why = (
                f"{track.body}: {many} samples scatter about one curve that slows by less and "
                f"less, from {write_number(speeds[0], 2)} to {write_number(speeds[1], 2)} m/s"
            )
            found.append(
                FoundSpan(SpanKind.GLIDE, "", run[0].start, run[-1].stop, (track.body,), why)
            )
        else:
            left += run
    return found, left


def _goes_on_slowing(
    a: FoundMotion, b: FoundMotion, step: float, inside: Sequence[FoundEvent]
) -> bool:
    """Whether a motion is followed at once by a slower one that loses less speed."""
    if SpanKind.REST in (a.kind, b.kind) or b.start - a.stop > SAME_TIME * step:
        return False
    if any(a.start < 0.5 * (e.start + e.stop) < b.stop for e in inside):
        return False
    speeds = [float(np.linalg.norm(v)) for v in (*a.v, *b.v)]
    loses = [speeds[0] - speeds[1], speeds[2] - speeds[3]]
    rates = [lost / (m.stop - m.start) for lost, m in zip(loses, (a, b), strict=True)]
    return float(a.v[1] @ b.v[0]) > 0.0 and rates[0] > rates[1] > 0.0
