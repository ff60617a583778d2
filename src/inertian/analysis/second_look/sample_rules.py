"""What single samples give away: a target that was lost, jumps, times that were put in order."""

from collections.abc import Iterator, Mapping
from functools import partial

import numpy as np

from inertian.analysis.second_look.cases import Case, Samples
from inertian.analysis.second_look.notes import Note, Place, Remedy, Severity, said_time
from inertian.analysis.second_look.setting_aside import aside, found_anew
from inertian.files.cells.findings import PUT_IN_ORDER
from inertian.motion.numerics.outliers import MEDIAN_TO_SIGMA, THRESHOLD
from inertian.motion.numerics.residuals import PATTERN_Z, pattern_z
from inertian.motion.recording.tidying import Reason, jump_rows
from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.tidying_edits import jumps_set_aside, rows_set_aside
from inertian.quantities.estimates import Rows
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


def _jumps_aside(project: Project, trial: str) -> Edit:
    return found_anew(project, trial, jumps_set_aside(project, trial, THRESHOLD))


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
            aside(case, own.body, there, Reason.LOST),
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
        f"motion{parts}, the first at {said_time(first)}.",
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
