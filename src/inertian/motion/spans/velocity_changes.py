"""What happens to the bodies of a trial: changes of velocity, and when, between stretches of steady
motion.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from inertian.motion.spans.pulses import Pulse, PulseSide, fit_pulse
from inertian.motion.spans.segmentation import LEAST_SAMPLES, SteadySegment
from inertian.motion.spans.tracks import LONGEST_SPIKE, Track, chi2, end_velocities, velocity_of
from inertian.quantities.estimates import Array

FAINT_CHANGE_Z = 3.5  # the same, where another body changes its velocity at that moment
FAINT_SHARE = 0.4  # of MATERIAL_SHARE, that is enough there

ABRUPT_RATIO = 1.2  # times what a smooth change, cut in two, may let the velocity jump

MATERIAL_SHARE = 0.1  # of the speeds around it that a change of velocity must exceed

SAME_ACCELERATION_Z = 4.0  # of their own u that two accelerations may differ by and still be one

CLEAR_CHANGE_Z = 6.0  # normal deviates of its own u that a change of velocity must exceed

# A push under way at the start: pieces at most, and share of the time at which it may end
MOST_PUSH_PIECES, LATEST_PUSH_END = 6, 0.6
SAME_ACCELERATION_SHARE = 0.1  # or by this share of the larger one
# Normal deviates of its u that a velocity must jump by in a hit, and that a change of acceleration
# may be due to chance
JUMP_Z, BEND_Z = 5.0, 3.0
SAME_MOMENT = 3.0  # steps that two bodies may change their velocities apart and still meet
MOST_MERGES = 40  # places of a recording that are looked at for a slow change: a second of work
MOST_INNER_PIECES = 10  # pieces at most that one slow change may have been cut into

# S and share of a side: how far an impact may reach unseen
UNSEEN_REACH, UNSEEN_SHARE = (0.005, 0.01)


@dataclass(frozen=True, eq=False)
class SegmentJoint:
    """Where one steady stretch of a body goes over into the next; `pulse` tells how, if the
    velocity changes.

    `faint` is a change that is believed only if another body changes its velocity at the same time.
    """

    left: SteadySegment
    right: SteadySegment
    pulse: Pulse | None
    faint: Pulse | None = None


@dataclass(frozen=True, eq=False)
class VelocityChange:
    """A change of velocity of one or several bodies at the same time, in s; `dv` by body and axis
    in m/s.
    """

    pulse: Pulse
    step: float
    dv: dict[str, Array]
    joints: dict[str, SegmentJoint]

    @property
    def seen(self) -> bool:
        """Whether it was followed while it happened; else it was too short."""
        return self.pulse.stop > self.pulse.start


def segment_joints(track: Track, most_merges: int = MOST_MERGES) -> list[SegmentJoint]:
    """Return how a body's stretches follow one another; pieces that a slow change was cut into are
    made one, at no more than `most_merges` places.
    """
    pieces = list(track.segments)
    merges = _Merges(track, most_merges)
    pulses: dict[tuple[int, int], Pulse] = {}
    pushed = _pushed_at_start(track, pieces)
    if pushed is not None:
        first, pieces = pushed
        pulses[pieces[0].stop, pieces[1].start] = first
    while len(pieces) > 2:
        better = max(
            (merges.of(pieces, i, j) for i, j in _candidates(track, pieces)),
            key=lambda m: m[0],
            default=None,
        )
        if better is None or better[0] <= 0.0:
            break
        _, i, j, pulse = better
        while pulse is not None and i > 0 and pulse.start < _middle(track, pieces[i]):
            i -= 1  # most of the stretch before belongs to the change
            pulse = _between(track, pieces[i], pieces[j], pulse)
        while pulse is not None and j < len(pieces) - 1 and pulse.stop > _middle(track, pieces[j]):
            j += 1
            pulse = _between(track, pieces[i], pieces[j], pulse)
        if pulse is None:
            pieces[i : j + 1] = [
                SteadySegment(
                    pieces[i].start, pieces[j].stop, max(pieces[i].degree, pieces[j].degree)
                )
            ]
        else:
            pulses[pieces[i].stop, pieces[j].start] = pulse
            del pieces[i + 1 : j]
    found = []
    for left, right in pairwise(pieces):
        pulse = pulses.get((left.stop, right.start)) or _direct(track, left, right)
        size = _size(track, left, right, pulse)
        clear, faint = (
            pulse.z > CLEAR_CHANGE_Z and size > MATERIAL_SHARE,
            pulse.z > FAINT_CHANGE_Z and size > FAINT_SHARE * MATERIAL_SHARE,
        )
        found.append(SegmentJoint(left, right, pulse if clear else None, pulse if faint else None))
    return _without_false_cuts(track, found)


def _pushed_at_start(
    track: Track, pieces: Sequence[SteadySegment]
) -> tuple[Pulse, list[SteadySegment]] | None:
    """A push under way when the recording began, cut into pieces: the pulse from rest, and the
    pieces left.
    """
    best: tuple[float, Pulse, int] | None = None
    for j in range(2, min(MOST_PUSH_PIECES, len(pieces))):
        if pieces[j].start > LATEST_PUSH_END * pieces[j].stop or any(
            _is_hit(track, a, b) for a, b in pairwise(pieces[: j + 1])
        ):
            break
        guess = (float(track.t[0]), float(track.t[pieces[j].start]))
        side = track.side(replace(pieces[0], degree=0), pieces[j], guess)
        pulse = fit_pulse([side], guess, track.step, 0.5 * (guess[1] - guess[0]))
        axes, counted = len(side.x), np.log(min(len(side.t), 4000))
        bounds = np.searchsorted(side.t, [track.t[p.start] - 1e-12 for p in pieces[: j + 1]])
        parts = zip(bounds, [*bounds[1:], len(side.t)], pieces[: j + 1], strict=True)
        pieced = sum(
            chi2(side, a, b, p.degree) + (counted + 1.0) * axes * (p.degree + 1) + 2 * counted
            for a, b, p in parts
        )
        one = pulse.chi2_allowing(float(np.sqrt(1.0 / np.median(side.weight)))) + (
            counted + 1.0
        ) * (3 * axes + 2)
        if (
            pulse.z > CLEAR_CHANGE_Z
            and pulse.stop > pulse.start
            and one < pieced
            and (best is None or pieced - one > best[0])
        ):
            best = (pieced - one, pulse, j)
    if best is None:
        return None
    start = int(np.clip(np.searchsorted(track.t, best[1].start), 1, pieces[best[2]].start))
    return best[1], [SteadySegment(0, start, 0), *pieces[best[2] :]]


def _size(track: Track, left: SteadySegment, right: SteadySegment, pulse: Pulse) -> float:
    """How large a change of velocity is, as a part of the speeds around it."""
    speeds = [float(np.linalg.norm(v)) for p in (left, right) for v in end_velocities(track, p)]
    return float(np.linalg.norm(pulse.dv[0])) / (max(speeds) or 1.0)


def _without_false_cuts(track: Track, joints: Sequence[SegmentJoint]) -> list[SegmentJoint]:
    """Take out cuts where neither velocity nor acceleration changes enough to matter."""
    found = list(joints)
    k = 0
    while k < len(found):
        left, right = found[k].left, found[k].right
        if found[k].faint is None and _is_false_cut(track, left, right):
            whole = SteadySegment(left.start, right.stop, max(left.degree, right.degree, 1))
            del found[k]
            if k > 0:
                found[k - 1] = replace(found[k - 1], right=whole)
            if k < len(found):
                found[k] = replace(found[k], left=whole)
            if not found:
                return []
        else:
            k += 1
    return found


def _is_false_cut(track: Track, left: SteadySegment, right: SteadySegment) -> bool:
    """Whether one parabola through both pieces is nearly as good as two."""
    time = 0.5 * float(track.t[left.stop - 1] + track.t[right.start])
    _, _, a1, u1 = velocity_of(
        track, replace(left, degree=2 if left.stop - left.start > 3 else left.degree), time
    )
    _, _, a2, u2 = velocity_of(
        track, replace(right, degree=2 if right.stop - right.start > 3 else right.degree), time
    )
    if (left.degree == 0) != (right.degree == 0):
        return False
    close = np.abs(a1 - a2) < np.maximum(
        SAME_ACCELERATION_Z * np.hypot(u1, u2),
        SAME_ACCELERATION_SHARE * np.maximum(np.abs(a1), np.abs(a2)),
    )
    return bool(np.all(close))


def _middle(track: Track, piece: SteadySegment) -> float:
    return 0.5 * float(track.t[piece.start] + track.t[piece.stop - 1])


def _between(track: Track, left: SteadySegment, right: SteadySegment, known: Pulse) -> Pulse:
    guess = (known.start, known.stop)
    return fit_pulse(
        [track.side(left, right, guess)], guess, track.step, 0.5 * (guess[1] - guess[0])
    )


def _direct(track: Track, left: SteadySegment, right: SteadySegment) -> Pulse:
    guess = (float(track.t[left.stop - 1]), float(track.t[right.start]))
    block = max(1, len(track.t) // 320)
    return fit_pulse(
        [track.side(left, right, guess)],
        guess,
        track.step,
        2.0 * block * track.step + guess[1] - guess[0],
    )


def _candidates(track: Track, pieces: Sequence[SteadySegment]) -> list[tuple[int, int]]:
    """Pairs of pieces between which a slow change may lie: no hit in between, and shorter than what
    is around.
    """
    hits = [_is_hit(track, a, b) for a, b in pairwise(pieces)]
    found = []
    for i in range(len(pieces) - 2):
        for j in range(i + 2, min(i + 2 + MOST_INNER_PIECES, len(pieces))):
            inner = pieces[j].start - pieces[i].stop
            outer = pieces[i].stop - pieces[i].start + pieces[j].stop - pieces[j].start
            short = all(p.stop - p.start <= LONGEST_SPIKE for p in pieces[i + 1 : j])
            if inner < outer and (short or not any(hits[i:j])):
                found.append((i, j))
    return found


def _is_hit(track: Track, left: SteadySegment, right: SteadySegment) -> bool:
    """Whether the velocity jumps between two pieces, more than a smooth change cut in two would let
    it.
    """
    time = 0.5 * float(track.t[left.stop - 1] + track.t[right.start])
    left, right = (
        replace(p, degree=2) if p.stop - p.start >= LEAST_SAMPLES[2] else p for p in (left, right)
    )
    v1, u1, a1, s1 = velocity_of(track, left, time)
    v2, u2, a2, s2 = velocity_of(track, right, time)
    shorter = min(
        track.t[left.stop - 1] - track.t[left.start], track.t[right.stop - 1] - track.t[right.start]
    )
    jump, bend = np.abs(v2 - v1), np.maximum(np.abs(a2 - a1) - BEND_Z * np.hypot(s1, s2), 0.0)
    return bool(np.any((jump > JUMP_Z * np.hypot(u1, u2)) & (jump > ABRUPT_RATIO * bend * shorter)))


class _Merges:
    """What is gained by seeing one change between two pieces, each worked out once, and no more
    than so many of them.
    """

    def __init__(self, track: Track, most: int) -> None:
        self._track, self._most = track, most
        self._known: dict[tuple[tuple[int, int, int], ...], tuple[float, Pulse | None]] = {}

    def of(
        self, pieces: Sequence[SteadySegment], i: int, j: int
    ) -> tuple[float, int, int, Pulse | None]:
        key = tuple((p.start, p.stop, p.degree) for p in pieces[i : j + 1])
        if key not in self._known:
            if len(self._known) >= self._most:
                return -1.0, i, j, None
            gain, _, _, pulse = _merged(self._track, pieces, i, j)
            self._known[key] = gain, pulse
        gain, pulse = self._known[key]
        return gain, i, j, pulse


def _merged(
    track: Track, pieces: Sequence[SteadySegment], i: int, j: int
) -> tuple[float, int, int, Pulse | None]:
    """What is gained in penalised χ² by seeing one change, or none, between two pieces instead of
    pieces between.
    """
    left, right = pieces[i], pieces[j]
    guess = (float(track.t[left.stop - 1]), float(track.t[right.start]))
    side = track.side(left, right, guess)
    axes, counted = len(side.x), np.log(min(len(side.t), 4000))
    bounds = np.searchsorted(side.t, [track.t[p.start] - 1e-12 for p in pieces[i : j + 1]])
    parts = zip(bounds, [*bounds[1:], len(side.t)], pieces[i : j + 1], strict=True)
    pieced = sum(
        chi2(side, a, b, p.degree) + (counted + 1.0) * axes * (p.degree + 1) + 2 * counted
        for a, b, p in parts
    )
    pulse = fit_pulse([side], guess, track.step, guess[1] - guess[0])
    one = (
        pulse.chi2_allowing(float(np.sqrt(1.0 / np.median(side.weight))))
        + (counted + 1.0) * (5 * axes + 2)
        + 2 * counted
    )
    inner = [p for p in pieces[i + 1 : j] if p.stop - p.start > LONGEST_SPIKE]
    if not inner:
        outside = np.ones(len(side.t), dtype=bool)
        outside[bounds[1] : bounds[-1]] = False
        degree = max(left.degree, right.degree)
        kept = PulseSide(
            side.t[outside], side.x[:, outside], side.weight[:, outside], side.rests, side.curved
        )
        none = (
            chi2(kept, 0, len(kept.t), degree) + (counted + 1.0) * axes * (degree + 1) + 2 * counted
        )
        if none < min(one, pieced):
            return pieced - none, i, j, None
    if pulse.z <= CLEAR_CHANGE_Z or (
        len(inner) == 1 and inner[0].degree == 2 and not _pulse_like(track, inner[0], pulse)
    ):
        return -1.0, i, j, pulse
    return pieced - one, i, j, pulse


def _pulse_like(track: Track, piece: SteadySegment, pulse: Pulse) -> bool:
    """Whether a single parabola between two stretches is a slow change rather than a slope: it is
    brief and strong.
    """
    length = float(track.t[piece.stop - 1] - track.t[piece.start])
    return float(np.max(np.abs(pulse.dv[0]))) / max(length, track.step) > 1.0


def velocity_changes(
    tracks: Sequence[Track], joints: Sequence[Sequence[SegmentJoint]]
) -> list[VelocityChange]:
    """Return the changes of velocity, those of several bodies at the same time as one, in order of
    time.
    """
    single = [
        (joint.pulse, track, joint)
        for track, own in zip(tracks, joints, strict=True)
        for joint in own
        if joint.pulse
    ]
    faint = [
        (j.faint, track, j)
        for track, own in zip(tracks, joints, strict=True)
        for j in own
        if j.faint and not j.pulse
    ]
    single += [
        one
        for one in faint
        if any(one[1] is not other[1] and _together(one, other) for other in single)
    ]
    single.sort(key=lambda item: item[0].moment)
    groups: list[list[tuple[Pulse, Track, SegmentJoint]]] = []
    for item in single:
        last = groups[-1] if groups else []
        if (
            last
            and all(item[1] is not track for _, track, _ in last)
            and all(_together(item, other) for other in last)
        ):
            last.append(item)
        else:
            groups.append([item])
    order = [track.body for track in tracks]
    return [_change(sorted(group, key=lambda item: order.index(item[1].body))) for group in groups]


def hidden_tail(dv: float, lasts: float, sigma: float) -> float:
    """Return for how long in s a change of velocity by dv in m/s, that is seen for `lasts` s, goes
    on in the noise of readings of sigma in m, on each side, if it is a half wave of a sine: until
    the third power of time has moved the body by sigma. Not more than it lasts.
    """
    jerk = 0.5 * np.pi**2 * dv / lasts**2
    return min(float(np.cbrt(6.0 * sigma / jerk)), lasts) if jerk > 0.0 else 0.0


def unseen_reach(joints: Sequence[SegmentJoint], step: float) -> float:
    """How far in s an impact may reach to either side of its moment without being seen in the
    samples.
    """
    fewest = min(s.stop - s.start for joint in joints for s in (joint.left, joint.right))
    return min(UNSEEN_REACH, UNSEEN_SHARE * fewest * step)


def _together(
    one: tuple[Pulse, Track, SegmentJoint], two: tuple[Pulse, Track, SegmentJoint]
) -> bool:
    step = max(one[1].step, two[1].step)
    room = max(
        0.5 * max(p.stop - p.start for p, _, _ in (one, two)), unseen_reach((one[2], two[2]), step)
    )
    return abs(one[0].moment - two[0].moment) <= max(SAME_MOMENT * step, room)


def _change(group: Sequence[tuple[Pulse, Track, SegmentJoint]]) -> VelocityChange:
    step = max(track.step for _, track, _ in group)
    if len(group) == 1:
        pulse, track, joint = group[0]
        return VelocityChange(pulse, step, {track.body: pulse.dv[0]}, {track.body: joint})
    guess = (min(p.start for p, _, _ in group), max(p.stop for p, _, _ in group))
    sides = [track.side(joint.left, joint.right, guess) for _, track, joint in group]
    pulse = fit_pulse(sides, guess, step, max(2.0 * step, guess[1] - guess[0]))
    dv = {track.body: change for (_, track, _), change in zip(group, pulse.dv, strict=True)}
    return VelocityChange(pulse, step, dv, {track.body: joint for _, track, joint in group})
