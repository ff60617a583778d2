"""Setting samples aside with the mouse: a click or a rectangle in a strip, undone by the same
gesture on crosses.
"""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QRectF

from inertian.desktop.bench.traces import Trace
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import ViewState
from inertian.project.history import Edit
from inertian.project.tidying_edits import rows_set_aside, rows_taken_back
from inertian.quantities.estimates import Rows

REACH = 12.0  # px: how near a click must be to a sample


def nearest_sample(
    traces: Sequence[Trace], time: float, value: float, pixel: tuple[float, float]
) -> tuple[str, int] | None:
    """Return body and raw row of the sample, or cross, nearest to a place, if it is within
    reach.
    """
    best, found = REACH, None
    for trace in traces:
        for t, y, rows in (
            (trace.t, trace.y, trace.raw_rows),
            (*trace.crosses, trace.cross_rows),
        ):
            low, high = np.searchsorted(t, (time - REACH * pixel[0], time + REACH * pixel[0]))
            away = np.hypot((t[low:high] - time) / pixel[0], (y[low:high] - value) / pixel[1])
            away = np.where(rows[low:high] >= 0, away, np.nan)
            if away.size and np.isfinite(away).any() and np.nanmin(away) <= best:
                best = float(np.nanmin(away))
                found = trace.body, int(rows[low + int(np.nanargmin(away))])
    return found


def samples_inside(traces: Sequence[Trace], box: QRectF) -> dict[str, Rows]:
    """Return by body the raw rows of the samples inside a rectangle of time and value."""
    found = {}
    for trace in traces:
        low, high = np.searchsorted(trace.t, (box.left(), box.right()))
        y = trace.y[low:high]
        rows = trace.raw_rows[low + np.flatnonzero((y >= box.top()) & (y <= box.bottom()))]
        rows = rows[rows >= 0]
        if rows.size:
            found[trace.body] = rows
    return found


def toggle_sample(document: Document, view: ViewState, body: str, row: int) -> Edit:
    """Return the edit that sets one sample aside, or lets it count again if it was."""
    entry = document.entry
    assert entry is not None
    if row in entry.prepared.aside.get(body, ()):
        return rows_taken_back(document.committed, entry.trial.id, body, [row])
    return rows_set_aside(document.committed, entry.trial.id, body, [row], view.reason)


def set_aside_samples(document: Document, view: ViewState, rows: dict[str, Rows]) -> int:
    """Set samples of several bodies aside in one edit; return how many."""
    entry = document.entry
    if entry is None or not rows:
        return 0
    project, count = document.committed, 0
    for body, own in rows.items():
        project = rows_set_aside(project, entry.trial.id, body, own.tolist(), view.reason).project
        count += len(own)
    document.do(Edit(f"Set {count} aside: {view.reason}", project))
    return count
