"""Understanding a grid: decimal mark, tables, columns and their roles, trials; each conclusion with
its evidence.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from inertian.files.cells import size_limits
from inertian.files.cells.column_titles import Role, folded, read_title
from inertian.files.cells.dialects import NAMES, Record, is_data
from inertian.files.cells.findings import Code, Finding, Question, Topic, UnreadableFileError
from inertian.files.cells.grids import Grid
from inertian.files.cells.number_parsing import Decimal, decide_decimal
from inertian.files.cells.recipes import Recipe, Stated
from inertian.files.interpretation.assembly import assemble
from inertian.files.interpretation.column_roles import DEFAULT_BODY, Layout, lay_out
from inertian.files.interpretation.columns import Column, columns_of
from inertian.files.interpretation.data_checks import check_channel, check_time
from inertian.files.interpretation.large_tables import BulkTable
from inertian.files.interpretation.parsed_trial import Assembled, ParsedTrial, Rates
from inertian.files.interpretation.preamble import Preamble, read_preamble
from inertian.files.interpretation.tables import Table, find_tables
from inertian.files.interpretation.transposed_tables import upright
from inertian.files.interpretation.uncertainty_columns import pair_uncertainties
from inertian.quantities.units import PIXEL, kind_of

_SHOWN_ROWS = 200
_VOTERS = 400  # rows whose cells decide on the decimal mark


@dataclass(frozen=True)
class Conclusion:
    """One conclusion in words, with its evidence and how sure it is, from 0 to 1."""

    topic: str
    text: str
    evidence: str
    confidence: float


@dataclass(frozen=True)
class ColumnView:
    """What a column was taken for: `body` and `axis` are "" unless it is a channel; `why` says why
    it is left out.
    """

    place: int
    title: str
    role: str
    body: str = ""
    axis: str = ""
    unit: str = ""
    why: str = ""


@dataclass(frozen=True, eq=False)
class TableView:
    """What one table was taken for, with its first rows as they were cut."""

    name: str
    titles: tuple[str, ...]
    first_line: int
    columns: tuple[ColumnView, ...]
    rows: tuple[tuple[str, ...], ...] = ()


@dataclass(eq=False)
class InterpretedGrid:
    """The trials of a grid and everything that was concluded, found or left open."""

    trials: list[ParsedTrial] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
    conclusions: list[Conclusion] = field(default_factory=list)
    tables: list[TableView] = field(default_factory=list)
    decimal: str = "."
    frame_rate: float | None = None
    scale: Stated | None = None
    body_counts: tuple[int, ...] = ()


def interpret(
    grid: Grid, recipe: Recipe | None = None, bulk: BulkTable | None = None
) -> InterpretedGrid:
    """Return what a grid holds. With `bulk`, the one table's values were read already, and the grid
    is its head. Raises UnreadableFileError where a table is beyond the bounds.
    """
    parsed = InterpretedGrid(findings=list(grid.findings))
    records, joined = _rejoined(grid)
    records = upright(records) if bulk is None else records
    delimiter = grid.delimiter or "\t"
    tables = find_tables(records, delimiter, grid.ended)
    decimal = _decimal(grid, tables, joined, recipe, parsed)
    parsed.decimal = decimal.mark
    shared = _titles_shared(tables)
    for table in tables:
        if len(tables) == 1:
            # A title above the only table says less than the file's name
            table = replace(table, name="")
        _interpret_table(shared.get(id(table), table), decimal.mark, grid, recipe, bulk, parsed)
    _conclude(grid, decimal, parsed)
    return parsed


def _titles_shared(tables: Sequence[Table]) -> dict[int, Table]:
    """Blocks without titles of their own take those of the first block, if they are as wide."""
    first = next((t for t in tables if t.headed), None)
    if first is None:
        return {}
    if len(tables) == 1:
        return {}
    return {
        id(t): replace(t, titles=first.titles, units=first.units, headed=True)
        for t in tables
        if not t.headed and t.width == first.width
    }


def _rejoined(grid: Grid) -> tuple[Sequence[Record], bool]:
    """Put cells together that a decimal comma cut apart, where commas also stand between the
    columns.
    """
    records = list(grid.records)
    if grid.delimiter != ",":
        return records, False
    rows = [r for r in records if not r.comment and is_data(r.cells)]
    widths = {len(r.cells) for r in rows}
    if len(rows) < 2 or len(widths) != 1:
        return records, False
    width = widths.pop()
    first = records.index(rows[0])
    titles = next((r for r in reversed(records[:first]) if not r.blank), None)
    if width % 2 or titles is None or 2 * len(titles.cells) != width:
        return records, False
    if not all(c.strip().isdigit() for r in rows for c in r.cells[1::2]):
        return records, False
    halves = {
        id(r): Record(
            r.line, tuple(f"{a},{b}" for a, b in zip(r.cells[::2], r.cells[1::2], strict=True))
        )
        for r in rows
    }
    return [halves.get(id(r), r) for r in records], True


def _decimal(
    grid: Grid,
    tables: Sequence[Table],
    joined: bool,
    recipe: Recipe | None,
    parsed: InterpretedGrid,
) -> Decimal:
    if recipe is not None and recipe.decimal:
        return Decimal(recipe.decimal, True, "the recipe says so")
    cells = []
    for table in tables:
        rows = (
            table.rows
            if len(table.rows) <= _VOTERS
            else table.rows[: _VOTERS // 2] + table.rows[-_VOTERS // 2 :]
        )
        cells += [[row[k] for row in rows] for k in range(table.width)]
    found = (
        Decimal(",", False, "commas stand both between columns and inside numbers")
        if joined
        else decide_decimal(cells)
    )
    if grid.delimiter is None and not found.certain and "could mean" in found.evidence:
        found = Decimal(",", False, found.evidence)
    if found.certain and found.open_point and grid.delimiter == ";" and _fine_units(tables):
        example = found.open_point
        evidence = f"“{example}” could mean {example} or {example.replace('.', '')}"
        found = Decimal(".", False, evidence)
    if not found.certain:
        said = f"The decimal mark is not certain: {found.evidence}."
        parsed.findings.append(Finding(Code.AMBIGUOUS_DECIMAL, said))
        parsed.questions.append(Question(Topic.DECIMAL, said, (",", ".")))
    return found


def _fine_units(tables: Sequence[Table]) -> bool:
    """Whether some column is in so small a unit that three decimals of it were hardly measured."""
    titles = [
        read_title(t, u) for table in tables for t, u in zip(table.titles, table.units, strict=True)
    ]
    return any(t.unit.strip() in ("mm", "µm", "um", PIXEL, "pixel") for t in titles)


def _interpret_table(
    table: Table,
    decimal: str,
    grid: Grid,
    recipe: Recipe | None,
    bulk: BulkTable | None,
    parsed: InterpretedGrid,
) -> None:
    clues = read_preamble(table.above, table.width)
    columns = columns_of(table, decimal, _outside_units(table, clues, grid))
    columns = _by_clues(columns, clues)
    chosen: dict[int, Role] = {}
    if recipe is not None:
        columns, chosen = _by_recipe(columns, recipe)
    layout = lay_out(columns, table.headed, chosen, recipe.bodies if recipe else None)
    parsed.body_counts = parsed.body_counts or layout.body_counts
    if layout.body_counts and (recipe is None or recipe.bodies is None):
        parsed.questions.append(_question_of_bodies(layout.body_counts))
    if not layout.uses:
        return
    if len(layout.uses) > size_limits.CHANNELS:
        why = (
            f"it has {len(layout.uses)} columns of positions, more than a recording has. Cut out "
            "those of the bodies you want."
        )
        raise UnreadableFileError("", Code.TOO_LARGE, why)
    if clues.body and {u.body for u in layout.uses} == {DEFAULT_BODY}:
        layout.uses = [replace(u, body=clues.body) for u in layout.uses]
    pair_uncertainties(columns, layout, chosen)
    if bulk is not None:
        table, layout = bulk.fill(table, layout)
    frame_rate = recipe.frame_rate if recipe and recipe.frame_rate else clues.frame_rate
    scale = recipe.scale if recipe and recipe.scale else clues.scale
    parsed.frame_rate, parsed.scale = frame_rate, scale
    made = assemble(table, columns, layout, Rates(frame_rate, scale.value if scale else None))
    _finish(table, layout, made, parsed)


def _question_of_bodies(counts: tuple[int, ...]) -> Question:
    pairs, other = counts
    said = (
        f"x and y stand {pairs} times without the name of a body: {pairs} bodies, or one body "
        f"recorded {pairs} times?"
        if other == 1
        else f"{other} columns of positions have no names: {pairs} bodies with x and y each, or "
        f"{other} bodies on one line?"
    )
    return Question(Topic.BODIES, said, tuple(map(str, counts)))


def _outside_units(table: Table, clues: Preamble, grid: Grid) -> list[str]:
    units = list(table.units)
    for place, title in enumerate(table.titles):
        if not units[place]:
            units[place] = grid.units.get(title, "") or (
                clues.by_place[place] if clues.by_place else ""
            )
    return units


def _by_clues(columns: list[Column], clues: Preamble) -> list[Column]:
    """Units told in a sentence above the table: "time in milliseconds, positions in cm"."""
    if not clues.by_role and not clues.by_name:
        return columns
    mended = []
    for c in columns:
        role = Role.POSITION if c.title.role is Role.UNKNOWN else c.title.role
        if not c.title.name and Role.TIME in clues.by_role and c is columns[0]:
            role = Role.TIME  # without titles, time comes first
        unit = clues.by_name.get(folded(c.title.name)) or clues.by_role.get(role, "")
        mended.append(
            replace(c, title=read_title(c.title.raw, unit))
            if unit and not c.title.unit and c.numeric
            else c
        )
    return mended


def _by_recipe(columns: list[Column], recipe: Recipe) -> tuple[list[Column], dict[int, Role]]:
    mended, chosen = [], {}
    for c in columns:
        rule = recipe.rule(c.title.raw, c.place)
        if rule is not None:
            chosen[c.place] = Role(rule.role)
            title = replace(
                c.title,
                role=Role(rule.role),
                unit=rule.unit or c.title.unit,
                body=rule.body or c.title.body,
                axis=rule.axis or c.title.axis,
            )
            c = replace(c, title=title)
        if recipe.time_unit and c.title.role is Role.TIME:
            c = replace(c, title=replace(c.title, unit=recipe.time_unit))
        mended.append(c)
    return mended, chosen


def _finish(table: Table, layout: Layout, made: Assembled, parsed: InterpretedGrid) -> None:
    parsed.findings += [*table.findings, *made.findings]
    parsed.questions += made.questions
    for title in layout.twice:
        parsed.findings.append(
            Finding(Code.DUPLICATE_COLUMN, f"“{title}” stands above more than one column.")
        )
    mixed = [u.column for u in layout.uses if u.column.mixed_units] + (
        [layout.time] if layout.time is not None and layout.time.mixed_units else []
    )
    for c in mixed:
        units = ", ".join(c.mixed_units)
        said = f"“{c.label}” has numbers in several units ({units}); all were brought to one."
        parsed.findings.append(Finding(Code.UNIT_MIXED, said))
    for trial in made.trials:
        n = len(trial.time.values)
        if n == 1:
            parsed.findings.append(
                Finding(Code.SINGLE_ROW, "There is only one row; a trial needs at least two.")
            )
        parsed.findings += check_channel(trial)
        for body in trial.bodies:
            if body.time is not None:
                parsed.findings += check_time(body.time.seconds)
    parsed.findings += _order_flaws(layout, made)
    parsed.trials += [replace(t, name=t.name or table.name) for t in made.trials]
    rows = tuple(table.rows[:_SHOWN_ROWS])
    parsed.tables.append(
        TableView(table.name, table.titles, int(table.lines[0]), _views(layout), rows)
    )


def _order_flaws(layout: Layout, made: Assembled) -> list[Finding]:
    """Flaws of the times in the order of the file, where rows are in one sequence; else of the
    sorted times.
    """
    found: list[Finding] = []
    one = (
        len(made.trials) == 1
        and layout.body is None
        and layout.time is not None
        and not layout.clocks
        and (layout.time.moments is None or layout.time.moments.frames is None)
    )
    if one:
        trial = made.trials[0]
        column = layout.time
        assert column is not None
        values = column.values if not column.missing else column.values[np.isfinite(column.values)]
        if len(values) == len(trial.time.values):
            return check_time(values * trial.time.unit.factor)
    for trial in made.trials:
        if layout.time is not None:
            found += check_time(trial.time.seconds)
    return found


def _views(layout: Layout) -> tuple[ColumnView, ...]:
    views = [
        ColumnView(
            u.column.place,
            u.column.title.raw,
            _ROLE_OF_AXIS[u.axis],
            u.body,
            u.axis,
            u.column.title.unit,
        )
        for u in layout.uses
    ]
    views += [
        ColumnView(u.u.place, u.u.title.raw, str(Role.UNCERTAINTY), u.body, u.axis, u.u.title.unit)
        for u in layout.uses
        if u.u is not None
    ]
    for column, role in (
        (layout.time, "time" if layout.time_is is Role.TIME else "frame"),
        (layout.body, "body"),
        (layout.trial, "trial"),
    ):
        if column is not None:
            views.append(ColumnView(column.place, column.title.raw, role, unit=column.title.unit))
    views += [
        ColumnView(c.place, c.title.raw, "time", b, unit=c.title.unit)
        for b, c in layout.clocks.items()
    ]
    views += [
        ColumnView(c.place, c.title.raw, str(_left_role(c)), unit=c.title.unit, why=why)
        for c, why in layout.left_out
    ]
    return tuple(sorted(views, key=lambda v: v.place))


_ROLE_OF_AXIS = {
    "x": "position",
    "y": "position",
    "F": "force",
    "a": "acceleration",
    "v": "velocity",
}


def _left_role(column: Column) -> Role:
    return Role.REMARK if not column.numeric else Role.OTHER


def _conclude(grid: Grid, decimal: Decimal, parsed: InterpretedGrid) -> None:
    said = parsed.conclusions
    if grid.delimiter is not None:
        name = NAMES.get(grid.delimiter, f"“{grid.delimiter}”")
        said.append(
            Conclusion(
                "delimiter", name, "most lines become rows of numbers under it", grid.certainty
            )
        )
    mark = "comma" if decimal.mark == "," else "point"
    said.append(Conclusion("decimal", mark, decimal.evidence, 1.0 if decimal.certain else 0.5))
    for table in parsed.tables:
        for view in table.columns:
            if view.why:
                continue
            unit = view.unit or "no unit"
            evidence = f"its title “{view.title}”" if view.title else "its place and its values"
            sure = 0.95 if view.unit and kind_of(view.unit) and view.unit != PIXEL else 0.6
            said.append(
                Conclusion(
                    "column", f"{view.role} {view.body} {view.axis} in {unit}", evidence, sure
                )
            )
