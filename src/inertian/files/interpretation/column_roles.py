"""Which column is what: time, body, trial, positions and other channels; what is left out, and
why.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from inertian.files.cells.column_titles import Role, names_trial
from inertian.files.interpretation.columns import Column
from inertian.files.interpretation.nameless_positions import RECORDED_AGAIN, in_pairs
from inertian.quantities.estimates import Array, distinct_values
from inertian.quantities.units import PIXEL, kind_of

DEFAULT_BODY = "body"
_LETTER = {Role.FORCE: "F", Role.ACCELERATION: "a", Role.VELOCITY: "v"}
_FEW_LABELS = 40


@dataclass(frozen=True, eq=False)
class Use:
    """A column used as a channel of a body."""

    column: Column
    body: str
    axis: str  # x, y, F, a or v
    u: Column | None = None  # states the uncertainty of its readings


@dataclass(eq=False)
class Layout:
    """What the columns of a table are for; `left_out` says in words why a column is not used.

    `clocks` holds a time column for each body that has its own.
    """

    time: Column | None = None
    time_is: Role = Role.TIME
    clocks: dict[str, Column] = field(default_factory=dict)
    body: Column | None = None
    trial: Column | None = None
    uses: list[Use] = field(default_factory=list)
    left_out: list[tuple[Column, str]] = field(default_factory=list)
    twice: list[str] = field(default_factory=list)  # titles that stand above more than one column
    body_counts: tuple[int, ...] = ()  # to how many bodies nameless positions can belong


def rising(values: Array) -> bool:
    """Whether values rise from row to row, but for restarts and a few flaws."""
    good = values[np.isfinite(values)]
    return good.size >= 2 and float((np.diff(good) > 0).mean()) >= 0.75


def never_falls(values: Array) -> bool:
    """Whether values stay or rise from row to row, as the times of rows for several bodies do."""
    good = values[np.isfinite(values)]
    return len(distinct_values(good)) >= 2 and bool(np.all(np.diff(good) >= 0))


def counts_up(values: Array) -> bool:
    """Whether values are whole numbers that go up by one, as row numbers do; restarts at the first
    are allowed.
    """
    good = values[np.isfinite(values)]
    if good.size < 2 or not np.all(good == np.round(good)) or good[0] not in (0.0, 1.0):
        return False
    steps = np.diff(good)
    return bool(np.all((steps == 1) | (good[1:] == good[0])))


def lay_out(
    columns: Sequence[Column],
    headed: bool,
    chosen: dict[int, Role] | None = None,
    bodies: int | None = None,
) -> Layout:
    """Decide what each column is for. `chosen` fixes roles by column place, as a recipe does;
    `bodies` says to how many bodies positions without names belong.
    """
    chosen = chosen or {}
    roles = {c.place: chosen.get(c.place, c.title.role) for c in columns}
    layout = Layout()
    times = _find_time(columns, roles, headed, layout, chosen)
    _find_labels(columns, roles, layout, times)
    candidates = _channels(columns, roles, layout, headed, chosen)
    if not chosen:
        candidates, layout.body_counts, spare = in_pairs(candidates, roles, layout.body, bodies)
        layout.left_out += [(c, RECORDED_AGAIN) for c in spare]
    _assign_bodies(candidates, roles, layout, headed)
    _pair_clocks(times, layout)
    _leave_out_derived(layout, chosen)
    return layout


def _find_time(
    columns: Sequence[Column],
    roles: dict[int, Role],
    headed: bool,
    layout: Layout,
    chosen: dict[int, Role],
) -> list[Column]:
    usable = [c for c in columns if c.numeric or c.moments is not None]
    times = [
        c
        for c in usable
        if roles[c.place] is Role.TIME or (c.moments is not None and c.place not in chosen)
    ]
    changing = [c for c in times if np.ptp(c.values[np.isfinite(c.values)]) > 0]
    times = changing or times  # the date beside a clock stays the same
    numeric = [c for c in times if c.numeric]
    if numeric and len(numeric) < len(times):
        times = numeric  # a date or clock beside seconds
    if not times and not any(r is Role.FRAME for r in roles.values()):
        times = _unnamed_time(columns, usable, roles, headed)
    if not times:
        frames = [c for c in usable if roles[c.place] is Role.FRAME and c.numeric]
        if frames:
            times, layout.time_is = frames[:1], Role.FRAME
    for c in times:
        roles[c.place] = Role.TIME
    if not times:  # a, v and f without units in a table without time are letters, not quantities
        for c in columns:
            if (
                roles[c.place] in _LETTER
                and not c.title.unit
                and len(c.title.name) == 1
                and c.place not in chosen
            ):
                roles[c.place] = Role.UNKNOWN
    return times


def _unnamed_time(
    everything: Sequence[Column], columns: Sequence[Column], roles: dict[int, Role], headed: bool
) -> list[Column]:
    """Time without a title: the first column that rises, unless it only counts rows and the next
    one rises too.
    """
    free = [c for c in columns if roles[c.place] is Role.UNKNOWN and not c.title.unit and c.numeric]
    if headed:
        free = [
            c for c in free if not c.title.name or (c is columns[0] and evenly_spaced(c.values))
        ][:1]
    free = free[:2]
    labelled = not headed and any(
        not c.numeric and c.cells and any(map(str.strip, c.cells)) for c in everything
    )
    if not free or not (rising(free[0].values) or (labelled and never_falls(free[0].values))):
        return []
    if not counts_up(free[0].values):
        return free[:1]
    if (
        len(free) > 1
        and len(columns) > 2
        and rising(free[1].values)
        and not headed
        and evenly_spaced(free[1].values)
    ):
        roles[free[0].place] = Role.INDEX
        return free[1:2]
    roles[free[0].place] = Role.INDEX
    return []


def evenly_spaced(values: Array) -> bool:
    """Whether values go up in equal steps, but for rounding."""
    steps = np.diff(values[np.isfinite(values)])
    return (
        steps.size >= 2
        and bool(np.all(steps > 0))
        and float(np.ptp(steps)) <= 0.05 * float(np.median(steps))
    )


def _find_labels(
    columns: Sequence[Column], roles: dict[int, Role], layout: Layout, times: list[Column]
) -> None:
    """Columns that say which body or which trial a row belongs to."""
    repeated = bool(times) and len(distinct_values(times[0].values)) < 0.8 * len(times[0].values)
    for c in columns:
        if c in times or c.cells is None:
            continue
        role = roles[c.place]
        labels = {cell.strip() for cell in c.cells if cell.strip()}
        text = not c.numeric and c.moments is None
        few = 1 <= len(labels) <= _FEW_LABELS and len(labels) <= 0.5 * len(c.cells)
        whole = text or bool(np.all(c.values[np.isfinite(c.values)] % 1 == 0))
        if (
            role is Role.INDEX
            and repeated
            and few
            and len(labels) > 1
            and _tells_apart(c.values, times[0].values)
        ):
            role = Role.BODY
        if role is Role.TRIAL and few and whole and layout.trial is None:
            layout.trial = c
        elif role is Role.BODY and few and whole and layout.body is None:
            layout.body = c
        elif (
            text
            and role is Role.UNKNOWN
            and few
            and len(labels) > 1
            and repeated
            and layout.body is None
        ):
            layout.body, role = c, Role.BODY
        elif role in (Role.BODY, Role.TRIAL) and not text:
            role = Role.INDEX if counts_up(c.values) or role is Role.TRIAL else Role.UNKNOWN
        elif text:
            role = Role.REMARK
        roles[c.place] = role


def _tells_apart(labels: Array, times: Array) -> bool:
    """Whether every label has each time only once, as bodies do, and row numbers of several trials
    do not.
    """
    pairs = np.column_stack([labels, times])
    return len(np.unique(pairs, axis=0)) == len(pairs) and len(distinct_values(labels)) < len(
        distinct_values(times)
    )


_REASONS = {
    Role.INDEX: "row numbers",
    Role.REMARK: "remarks",
    Role.OTHER: "another quantity",
    Role.UNCERTAINTY: "a ± of nothing that is used",
    Role.FRAME: "frame numbers beside a time",
    Role.TIME: "a second time",
    Role.BODY: "a label",
    Role.TRIAL: "a label",
}


def _channels(
    columns: Sequence[Column],
    roles: dict[int, Role],
    layout: Layout,
    headed: bool,
    chosen: dict[int, Role],
) -> list[Column]:
    named = [c for c in columns if roles[c.place] is Role.POSITION]
    with_unit = any(c.title.unit for c in named)
    found = []
    for c in columns:
        role = roles[c.place]
        if c is layout.body or c is layout.trial or role is Role.TIME:
            continue
        if role in _REASONS:
            layout.left_out.append((c, _REASONS[role]))
        elif not c.numeric:
            layout.left_out.append((c, "no numbers in it"))
        elif (
            role is Role.UNKNOWN
            and c.place not in chosen
            and (with_unit or (named and not c.title.body))
        ):
            layout.left_out.append((c, "no unit, and no word for a position"))
        elif role is Role.UNKNOWN and c.title.unit and kind_of(c.title.unit) != "length":
            layout.left_out.append((c, "not a position"))
        else:
            found.append(c)
    metric = [
        c
        for c in found
        if roles[c.place] is Role.POSITION and c.title.unit and c.title.unit != PIXEL
    ]
    if metric:
        pixels = [
            c
            for c in found
            if kind_of(c.title.unit) == "length"
            and c.title.unit.casefold() in (PIXEL, "pixel", "pixels")
        ]
        layout.left_out += [(c, "in pixels, beside positions in a unit of length") for c in pixels]
        found = [c for c in found if c not in pixels]
    return found


def _assign_bodies(
    candidates: Sequence[Column], roles: dict[int, Role], layout: Layout, headed: bool
) -> None:
    positions = [c for c in candidates if roles[c.place] in (Role.POSITION, Role.UNKNOWN)]
    unnamed = len(positions) > 1 and not headed
    axes = {c.title.axis for c in positions}
    seen: dict[str, Column] = {}
    taken: dict[tuple[str, str], Column] = {}
    for c in candidates:
        raw = c.title.raw.strip()
        if raw and raw in seen and not layout.body_counts:
            if raw not in layout.twice:
                layout.twice.append(raw)
            if np.array_equal(c.values, seen[raw].values, equal_nan=True):
                layout.left_out.append((c, "the same column once more"))
                continue
        seen.setdefault(raw, c)
        role = roles[c.place]
        if role in _LETTER:
            axis = _LETTER[role]
            if c.title.axis in ("y", "z") and any(
                u.axis == axis and u.body == (c.title.body or DEFAULT_BODY) for u in layout.uses
            ):
                layout.left_out.append((c, f"a second component of {role}"))
                continue
        else:
            axis = c.title.axis or "x"
            if axis == "z":
                if {"x", "y"} <= axes:
                    layout.left_out.append((c, "a third axis"))
                    continue
                axis = "y"
        body = c.title.body or (
            f"body {positions.index(c) + 1}" if unnamed and c in positions else DEFAULT_BODY
        )
        if (body, axis) in taken:
            if role in _LETTER:
                layout.left_out.append((c, f"{body} has this quantity already"))
                continue
            number = 2
            base = (
                body if raw in layout.twice or not c.title.name else (c.title.body or c.title.name)
            )
            body = base if (base, axis) not in taken else f"{base} {number}"
            while (body, axis) in taken:
                number += 1
                body = f"{base} {number}"
        taken[body, axis] = c
        layout.uses.append(Use(c, body, axis))
    _join_sensors(layout)


def _join_sensors(layout: Layout) -> None:
    """A force or acceleration without a name belongs to the body that was followed, the first if
    there are several.
    """
    bodies = [u.body for u in layout.uses if u.axis in ("x", "y")] or [
        u.body for u in layout.uses if u.body != DEFAULT_BODY
    ]
    if bodies and DEFAULT_BODY not in bodies:
        layout.uses = [
            replace(u, body=bodies[0])
            if u.body == DEFAULT_BODY
            and not any(o.body == bodies[0] and o.axis == u.axis for o in layout.uses)
            else u
            for u in layout.uses
        ]


def _pair_clocks(times: list[Column], layout: Layout) -> None:
    """One time for all; or one for each body, by name or by standing before its columns."""
    if not times:
        return
    layout.time = times[0]
    if len(times) < 2:
        return
    bodies = list(dict.fromkeys(u.body for u in layout.uses))
    named = {t.title.body: t for t in times if t.title.body in bodies}
    pairs: dict[str, Column] = {}
    for body in bodies:
        first = min(u.column.place for u in layout.uses if u.body == body)
        before = [t for t in times if t.place < first]
        pairs[body] = named.get(body) or (before[-1] if before else times[0])
    used = {t.place for t in pairs.values()}
    if len(named) >= 2 or len(used) == len(times):
        layout.time = pairs[bodies[0]] if bodies else times[0]
        layout.clocks = {
            b: t
            for b, t in pairs.items()
            if t is not layout.time
            and (names_trial(b) or not np.array_equal(t.values, layout.time.values, equal_nan=True))
        }
    else:
        layout.time = next((t for t in times if t.title.unit and rising(t.values)), times[0])
        used = {layout.time.place}
    layout.left_out += [(t, _REASONS[Role.TIME]) for t in times if t.place not in used]


def _leave_out_derived(layout: Layout, chosen: dict[int, Role]) -> None:
    """Speeds and accelerations beside positions of the same body were computed from them; Inertian
    does that anew.
    """
    followed = {u.body for u in layout.uses if u.axis in ("x", "y")}
    with_speed = {u.body for u in layout.uses if u.axis == "v"}
    kept = []
    for use in layout.uses:
        computed = (
            use.body in followed
            and use.column.place not in chosen
            and (
                use.axis == "v"
                or (use.axis == "a" and (use.body in with_speed or use.column.title.derived))
            )
        )
        if computed:
            layout.left_out.append((use.column, "computed, derived anew"))
        else:
            kept.append(use)
    layout.uses = kept
