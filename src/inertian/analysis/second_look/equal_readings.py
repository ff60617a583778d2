"""What equal readings give away: a sensor that sticks, is at its end, is read more often than it
measures, or goes in coarse steps.
"""

from collections.abc import Iterator

import numpy as np

from inertian.analysis.second_look.cases import Case, Samples
from inertian.analysis.second_look.notes import Note, Place, Severity, said_time
from inertian.analysis.second_look.setting_aside import aside
from inertian.quantities.estimates import Array
from inertian.quantities.rounding import write_shortest

STUCK_RUN, BESIDE = 4, 5  # equal samples that are a run, and samples beside it that tell the speed
STUCK_SIGMAS, STUCK_STEPS = 6.0, 4.0  # σ and steps of the recording that a body should have moved
# Times the largest of so many steps on either side of a run, by which a stuck sensor catches up
LEAP, NEXT = 2.5, 2
SAME_SPEED = 0.5  # share of the mean speed that is there on both sides of a run
EVERY_SECOND = 0.8  # share of every second reading that repeats the one before, while few others do
REPEATED_SHARE, REPEATED_LEAST = 0.2, 8  # of samples that are like the one before
MOVES_STEPS = 3.0  # steps of the recording that a body moves from sample to sample
# Equal samples at an extreme; steps of the recording at which it is left, since a parabola that
# leaves 3 equal readings leaves them by 2.8; and how often noise may make such a run by chance
CUT_RUN, LEAVES_STEPS, BY_CHANCE = 3, 3.5, 1e-4
RESOLVED = 1.5  # steps of the recording, above which its noise is seen
COARSE_SHARE, COARSE_SAMPLES = 1.0 / 12.0, 15  # step in a body's travel, and samples of it


def _equal_runs(x: Array, least: int) -> list[tuple[int, int]]:
    """First and last of every run of equal values that is long enough."""
    same = np.concatenate([[False], x[1:] == x[:-1], [False]])
    edges = np.flatnonzero(np.diff(same.astype(np.int8)))
    runs = zip(edges[::2], edges[1::2], strict=True)
    return [(int(a), int(b)) for a, b in runs if b - a + 1 >= least]


def stuck_sensor(case: Case) -> Iterator[Note]:
    """A run of at least 4 equal readings while the body moved: by its speed before and after the
    run it should have gone 6 σ and 4 steps of the recording, or it leaps after the run, by 2.5
    times the largest step beside it, or its noise would not have let it (less than one such run in
    10⁴ recordings). Runs at the largest or smallest value are *clipped*.
    """
    for own in case.positions:
        ends = (float(own.x.max()), float(own.x.min()))
        runs = [
            (a, b)
            for a, b in _equal_runs(own.x, STUCK_RUN)
            if _should_move(own, a, b) and (own.x[a] not in ends or not _cut_at(own, own.x[a]))
        ]
        if not runs:
            continue
        rows = np.concatenate([np.arange(a + 1, b + 1) for a, b in runs])
        first, last = runs[0]
        yield Note(
            "stuck-sensor",
            Severity.MEDIUM,
            f"{own.body}: {last - first + 1} readings along {own.axis} are the same from "
            f"{said_time(own.t[first])} on, while it moved: the sensor seems to stick.",
            {"count": float(rows.size), "runs": float(len(runs)), "first": float(own.t[first])},
            Place(own.body, "", float(own.t[first]), float(own.t[last])),
            aside(case, own.body, own.rows[rows], "the sensor stuck"),
            f"{own.body} {own.axis}",
            float(rows.size),
        )


def _by_chance(own: Samples, run: int) -> float:
    """How many runs of so many equal readings normal noise makes in a recording: two readings are
    equal with probability step/(2 √π σ). Noise that is hidden by the step tells nothing.
    """
    if own.sigma < RESOLVED * own.step or own.sigma <= 0.0:
        return 1.0
    equal = min(own.step / (2.0 * np.sqrt(np.pi) * own.sigma), 1.0)
    return float(len(own.x) * equal ** (run - 1))


def _catches_up(own: Samples, first: int, last: int) -> bool:
    """Whether readings leap after a run, by far more than before it and afterwards."""
    if last + 1 >= len(own.x):
        return False
    leap = abs(float(own.x[last + 1] - own.x[last]))
    d = np.abs(np.diff(own.x))
    beside = np.concatenate([d[max(first - NEXT, 0) : first], d[last + 1 : last + 1 + NEXT]])
    enough = STUCK_SIGMAS * own.sigma + STUCK_STEPS * own.step
    return bool(beside.size == 2 * NEXT and leap > max(enough, LEAP * float(beside.max())))


def _should_move(own: Samples, first: int, last: int) -> bool:
    if _catches_up(own, first, last):
        return True
    if _by_chance(own, last - first + 1) < BY_CHANCE:  # its noise stood still
        return True
    left, right = first - BESIDE, last + BESIDE + 1
    if left < 0 or right >= len(own.x):
        return False
    t, x = own.t, own.x
    before = (x[first] - x[left]) / (t[first] - t[left])
    after = (x[right] - x[last + 1]) / (t[right] - t[last + 1])
    mean = (x[right] - x[left]) / (t[right] - t[left])
    expected = abs(mean) * (t[last] - t[first])
    both = min(before * np.sign(mean), after * np.sign(mean)) > SAME_SPEED * abs(mean)
    enough = STUCK_SIGMAS * own.sigma + STUCK_STEPS * own.step
    return bool(both and expected > enough)


def repeated_values(case: Case) -> Iterator[Note]:
    """More than one reading in five equals the one before it while the body moves on by more than 3
    steps of the recording from sample to sample: the sensor is read more often than it measures.
    """
    for own in case.positions:
        count, moved = _repeated(own)
        if not count:
            continue
        yield Note(
            "repeated-values",
            Severity.MEDIUM,
            f"{own.body}: {count} of {moved} readings along {own.axis} only repeat the one before, "
            "while it moves: the sensor measures less often than it is read.",
            {"count": float(count), "of": float(moved)},
            Place(own.body),
            None,
            f"{own.body} {own.axis}",
            float(count),
        )


def _repeated(own: Samples) -> tuple[int, int]:
    """How many readings only repeat the one before, and among how many; 0 if it is by chance."""
    d = np.abs(np.diff(own.x))
    width = 2 * REPEATED_LEAST + 1
    parities = [float(np.mean(d[k::2] == 0.0)) for k in (0, 1)] if len(d) > width // 2 else []
    if parities and max(parities) > EVERY_SECOND and min(parities) < 1.0 - EVERY_SECOND:
        return int(np.count_nonzero(d == 0.0)), len(d)
    if len(d) < width:
        return 0, 0
    usual = np.convolve(d, np.ones(width) / width, mode="same")
    moving = usual > max(MOVES_STEPS * own.step, 1e-12)
    count = int(np.count_nonzero(moving & (d == 0.0)))
    moved = int(np.count_nonzero(moving))
    enough = count >= REPEATED_LEAST and count >= REPEATED_SHARE * moved
    return (count, moved) if enough else (0, 0)


def clipped(case: Case) -> Iterator[Note]:
    """A channel that stays exactly at its largest or smallest value for at least 3 samples, where
    its noise would not let it (less than one such run in 10⁴ recordings), or comes to it and leaves
    at a run: by more than 3.5 steps, which no smooth peak with 3 equal readings does, and 4 σ.
    """
    for own in (*case.sensors, *case.positions):
        if _repeated(own)[0]:
            continue
        for extreme in (float(own.x.max()), float(own.x.min())):
            run = _cut_at(own, extreme)
            if run is None:
                continue
            unit = {"F": "N", "a": "m/s²", "v": "m/s"}.get(own.axis[0], "m")
            level = f"{write_shortest(extreme, 4)} {unit}"
            yield Note(
                "clipped",
                Severity.HIGH,
                f"{own.body}: {run[1] - run[0] + 1} readings of {own.axis} stay exactly at "
                f"{level}: the sensor is at its end, and the true values were larger.",
                {"level": extreme, "count": float(run[1] - run[0] + 1)},
                Place(own.body, "", float(own.t[run[0]]), float(own.t[run[1]])),
                None,
                f"{own.body} {own.axis}",
                float(run[1] - run[0] + 1),
            )


def _cut_at(own: Samples, extreme: float) -> tuple[int, int] | None:
    step = max(own.step, 1e-12 * abs(extreme))
    for first, last in _equal_runs(own.x, CUT_RUN):
        if own.x[first] != extreme or _catches_up(own, first, last):
            continue
        if _by_chance(own, last - first + 1) < BY_CHANCE:
            return first, last
        if first < 2 or last > len(own.x) - 3:
            continue
        comes = abs(own.x[first] - own.x[first - 1])
        leaves = abs(own.x[last + 1] - own.x[last])
        if min(comes, leaves) > max(LEAVES_STEPS * step, 4.0 * own.sigma):
            return first, last
    return None


def coarse_steps(case: Case) -> Iterator[Note]:
    """Readings in steps of more than 1/12 of the longest way that a body goes in the trial."""
    along = [own for own in case.positions if len(own.x) >= COARSE_SAMPLES]
    if not along:
        return
    longest = max(along, key=lambda own: float(np.ptp(own.x)))
    travel, step = float(np.ptp(longest.x)), longest.step
    if step > COARSE_SHARE * travel:
        yield Note(
            "coarse-steps",
            Severity.HIGH,
            f"{longest.body} is recorded in steps of {write_shortest(step, 3)} m, and goes only "
            f"{write_shortest(travel, 3)} m: {round(travel / step)} steps.",
            {"step": step, "travel": travel},
            Place(longest.body),
            None,
            longest.body,
            1e3,  # nothing else can be told from it
        )
