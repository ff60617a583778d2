"""The span finder: what happens in a trial, when, and to which bodies, each with the reason why it
is thought so.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from inertian.motion.recording.trials import Trial
from inertian.motion.spans.abrupt_changes import abrupt_changes
from inertian.motion.spans.pieces_under_one_law import (
    SAME_TIME,
    under_one_law,
    whole_swing,
)
from inertian.motion.spans.reversals_in_pieces import whole_reversals
from inertian.motion.spans.segmentation import SteadySegment
from inertian.motion.spans.span_naming import (
    FoundEvent,
    FoundMotion,
    FoundSpan,
    reason_of_event,
    reason_of_motion,
    with_names,
)
from inertian.motion.spans.spans import SpanKind
from inertian.motion.spans.tracks import Track, track_of, velocity_of
from inertian.motion.spans.turning_bodies import arcs
from inertian.motion.spans.turning_points import turn_span, turned
from inertian.motion.spans.velocity_changes import (
    MOST_MERGES,
    SegmentJoint,
    VelocityChange,
    segment_joints,
    unseen_reach,
    velocity_changes,
)

SLOW_CHANGE = 0.08  # s; what takes longer, and was followed, is an interaction
# Steps kept clear of a hit on each side; fewer where a side has few samples
KEPT_CLEAR, OF_FEW, FEW = (1.25, 0.75, 12)
LONGEST_GAP = 0.3  # s between two steady motions on a circle, in which something happens at once
CHANGES = "the motion before goes over into another: {two}"
SURE_ACCELERATION_Z = 4.5  # normal deviates of its u that an acceleration must exceed to be one
STILL_SIGMAS = 2.0  # σ of a reading that a body at rest may seem to move through a span
STOPPED_SHARE = 0.5  # of its speed that a body may keep at an end stop
LEAST_SAMPLES, SHORTEST_SHARE = 3, 0.015  # samples in a steady span, and share of the recording
MOVING_Z = 3.0  # normal deviates of its u that the velocity of a moving body must exceed
LONGEST_STEP_FOLLOWED = 0.06  # s between samples, beyond which a push may be over between two
# A push under way at the start is so many times stronger than what follows, gains most of its
# speed in it, and goes over into a glide without a jump of half of that speed
PUSH_STRONGER, PUSH_FROM, PUSH_GOES_ON = 3.0, 0.6, 0.5
# Pieces that the motions of a recording may fall into, some two seconds of work, and of one body
MOST_PIECES, FEWEST_PIECES = 72, 16
FEWEST_FOLLOWED = 4  # steps that an interaction lasts: a shorter one cannot be told from a hit


def find_spans(trial: Trial) -> list[FoundSpan]:
    """Return the spans suggested for a trial, in order of time; empty where nothing was followed.

    Positions are the evidence: stretches of steady motion come from penalised least squares
    (`segments`), the edges of what lies between them from fits of both sides and of the change
    together (`pulses`). A body whose motion falls into more pieces than MOST_PIECES, all bodies
    together, has no stretches of steady motion; nothing is suggested for it. One that goes round on
    a circle has none either: only what changes its angular velocity at once is told.
    """
    round_about = arcs(trial)
    if not round_about:
        return _found_along_axes(trial)
    others = tuple(body for body in trial.bodies if body.name not in round_about)
    found = _found_along_axes(replace(trial, bodies=others)) if others else []
    for arc in round_about.values():
        found += _sudden(_found_along_axes(arc))
    return with_names(found)


def _sudden(own: Sequence[FoundSpan]) -> list[FoundSpan]:
    """What changes the motion of one body at once, also where noise hides how fast that is."""
    walled = [replace(one, kind=SpanKind.CONTACT) for one in own if one.kind.walled]
    steady = sorted((one for one in own if one.kind.steady), key=lambda one: one.t0)
    gaps = [
        replace(one, kind=SpanKind.CONTACT, t0=one.t1, t1=two.t0, why=CHANGES.format(two=two.why))
        for one, two in pairwise(steady)
        if one.t1 < two.t0 < one.t1 + LONGEST_GAP
        and not any(event.t0 < two.t0 and one.t1 < event.t1 for event in walled)
    ]
    return [*walled, *gaps]


def _found_along_axes(trial: Trial) -> list[FoundSpan]:
    """The spans of bodies that do not go round."""
    tracks = [
        track
        for body in trial.followed
        if (track := track_of(trial, body)) is not None and track.segments
    ]
    swings = {track.body: one for track in tracks if (one := whole_swing(track)) is not None}
    told = [span for own in swings.values() for span in own]
    tracks = [track for track in tracks if track.body not in swings]
    bodies = max(len(tracks), 1)
    most = max(MOST_PIECES // bodies, FEWEST_PIECES)
    tracks = [track for track in tracks if len(track.segments) <= most]
    if not tracks:
        return with_names(told)
    joints = [segment_joints(track, MOST_MERGES // bodies) for track in tracks]
    edged = [
        (change, *_edges(change, float(trial.t[0]))) for change in velocity_changes(tracks, joints)
    ]
    motions = {t.body: _motions(t, own, edged) for t, own in zip(tracks, joints, strict=True)}
    events = [_classified(change, start, stop, motions) for change, start, stop in edged]
    for body, own in motions.items():
        push = _first_push(own)
        if push is not None:
            # Its end is no hit
            events = [e for e in events if e.bodies != (body,) or e.start > push.stop - 1e-9]
            events.append(push)
            motions[body] = own[1:]
    events = _bounces(sorted(events, key=lambda e: e.start), motions)
    events = _without_parts(_without_smooth(events, tracks))
    for body, own in motions.items():
        motions[body], events = whole_reversals(body, own, events, SLOW_CHANGE)
    events = _struck(events, motions)
    if len(tracks) == 2:
        for event in events:
            _shared_with_other_body(event, tracks, motions)
    curved: list[FoundSpan] = []
    for track in tracks:
        more, events = under_one_law(track, events, motions)
        curved += more
    found = [FoundSpan(e.kind, "", e.start, e.stop, e.bodies, reason_of_event(e)) for e in events]
    found += [*curved, *told]
    bouncing = {body for e in events if e.kind is SpanKind.BOUNCE for body in e.bodies}
    for track in tracks:
        own, turns = (
            (motions[track.body], [])
            if track.body in bouncing
            else turned(motions[track.body], track.step)
        )
        found += [
            FoundSpan(m.kind, "", m.start, m.stop, (m.body,), reason_of_motion(m)) for m in own
        ]
        found += [turn_span(track, time) for time in turns]
    return with_names(_joined(found, min(t.step for t in tracks)))


def _edges(change: VelocityChange, first: float) -> tuple[float, float]:
    """From when to when a change lasts; where it was too short to be followed, a little to either
    side of it.
    """
    pulse = change.pulse
    if change.seen:
        return max(pulse.start, first), pulse.stop
    sides = [s for joint in change.joints.values() for s in (joint.left, joint.right)]
    fewest = min(s.stop - s.start for s in sides)
    unseen = unseen_reach(list(change.joints.values()), change.step)
    half = max((KEPT_CLEAR if fewest > FEW else OF_FEW) * change.step, unseen)
    return pulse.moment - half, pulse.moment + half


def _motions(
    track: Track,
    joints: Sequence[SegmentJoint],
    edged: Sequence[tuple[VelocityChange, float, float]],
) -> list[FoundMotion]:
    """The steady motions of a body, clear of all changes."""
    pieces = [joints[0].left, *(j.right for j in joints)] if joints else [track.segments[0]]
    if not joints and len(track.segments) > 1:
        pieces = [SteadySegment(track.segments[0].start, track.segments[-1].stop, 2)]
    starts, stops = [float(track.t[0])], []
    for joint in joints:
        edges = next(
            ((a, b) for change, a, b in edged if change.joints.get(track.body) is joint), None
        )
        middle = 0.5 * float(track.t[joint.left.stop - 1] + track.t[joint.right.start])
        stops.append(edges[0] if edges else middle)
        starts.append(edges[1] if edges else middle)
    stops.append(float(track.t[-1]))
    found = [_motion(track, a, b) for _, a, b in zip(pieces, starts, stops, strict=True)]
    return [m for m in found if m is not None]


def _motion(track: Track, start: float, stop: float) -> FoundMotion | None:
    """What a body does from start to stop, judged by lines and parabolas through its samples."""
    low, high = int(np.searchsorted(track.t, start)), int(np.searchsorted(track.t, stop, "right"))
    if high - low < max(LEAST_SAMPLES, SHORTEST_SHARE * len(track.t)) or stop <= start:
        return None
    degree = 2 if high - low > LEAST_SAMPLES else 1
    v, u, a, u_a = velocity_of(track, SteadySegment(low, high, degree), start)
    sigma = 1.0 / np.sqrt(track.weight[:, low:high].mean(axis=1))
    kind = SpanKind.VELOCITY
    if degree == 2 and np.any(np.abs(a) > SURE_ACCELERATION_Z * u_a):
        kind = SpanKind.ACCELERATION
    else:
        v, u, a_none, _ = velocity_of(track, SteadySegment(low, high, 1), 0.5 * (start + stop))
        moved = np.abs(v) * (stop - start)
        if np.all(moved < np.maximum(STILL_SIGMAS * sigma, MOVING_Z * u * (stop - start))):
            kind, v, a = SpanKind.REST, 0.0 * v, 0.0 * a
        else:
            a = a if degree == 2 else a_none
    at_ends = (v, v + a * (stop - start)) if kind is SpanKind.ACCELERATION else (v, v)
    start, stop = max(start, float(track.t[0])), min(stop, float(track.t[-1]))
    return FoundMotion(
        kind, start, stop, track.body, at_ends, a, u_a, high - low, float(sigma.max())
    )


def _beside(
    motions: Sequence[FoundMotion], start: float, stop: float
) -> tuple[FoundMotion | None, FoundMotion | None]:
    """The motions just before and just after an event."""
    middle = 0.5 * (start + stop)
    before = [m for m in motions if m.stop <= middle]
    after = [m for m in motions if m.start >= middle]
    return (before[-1] if before else None), (after[0] if after else None)


def _classified(
    change: VelocityChange, start: float, stop: float, motions: Mapping[str, Sequence[FoundMotion]]
) -> FoundEvent:
    """Say what kind of event a change of velocity is."""
    slow = change.seen and stop - start >= SLOW_CHANGE
    kind = SpanKind.INTERACTION if slow else SpanKind.CONTACT
    if len(change.dv) == 1:
        body = next(iter(change.dv))
        own = motions[body]
        before, after = _beside(own, start, stop)
        first = before is None or (before.kind is SpanKind.REST and before is own[0])
        last = after is None or after is own[-1]
        if (
            first
            and after is not None
            and after.kind is not SpanKind.REST
            and (slow or change.step > LONGEST_STEP_FOLLOWED)
        ):
            kind = SpanKind.PUSH
        elif last and before is not None and not slow and _stops(before, after):
            kind = SpanKind.END_STOP
    return FoundEvent(kind, start, stop, change.dv, change.seen)


def _struck(
    events: Sequence[FoundEvent], motions: Mapping[str, Sequence[FoundMotion]]
) -> list[FoundEvent]:
    """What stops the only body, or nearly so, and is all that happens, is what it ran into."""
    if len(motions) > 1 or len(events) != 1 or events[0].kind is not SpanKind.END_STOP:
        return list(events)
    body, event = next(iter(motions)), events[0]
    after = _beside(motions[body], event.start, event.stop)[1]
    return [replace(event, kind=SpanKind.CONTACT)] if after is not None else [event]


def _shared_with_other_body(
    event: FoundEvent, tracks: Sequence[Track], motions: dict[str, list[FoundMotion]]
) -> None:
    """A body that hits something, and is not driven back by a surface again and again, may hit the
    only other body.

    The other may be too heavy, or too coarsely seen, to show it; no steady motion of it reaches
    across all the same.
    """
    if event.kind not in (SpanKind.CONTACT, SpanKind.END_STOP) or len(event.dv) != 1:
        return
    other = next(track for track in tracks if track.body not in event.dv)
    kept: list[FoundMotion | None] = []
    for motion in motions[other.body]:
        if motion.start < event.stop and event.start < motion.stop:
            kept += [
                _motion(other, motion.start, event.start),
                _motion(other, event.stop, motion.stop),
            ]
        else:
            kept.append(motion)
    motions[other.body] = [m for m in kept if m is not None]


def _stops(before: FoundMotion, after: FoundMotion | None) -> bool:
    came = float(np.linalg.norm(before.v[1]))
    return came > 0.0 and (
        after is None or float(np.linalg.norm(after.v[0])) < STOPPED_SHARE * came
    )


def _first_push(motions: Sequence[FoundMotion]) -> FoundEvent | None:
    """The end of a push that was under way at the start: strong acceleration from near rest, then a
    glide.
    """
    if len(motions) < 2 or motions[0].kind is not SpanKind.ACCELERATION:
        return None
    first, then = motions[0], motions[1]
    strong = float(np.linalg.norm(first.a)) > PUSH_STRONGER * float(np.linalg.norm(then.a))
    gains = float(np.linalg.norm(first.v[0])) < PUSH_FROM * float(np.linalg.norm(first.v[1]))
    goes_on = float(np.linalg.norm(then.v[0] - first.v[1])) < PUSH_GOES_ON * float(
        np.linalg.norm(then.v[0])
    )
    if not (strong and gains and goes_on and then.kind is not SpanKind.REST):
        return None
    return FoundEvent(
        SpanKind.PUSH, first.start, then.start, {first.body: first.v[1] - first.v[0]}, True
    )


def _bounces(
    events: Sequence[FoundEvent], motions: Mapping[str, Sequence[FoundMotion]]
) -> list[FoundEvent]:
    """Contacts of one body that something drives back to the surface again and again are
    bounces.
    """
    return [replace(e, kind=SpanKind.BOUNCE) if _is_bounce(e, motions) else e for e in events]


def _without_smooth(events: Sequence[FoundEvent], tracks: Sequence[Track]) -> list[FoundEvent]:
    """Leave out changes that are not abrupt, where they were thought to be: of one body they are
    part of its motion, of several an interaction.
    """
    walls = (SpanKind.CONTACT, SpanKind.BOUNCE, SpanKind.END_STOP)
    step = min((track.step for track in tracks), default=0.0)
    abrupt: set[int] = set()
    for track in tracks:
        own = [e for e in events if e.kind in walls and track.body in e.bodies]
        kept = abrupt_changes(track, [0.5 * (e.start + e.stop) for e in own])
        abrupt |= {id(e) for e in own if 0.5 * (e.start + e.stop) in kept}
    found = []
    for event in events:
        short = len(event.bodies) > 1 and event.stop - event.start < FEWEST_FOLLOWED * step
        if event.kind not in walls or id(event) in abrupt or short:
            found.append(event)
        elif len(event.bodies) > 1:
            found.append(replace(event, kind=SpanKind.INTERACTION))
    return found


def _without_parts(events: Sequence[FoundEvent]) -> list[FoundEvent]:
    """Leave out contacts of one body inside an interaction of several: they are part of it."""
    shared = [e for e in events if e.kind is SpanKind.INTERACTION and len(e.bodies) > 1]
    return [
        one
        for one in events
        if one.kind is not SpanKind.CONTACT
        or len(one.bodies) > 1
        or not any(e.start < one.start and one.stop < e.stop for e in shared)
    ]


def _is_bounce(event: FoundEvent, motions: Mapping[str, Sequence[FoundMotion]]) -> bool:
    if event.kind not in (SpanKind.CONTACT, SpanKind.END_STOP) or len(event.dv) != 1:
        return False
    body, dv = next(iter(event.dv.items()))
    away = dv / np.linalg.norm(dv)
    before, after = _beside(motions[body], event.start, event.stop)
    if before is None or after is None:
        return False
    reverses = float(before.v[1] @ away) < 0.0 < float(after.v[0] @ away)
    # At the end of a recording: too little to tell an acceleration
    few = after.samples <= 2 * LEAST_SAMPLES
    known = (before,) if few else (before, after)
    driven = all(float(m.a @ away) < 0.0 and m.kind is SpanKind.ACCELERATION for m in known)
    return reverses and driven


def _joined(found: Sequence[FoundSpan], step: float) -> list[FoundSpan]:
    """Spans of one kind at the same time are one, of several bodies."""
    result: list[FoundSpan] = []
    for one in sorted(found, key=lambda f: (f.t0, f.t1, f.kind)):
        for k, other in enumerate(result):
            same = (
                other.kind is one.kind
                and max(abs(other.t0 - one.t0), abs(other.t1 - one.t1)) <= SAME_TIME * step
            )
            if same and not set(other.bodies) & set(one.bodies):
                why = f"{other.why}; {one.why}"
                result[k] = replace(other, bodies=(*other.bodies, *one.bodies), why=why)
                break
        else:
            result.append(one)
    return result
