"""From columns to trials: rows that can be used, trials and bodies apart, times in seconds, values
with units.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from inertian.files.cells.column_titles import Role
from inertian.files.cells.findings import Code, Finding, Question, Topic, Unusable, shown_line
from inertian.files.cells.time_stamps import TimeStamps, epoch_unit, shifted_exactly
from inertian.files.interpretation.column_roles import Layout
from inertian.files.interpretation.columns import Column
from inertian.files.interpretation.parsed_trial import (
    Assembled,
    ParsedBody,
    ParsedChannel,
    ParsedTime,
    ParsedTrial,
    Rates,
)
from inertian.files.interpretation.tables import Table
from inertian.files.interpretation.trial_separation import (
    garbled_times,
    row_groups,
    side_by_side,
)
from inertian.files.interpretation.uncertainty_columns import in_unit_of
from inertian.motion.recording.trials import KIND_OF_AXIS
from inertian.quantities.estimates import Array, Rows
from inertian.quantities.units import PIXEL, Unit, kind_of, unit_of

FRAME, ROW = "frame", "row"
_USUAL_RATE = 25.0  # frames in a second, until the answer is given


def assemble(table: Table, columns: Sequence[Column], layout: Layout, rates: Rates) -> Assembled:
    """Return the trials of a table whose columns are laid out."""
    made = Assembled()
    n = len(table.lines)
    time = _time_of(layout.time, layout.time_is, n, rates, made)
    clocks = {body: _time_of(c, Role.TIME, n, rates, made) for body, c in layout.clocks.items()}
    units = {id(u): _unit_of_use(u.column, u.axis, rates, made) for u in layout.uses}
    _say_missing_units(layout, made)
    rows, unusable = _usable_rows(table, layout, time, made)
    rows, garbled = _without_garbled(table, layout, time, rows, made)
    unusable = sorted([*table.unusable, *unusable, *garbled], key=lambda u: u.line)
    groups = row_groups(table, layout, time, rows, made)
    lows = [int(table.lines[g[0]]) if len(g) else 0 for _, g in groups]
    for place, (name, group) in enumerate(groups):
        low = -1 if place == 0 else lows[place]
        high = lows[place + 1] if place + 1 < len(lows) else 10**12
        own = (
            tuple(u for u in unusable if low <= u.line < high)
            if layout.trial is None
            else (tuple(unusable) if place == 0 else ())
        )
        made.trials += side_by_side(_trial(name, group, layout, time, clocks, units, own))
    return made


def _time_of(
    column: Column | None, role: Role, n: int, rates: Rates, made: Assembled
) -> ParsedTime:
    if column is None:
        text = "No column of times was found. Say how many samples there are in a second."
        rate = rates.frame_rate
        made.findings.append(
            Finding(Code.NO_TIME_COLUMN, "There is no column of times; rows are only counted.")
        )
        if rate is None:
            made.questions.append(Question(Topic.TIME, text))
        unit = Unit(ROW, "time", 1.0 / rate if rate else 1.0)
        return ParsedTime(None, unit, np.arange(n, dtype=float))
    if column.moments is not None and column.moments.frames is not None:
        return _time_of_code(column, column.moments, rates, made)
    if column.moments is not None:
        if column.moments.midnights:
            made.findings.append(
                Finding(Code.MIDNIGHT, "The clock passes midnight; a day was added from there on.")
            )
        return ParsedTime(column.label, unit_of("time", "s"), column.values)
    if role is Role.FRAME:
        if rates.frame_rate is None:
            what = "ticks" if "tick" in column.label.casefold() else "frames"
            said = (
                f"“{column.label}” counts {what}, and the file does not say how many there are in "
                "a second."
            )
            made.findings.append(Finding(Code.FRAME_RATE_MISSING, said))
            made.questions.append(Question(Topic.FRAME_RATE, said))
        return ParsedTime(
            column.label, Unit(FRAME, "time", 1.0 / (rates.frame_rate or 1.0)), column.values
        )
    given = column.title.unit if kind_of(column.title.unit) == "time" else ""
    known = unit_of("time", given).symbol if given else None
    epoch = epoch_unit(column.values, known)
    if epoch is not None:
        shifted = shifted_exactly(column.cells) if column.cells is not None else column.shifted
        first = column.values[np.isfinite(column.values)][0]
        return ParsedTime(
            column.label,
            unit_of("time", epoch),
            column.values - first if shifted is None else shifted,
        )
    if not given:
        made.findings.append(
            Finding(Code.UNIT_MISSING, f"“{column.label}” has no unit; taken as seconds.")
        )
    return ParsedTime(column.label, unit_of("time", given or "s"), column.values)


def _time_of_code(column: Column, moments: TimeStamps, rates: Rates, made: Assembled) -> ParsedTime:
    """Times as hours, minutes, seconds and frames."""
    rate = rates.frame_rate or moments.frames_per_second
    assert moments.frames is not None
    if rate is None:
        said = (
            f"“{column.label}” ends in a number of frames, and the file does not say how many "
            "there are in a second."
        )
        made.findings.append(Finding(Code.FRAME_RATE_MISSING, said))
        made.questions.append(Question(Topic.FRAME_RATE, said))
    frames = moments.frames - moments.frames[np.isfinite(moments.frames)][0]
    values = moments.seconds * (rate or _USUAL_RATE) + frames
    return ParsedTime(column.label, Unit(FRAME, "time", 1.0 / (rate or _USUAL_RATE)), values)


def _unit_of_use(column: Column, axis: str, rates: Rates, made: Assembled) -> Unit:
    kind = KIND_OF_AXIS[axis]
    named = column.title.unit
    if kind_of(named) == kind or (kind == "acceleration" and named == "gₙ"):
        unit = unit_of(kind, named)
        if unit.symbol == PIXEL:
            if rates.scale is None:
                said = (
                    f"“{column.label}” is in pixels, and the file does not say how long a pixel is."
                )
                if not any(q.topic is Topic.SCALE for q in made.questions):
                    made.questions.append(Question(Topic.SCALE, said))
                    made.findings.append(Finding(Code.UNIT_MISSING, said))
            return Unit(PIXEL, "length", rates.scale or 1.0)
        return unit
    return unit_of(
        kind, {"length": "m", "force": "N", "acceleration": "m/s²", "speed": "m/s"}[kind]
    )


def _say_missing_units(layout: Layout, made: Assembled) -> None:
    bare = [u for u in layout.uses if not u.column.title.unit]
    if bare:
        kinds = {KIND_OF_AXIS[u.axis] for u in bare}
        taken = {"length": "metres", "force": "newtons", "acceleration": "m/s²", "speed": "m/s"}
        names = ", ".join(f"“{u.column.label}”" for u in bare[:6])
        said = f"No unit for {names}; taken as {' and '.join(taken[k] for k in sorted(kinds))}."
        made.findings.append(Finding(Code.UNIT_MISSING, said))


def _usable_rows(
    table: Table, layout: Layout, time: ParsedTime, made: Assembled
) -> tuple[Rows, list[Unusable]]:
    """Which rows have a time and are not spoilt, and the lines that are listed as unusable, each
    with the reason.
    """
    n = len(table.lines)
    uses = [u.column for u in layout.uses]
    whole = [*uses, *([layout.time] if layout.time else []), *layout.clocks.values()]
    if not any(c.missing or c.bad for c in whole):
        return np.arange(n), []
    keep = np.isfinite(time.values)
    timed = {u.body: keep for u in layout.uses}
    timed |= {b: np.isfinite(clock.values) for b, clock in layout.clocks.items() if b in timed}
    for own in timed.values():
        keep = keep | own
    unusable: list[Unusable] = []
    spoilt: dict[int, list[str]] = {}
    for c in whole:
        for row in c.bad:
            spoilt.setdefault(row, []).append(
                f"{c.label}: “{shown_line(c.cells[row] if c.cells else '')}” is no number"
            )
    any_reading, timeless = np.zeros(n, dtype=bool), np.zeros(n, dtype=bool)
    for u in layout.uses:
        seen = np.isfinite(u.column.values)
        any_reading |= seen
        timeless |= seen & ~timed[u.body]
    for row in sorted(set(spoilt) | set(np.flatnonzero(timeless).tolist())):
        why = "; ".join(spoilt.get(row, ["no time"]))
        if row in spoilt or timeless[row]:
            unusable.append(Unusable(int(table.lines[row]), _line_text(table, row), why))
        if row in spoilt and not any_reading[row]:
            keep[row] = False
    if spoilt:
        lines = tuple(int(table.lines[r]) for r in sorted(spoilt))
        first = spoilt[min(spoilt)][0]
        made.findings.append(
            Finding(
                Code.NON_NUMERIC,
                f"Rows with something that is no number: {len(spoilt)}. The first: {first}.",
                lines,
            )
        )
    _say_missing(table, layout, keep, made)
    return np.flatnonzero(keep), unusable


def _without_garbled(
    table: Table, layout: Layout, time: ParsedTime, rows: Rows, made: Assembled
) -> tuple[Rows, list[Unusable]]:
    """Take off rows whose time was lost on the way, where rows are in one sequence."""
    several = layout.trial is not None or layout.body is not None or layout.clocks or table.apart
    if layout.time is None or several:
        return rows, []
    odd = garbled_times(time.values[rows])
    if not odd.any():
        return rows, []
    why = "its time does not fit those before and after it"
    garbled = [
        Unusable(int(table.lines[row]), _line_text(table, row), why) for row in rows[odd].tolist()
    ]
    count = len(garbled)
    said = (
        f"{count} {'line has a time that does' if count == 1 else 'lines have times that do'} not "
        f"fit those before and after, first “{garbled[0].text}”."
    )
    made.findings.append(Finding(Code.SKIPPED_LINES, said, tuple(u.line for u in garbled)))
    return rows[~odd], garbled


def _line_text(table: Table, row: int) -> str:
    return shown_line("  ".join(table.rows[row])) if row < len(table.rows) else ""


def _say_missing(table: Table, layout: Layout, keep: NDArray[np.bool_], made: Assembled) -> None:
    counts, lines = [], set()
    own = set(layout.clocks)
    for u in layout.uses:
        gone = ~np.isfinite(u.column.values)
        gone[list(u.column.bad)] = False
        if own and u.column.missing:  # with clocks of their own, shorter columns end in blanks
            clock = layout.clocks.get(u.body, layout.time)
            gone &= np.isfinite(clock.values) if clock is not None else True
        if gone.any():
            mark = f" (marked {u.column.sentinel:g})" if u.column.sentinel is not None else ""
            counts.append(f"{int(gone.sum())} in “{u.column.label}”{mark}")
            lines |= {int(table.lines[r]) for r in np.flatnonzero(gone)[:1000]}
    if layout.time is not None and layout.time.missing and not own:
        counts.append(f"{layout.time.missing} times")
    if counts:
        said = f"Values are missing: {', '.join(counts)}."
        made.findings.append(Finding(Code.MISSING_VALUES, said, tuple(sorted(lines))))


def _trial(
    name: str,
    rows: Rows,
    layout: Layout,
    time: ParsedTime,
    clocks: dict[str, ParsedTime],
    units: dict[int, Unit],
    unusable: tuple[Unusable, ...],
) -> ParsedTrial:
    if layout.body is not None and layout.body.cells is not None:
        return _long_trial(name, rows, layout, time, units, unusable)
    bodies: dict[str, list[ParsedChannel]] = {}
    for use in layout.uses:
        reading = ParsedChannel(
            use.axis, use.column.label, units[id(use)], use.column.values, in_unit_of(use)
        )
        bodies.setdefault(use.body, []).append(reading)
    if not clocks:
        order = in_order(rows, time.values)
        made = tuple(ParsedBody(b, _taken(cs, order)) for b, cs in bodies.items())
        return ParsedTrial(name, replace(time, values=time.values[order]), made, unusable)
    own = []
    main = _filled(
        rows, time.values, [c for b, cs in bodies.items() if b not in clocks for c in cs]
    )
    for body, channels in bodies.items():
        clock = clocks.get(body)
        if clock is None:
            own.append(ParsedBody(body, _taken(channels, main)))
        else:
            order = _filled(rows, clock.values, channels)
            own.append(
                ParsedBody(
                    body, _taken(channels, order), replace(clock, values=clock.values[order])
                )
            )
    return ParsedTrial(name, replace(time, values=time.values[main]), tuple(own), unusable)


def _filled(rows: Rows, times: Array, channels: Sequence[ParsedChannel]) -> Rows:
    """The rows that have a time on this clock, in its order."""
    return in_order(rows[np.isfinite(times[rows])], times)


def in_order(rows: Rows, times: Array) -> Rows:
    """Return rows in the order of their times; equal times keep the order of the file."""
    own = times if len(rows) == len(times) and len(rows) and rows[0] == 0 else times[rows]
    if own.size < 2 or bool(np.all(own[1:] >= own[:-1])):
        return rows
    return np.asarray(rows[np.argsort(own, kind="stable")])


def _taken(channels: Sequence[ParsedChannel], rows: Rows) -> tuple[ParsedChannel, ...]:
    if all(len(rows) == len(c.values) for c in channels) and bool(np.all(rows[1:] > rows[:-1])):
        return tuple(channels)  # all of them, in order
    return tuple(
        replace(c, values=c.values[rows], u=None if c.u is None else c.u[rows]) for c in channels
    )


def _long_trial(
    name: str,
    rows: Rows,
    layout: Layout,
    time: ParsedTime,
    units: dict[int, Unit],
    unusable: tuple[Unusable, ...],
) -> ParsedTrial:
    """A trial whose rows name their body: one body per label, on one clock if all have the same
    times.
    """
    assert layout.body is not None
    assert layout.body.cells is not None
    labels: dict[str, list[int]] = {}
    for row in rows.tolist():
        labels.setdefault(layout.body.cells[row].strip(), []).append(row)
    numbered = layout.body.title.raw.strip()
    bodies, first = [], None
    for label, members in labels.items():
        if not label:
            continue
        order = np.array(members)[np.argsort(time.values[members], kind="stable")]
        clock = replace(time, values=time.values[order])
        first = first or clock
        channels = tuple(
            _taken(
                [
                    ParsedChannel(
                        u.axis, u.column.label, units[id(u)], u.column.values, in_unit_of(u)
                    )
                ],
                order,
            )[0]
            for u in layout.uses
            if np.isfinite(u.column.values[order]).any()
        )
        body = f"{numbered} {label}" if label.isdigit() and numbered.isalpha() else label
        own = None if np.array_equal(clock.values, first.values) else clock
        bodies.append(ParsedBody(body, channels, own))
    return ParsedTrial(name, first or time, tuple(bodies), unusable)
