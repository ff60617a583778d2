"""A soft or noisy reversal that was taken to pieces: what drives a body back in a moment is one
event, however many steady stretches it can be cut into.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from inertian.motion.spans.span_naming import FoundEvent, FoundMotion
from inertian.motion.spans.spans import SpanKind
from inertian.motion.spans.velocity_changes import hidden_tail

LONGEST_REVERSAL = 0.4  # s; what takes longer is a motion of its own
# Times the accelerations on either side that something stronger than what acts there has
STRONGER = 4.0
FEW = 8  # samples at a speed in between that noise may cut a reversal into
TAKEN = 0.25  # of a motion beside it, at most, that is given to a reversal
OPPOSED = -0.8  # cosine between velocities before and after


@dataclass(frozen=True)
class _Reversal:
    """Places of the motions before and after."""

    before: int
    after: int
    start: float
    stop: float


def whole_reversals(
    body: str, own: Sequence[FoundMotion], events: Sequence[FoundEvent], slow: float
) -> tuple[list[FoundMotion], list[FoundEvent]]:
    """Return the motions of a body and all events, in which every reversal that was taken to
    pieces is one event; an interaction where it lasts `slow` s or more.
    """
    motions, events = list(own), _overlapping_joined(body, events)
    while (found := _first(body, motions, events)) is not None:
        before, after = motions[found.before], motions[found.after]
        dv = {body: after.v[0] - before.v[1]}
        size, sigma = float(np.linalg.norm(dv[body])), max(before.sigma, after.sigma)
        tail = hidden_tail(size, found.stop - found.start, sigma)
        start = found.start - min(tail, TAKEN * (before.stop - before.start))
        stop = found.stop + min(tail, TAKEN * (after.stop - after.start))
        kind = SpanKind.INTERACTION if stop - start >= slow else SpanKind.CONTACT
        events = [
            *(e for e in events if e.bodies != (body,) or e.stop < start or e.start > stop),
            FoundEvent(kind, start, stop, dv, True),
        ]
        motions[found.before : found.after + 1] = [_until(before, start), _since(after, stop)]
    return motions, sorted(events, key=lambda e: e.start)


def _overlapping_joined(body: str, events: Sequence[FoundEvent]) -> list[FoundEvent]:
    """Slow changes of one body that overlap are one."""
    found: list[FoundEvent] = []
    for event in sorted(events, key=lambda e: e.start):
        slow = event.kind is SpanKind.INTERACTION and event.bodies == (body,)
        last = next((k for k in range(len(found) - 1, -1, -1) if found[k].bodies == (body,)), None)
        if slow and last is not None and found[last].stop > event.start:
            one = found[last]
            dv = {body: one.dv[body] + event.dv[body]}
            found[last] = replace(event, start=one.start, stop=max(one.stop, event.stop), dv=dv)
        else:
            found.append(event)
    return found


def _first(
    body: str, motions: Sequence[FoundMotion], events: Sequence[FoundEvent]
) -> _Reversal | None:
    for i, before in enumerate(motions):
        for j in range(i + 1, len(motions)):
            after = motions[j]
            if after.start - before.stop > LONGEST_REVERSAL:
                break
            inner = motions[i + 1 : j]
            near = [
                e
                for e in events
                if body in e.bodies and e.start <= after.start and before.stop <= e.stop
            ]
            whole = (bool(near) and not inner) or any(len(e.bodies) > 1 for e in near)
            if not whole and _one(before, after, inner):
                return _Reversal(i, j, before.stop, after.start)
    return None


def _one(before: FoundMotion, after: FoundMotion, inner: Sequence[FoundMotion]) -> bool:
    """Whether all between two motions is one reversal: opposite velocities, and nothing between
    but rests, accelerations from the one towards the other, stronger than those beside, and a few
    samples at a speed in between.
    """
    came, went = before.v[1], after.v[0]
    sizes = float(np.linalg.norm(came)), float(np.linalg.norm(went))
    if after.start <= before.stop or SpanKind.REST in (before.kind, after.kind) or not all(sizes):
        return False
    if float(came @ went) > OPPOSED * sizes[0] * sizes[1]:
        return False
    change = float(np.linalg.norm(went - came))
    away = (went - came) / change
    beside = max(float(np.linalg.norm(m.a)) for m in (before, after))
    if change <= STRONGER * beside * (after.start - before.stop):
        return False
    ends = float(came @ away), float(went @ away)
    return all(
        m.kind is SpanKind.REST
        or float(m.a @ away) > STRONGER * beside
        or (m.samples <= FEW and ends[0] < float(0.5 * (m.v[0] + m.v[1]) @ away) < ends[1])
        for m in inner
    )


def _until(motion: FoundMotion, stop: float) -> FoundMotion:
    share = (stop - motion.start) / (motion.stop - motion.start)
    return replace(motion, stop=stop, samples=round(share * motion.samples))


def _since(motion: FoundMotion, start: float) -> FoundMotion:
    share = (motion.stop - start) / (motion.stop - motion.start)
    return replace(motion, start=start, samples=round(share * motion.samples))
