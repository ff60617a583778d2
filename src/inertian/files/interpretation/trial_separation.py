"""Where one trial ends and the next begins in the rows of a table."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from inertian.files.cells.column_titles import names_trial
from inertian.files.cells.findings import Code, Finding
from inertian.files.interpretation.column_roles import DEFAULT_BODY, Layout
from inertian.files.interpretation.parsed_trial import (
    Assembled,
    ParsedBody,
    ParsedTime,
    ParsedTrial,
)
from inertian.files.interpretation.tables import Table
from inertian.quantities.estimates import Array, Rows

_FEWEST_TIMES = 6
_ROOM, _MOST_ROOM = 1.5, 6.0  # steps between the neighbours of a garbled time
_MOST_GARBLED = 0.05  # of the times: with more, they are in no order


def row_groups(
    table: Table, layout: Layout, time: ParsedTime, rows: Rows, made: Assembled
) -> list[tuple[str, Rows]]:
    """The rows of each trial: by the trial column, else by where time starts again."""
    if layout.trial is not None and layout.trial.cells is not None:
        cells = layout.trial.cells
        labels: dict[str, list[int]] = {}
        for row in rows.tolist():
            labels.setdefault(cells[row].strip(), []).append(row)
        title = layout.trial.title.raw.strip() or "trial"
        return [
            (f"{title} {k}" if k[:1].isdigit() else k, np.array(v)) for k, v in labels.items() if k
        ]
    if layout.body is not None:
        return [("", rows)]
    apart = range(1, len(rows)) if table.apart else ()
    if layout.clocks and not np.isfinite(time.values[rows]).all():
        return [("", rows)]
    starts = restarts(
        time.values[rows], [i for i in apart if _separated(table, rows[i - 1], rows[i])]
    )
    if not starts:
        return [("", rows)]
    unmarked = [s for s in starts if not _separated(table, rows[s - 1], rows[s])]
    if unmarked:
        lines = tuple(int(table.lines[rows[s]]) for s in unmarked)
        said = f"Time starts again {len(unmarked)} times; each start was taken as a new trial."
        made.findings.append(Finding(Code.TIME_RESTART, said, lines))
    return [("", part) for part in np.split(rows, starts)]


def _separated(table: Table, before: int, after: int) -> bool:
    if not table.apart:
        return False
    return any(row in table.apart for row in range(before + 1, after + 1))


def restarts(times: Array, marked: Sequence[int] = ()) -> list[int]:
    """Return the places at which time starts again: it falls back to about where it began, and then
    goes on rising.

    `marked` places stand behind a blank line or a title, which speaks for a new start as well.
    """
    if times.size < 4:
        return []
    if bool(np.all(times[1:] >= times[:-1])):
        return []
    steps = np.diff(times)
    falls = np.flatnonzero(steps < 0) + 1
    rises = steps[steps > 0]
    if not falls.size or not rises.size or falls.size > 0.25 * times.size:
        return []
    step = float(np.quantile(rises, 0.25))
    found: list[int] = []
    last, said = 0, set(marked)
    for fall in falls.tolist():
        part = times[last:fall]
        length = float(part.max() - part.min())
        near = abs(times[fall] - part[0]) <= max(step, 0.1 * length) and length > step
        near = near or fall in said
        following = times[fall : fall + 3]
        if (
            near
            and len(part) >= (2 if fall in said else 3)
            and following.size >= 2
            and np.all(np.diff(following) > 0)
            and following[1] < part[-1] + step  # else the times before go on: one was lost
        ):
            found.append(fall)
            last = fall
    return found


def garbled_times(times: Array) -> NDArray[np.bool_]:
    """Return which times are lost or run together: alone among times that go on without them.

    Such a time lies outside those before and after it, which leave room for it; or it is the last
    and falls back, or the first and lies beyond those that follow. None is, if the others are in no
    order without them either.
    """
    none = np.zeros(times.size, dtype=bool)
    steps = np.diff(times)
    rises = steps[steps > 0]
    if times.size < _FEWEST_TIMES or not (steps <= 0).any() or not rises.size:
        return none
    step = float(np.median(rises))
    before, own, after = times[:-2], times[1:-1], times[2:]
    room = (after - before >= _ROOM * step) & (after - before <= _MOST_ROOM * step)
    odd = none.copy()
    odd[1:-1] = room & ((own >= after) | (own <= before))
    odd[-1] = not odd[-2] and times[-1] < times[-2] - _ROOM * step
    odd[0] = not odd[1] and times[0] > times[1] + _ROOM * step
    left = times[~odd]
    falls = int((np.diff(left) < 0).sum())
    if odd.sum() > max(2, _MOST_GARBLED * times.size) or falls > len(restarts(left)):
        return none
    return odd


def side_by_side(trial: ParsedTrial) -> list[ParsedTrial]:
    """Take trials apart that stand beside one another: bodies that are called run 1, run 2 are no
    bodies.
    """
    if len(trial.bodies) < 2 or not all(names_trial(b.name) for b in trial.bodies):
        return [trial]
    return [
        ParsedTrial(
            b.name,
            b.time or trial.time,
            (ParsedBody(DEFAULT_BODY, b.channels),),
            trial.unusable if k == 0 else (),
        )
        for k, b in enumerate(trial.bodies)
    ]
