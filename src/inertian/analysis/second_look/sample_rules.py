"""What single samples give away: jumps, a target that was lost, sensors that stick or are cut off,
readings in coarse steps, times that were put in order.
"""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import partial

import numpy as np

from inertian.analysis.second_look.cases import Case, Samples
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity
from inertian.files.cells.findings import PUT_IN_ORDER
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA, THRESHOLD
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.motion.recording.tidying import Reason, jump_rows
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.tidying_edits import jumps_set_aside, rows_set_aside
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.rounding import write_shortest

FAR_SIGMAS, FAR_STEPS = (
    12.0,
    5.0,
)  # σ and usual steps that a sample leaps by when the target is lost
USUAL = 0.6  # quantile of the steps
LONGEST_LOSS, LOST_AT_LEAST = 0.15, 8  # share of a recording, or samples, that one loss may last
SAME_LEVEL = 0.02  # of the leap, by which lost samples may differ
# Samples of a short recording, spreads by which one does not belong, steps of reweighting
SHORTEST, SHORT, ODD, REWEIGHTED = 12, 200, 8.0, 40
FROM_ENDS = 2  # samples of a span, at each end, that may belong to what is beside it
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


def _seconds(t: float) -> str:
    return f"{write_shortest(t, 4)} s"


def _aside(case: Case, body: str, rows: Rows, reason: str) -> Remedy:
    def edit(project: Project) -> Edit:
        made = rows_set_aside(project, case.id, body, [int(r) for r in rows], reason)
        return found_anew(project, case.id, made)

    return Remedy(f"Set {len(rows)} samples aside", edit)


def _jumps_aside(project: Project, trial: str) -> Edit:
    return found_anew(project, trial, jumps_set_aside(project, trial, THRESHOLD))


def found_anew(before: Project, trial: str, edit: Edit) -> Edit:
    """Spans that stand as they were found are found anew among the samples that are left."""
    old, new = before.entry(trial), edit.project.entry(trial)
    if old.spans != suggest_spans(old.used_trial):
        return edit
    return Edit(
        edit.name,
        edit.project.with_entry(replace(new, spans=suggest_spans(new.used_trial))),
    )


def lost_target(case: Case) -> Iterator[Note]:
    """Samples that leap to one and the same far value and come back: the recorder lost its target.

    A leap is a step of more than 12 σ and 5 times a usual step (60 % quantile); at least
    two samples together, all at one level to 2 % of the leap, outside of all others.
    """
    for own in case.positions:
        rows = _lost_rows(own)
        if rows.size < 2:
            continue
        there = own.rows[rows]
        level = float(np.median(own.x[rows]))
        yield Note(
            "lost-target",
            Severity.MEDIUM,
            f"{own.body}: {rows.size} samples along {own.axis} leap to "
            f"{write_shortest(level, 4)} m and back; the recorder seems to have lost its target.",
            {"count": float(rows.size), "level": level},
            Place(own.body, "", float(own.t[rows[0]]), float(own.t[rows[-1]])),
            _aside(case, own.body, there, Reason.LOST),
            f"{own.body} {own.axis}",
            float(rows.size),
        )


def _lost_rows(own: Samples) -> Rows:
    d = np.diff(own.x)
    limit = FAR_SIGMAS * own.sigma + FAR_STEPS * float(np.quantile(np.abs(d), USUAL))
    big = np.flatnonzero(np.abs(d) > limit)
    found: list[int] = []
    k = 0
    while k + 1 < len(big):
        one, two = int(big[k]), int(big[k + 1])
        back = d[one] * d[two] < 0.0
        same = abs(own.x[two + 1] - own.x[one]) < 0.5 * abs(d[one])
        if back and same and two - one <= max(LONGEST_LOSS * len(own.x), LOST_AT_LEAST):
            found += range(one + 1, two + 1)
            k += 2
        else:
            k += 1
    rows = np.array(found, dtype=np.intp)
    if not rows.size:
        return rows
    rest = np.delete(own.x, rows)
    level = float(np.median(own.x[rows]))
    leap = min(abs(level - float(rest.max())), abs(level - float(rest.min())))
    alike = np.abs(own.x[rows] - level) <= SAME_LEVEL * leap + 3.0 * own.sigma
    outside = level > rest.max() + limit or level < rest.min() - limit
    equal = rows.size > 1 and float(np.ptp(own.x[rows])) == 0.0
    return rows if alike.all() and (outside or equal) else rows[:0]


def jumps(case: Case) -> Iterator[Note]:
    """Single samples off what is before, after and around them by 6 local spreads (`outliers`,
    Hampel, J. Am. Stat. Assoc. 69 (1974) 383-393), that were not set aside; in a short recording
    also those that are off by 8 spreads of one parabola through all others (least absolute
    deviations by reweighting), at most one in seven and never two in a row.
    """
    found: dict[str, Rows] = {}
    by_rule = True
    for body in case.trial.followed:
        rows = jump_rows(case.trial, body.name)
        odd = _odd_ones(case, body.name)
        if np.setdiff1d(odd, rows).size:
            rows, by_rule = np.union1d(odd, rows), False
        if rows.size:
            found[body.name] = rows
    if not found:
        return
    every = np.unique(np.concatenate(list(found.values())))
    count = sum(rows.size for rows in found.values())
    parts = " and ".join(f"{rows.size} of {body}" for body, rows in found.items())
    names = list(found)
    whose, parts = (f" of {names[0]}", "") if len(names) == 1 else ("", f": {parts}")
    first = float(case.trial.t[every[0]])
    yield Note(
        "jumps",
        Severity.MEDIUM,
        f"{count} {f'sample{whose} jumps' if count == 1 else f'samples{whose} jump'} out of the "
        f"motion{parts}, the first at {_seconds(first)}.",
        {"count": float(count), "first": first},
        Place(next(iter(found)), "", first, first),
        Remedy(
            "Set samples that jump aside",
            partial(_jumps_aside, trial=case.id)
            if by_rule
            else partial(_odd_aside, trial=case.id, found=found),
        ),
        "jumps",
        float(count),
    )


def _odd_aside(project: Project, trial: str, found: Mapping[str, Rows]) -> Edit:
    made = project
    for body, rows in found.items():
        made = rows_set_aside(made, trial, body, [int(r) for r in rows], "jumps").project
    return found_anew(project, trial, Edit("Set samples that jump aside", made))


def _odd_ones(case: Case, body: str) -> Rows:
    """Rows that do not belong to the steady motion of a short recording, or of one of its spans."""
    found = [np.zeros(0, dtype=np.intp)]
    for own in case.positions:
        if own.body != body:
            continue
        whole = _odd_ones_out(own, slice(0, len(own.x)))
        found.append(own.rows[whole])
        for span in case.entry.spans.of(body):
            if span.kind.steady and not whole.size:
                low = int(np.searchsorted(own.t, span.start))
                high = int(np.searchsorted(own.t, span.stop, "right"))
                odd = _odd_ones_out(own, slice(low, high))
                inside = (odd >= low + FROM_ENDS) & (odd < high - FROM_ENDS)
                found.append(own.rows[odd[inside]])
    return np.unique(np.concatenate(found))


def _odd_ones_out(own: Samples, part: slice) -> Rows:
    """Rows of a part of a recording, of one steady motion, that do not belong to it."""
    t, x = own.t[part], own.x[part]
    n = len(x)
    none = np.zeros(0, dtype=np.intp)
    if not SHORTEST <= n <= SHORT:
        return none
    tau = (t - t.mean()) / float(np.ptp(t))
    design = np.stack([np.ones(n), tau, tau**2], axis=1)
    weight = np.ones(n)
    for _ in range(REWEIGHTED):
        c, *_ = np.linalg.lstsq(design * weight[:, None], x * weight, rcond=None)
        off = np.abs(x - design @ c)
        weight = 1.0 / np.sqrt(np.maximum(off, 0.1 * float(np.median(off)) + 1e-15))
    inside = off < ODD * max(MEDIAN_TO_SIGMA * float(np.median(off)), own.step)
    odd = np.flatnonzero(~inside)
    if not odd.size or odd.size > n // 7 or np.any(np.diff(odd) == 1):
        return none
    c, *_ = np.linalg.lstsq(design[inside], x[inside], rcond=None)
    left = x - design @ c
    sigma = max(float(np.std(left[inside], ddof=3)), own.step / np.sqrt(12.0))
    scatters = pattern_z(left[inside], np.ones(int(inside.sum()))) < 0.5 * PATTERN_Z
    alone = np.all(np.abs(left[odd]) > ODD * sigma)
    return odd + (part.start or 0) if scatters and alone else none


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
            f"{_seconds(own.t[first])} on, while it moved: the sensor seems to stick.",
            {"count": float(rows.size), "runs": float(len(runs)), "first": float(own.t[first])},
            Place(own.body, "", float(own.t[first]), float(own.t[last])),
            _aside(case, own.body, own.rows[rows], "the sensor stuck"),
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


def time_order(case: Case) -> Iterator[Note]:
    """Time stamps of the file went back and were put in order, as its reader tells."""
    for said in case.entry.trial.provenance.understood:
        if PUT_IN_ORDER in said:
            yield Note(
                "time-order",
                Severity.MEDIUM,
                f"{said} If two recordings stand in one file, separate them.",
                {"said": said},
                subject="time",
            )


RULES = (time_order, repeated_values, clipped)
# Their remedies are applied before other rules look, from the first on
TIDIED_FIRST = (lost_target, stuck_sensor, jumps)
