"""Commands about all trials together: the table of results, and a trend."""

import json
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inertian.cli.opened_trials import (
    FactOption,
    JsonOption,
    ProjectOrRecordings,
    RecipeOption,
    SaveOption,
    TogetherOption,
    opened,
)
from inertian.cli.refusals import refuse

if TYPE_CHECKING:
    from inertian.analysis.results.results_table import ResultsTable

VariableOption = Annotated[
    list[str] | None,
    typer.Option(help='"height = 0.5 m, 1.0 m, 1.5 m", a value for each trial; may be repeated'),
]
ColumnOption = Annotated[
    list[str] | None,
    typer.Option(help='A column by formula: "ratio = restitution / efficiency"; may be repeated'),
]


def _table(
    files: list[Path],
    recipe: Path | None,
    fact: list[str],
    variable: list[str],
    formula: list[str],
    together: bool,
    save: Path | None,
) -> tuple["ResultsTable", list[str]]:
    """The table of results of what a command was given, and why files were refused. Raises
    InertianError.
    """
    from inertian.analysis.evaluation import Evaluator
    from inertian.analysis.results.results_table import results_table
    from inertian.project.trend_edits import column_added, with_variable_of_all

    project, refusals = opened(files, recipe, fact, together)
    for text in variable:
        project = with_variable_of_all(project, text)
    for text in formula:
        project = column_added(project, *_named(text)).project
    if save is not None:
        from inertian.project.saving import save as save_project

        save_project(project, save)
    table = results_table(project, Evaluator())
    assert table is not None
    refusals += [f"{r.entry.trial.name}: {r.refused['']}" for r in table.rows if "" in r.refused]
    return table, refusals


def _named(text: str) -> tuple[str, str]:
    from inertian.quantities.errors import Refusal

    name, mark, formula = text.partition("=")
    if not mark or not name.strip():
        raise Refusal(f"“{text[:60]}” is no column. Write a name and a formula: ratio = a / b.")
    return name.strip(), formula.strip()


def results(
    files: ProjectOrRecordings,
    columns: Annotated[
        str, typer.Option(help="Names of columns, with commas between; else all")
    ] = "",
    out: Annotated[Path | None, typer.Option(help="Write the table, NAME.csv or NAME.xlsx")] = None,
    recipe: RecipeOption = None,
    fact: FactOption = None,
    variable: VariableOption = None,
    formula: ColumnOption = None,
    together: TogetherOption = False,
    save: SaveOption = None,
    as_json: JsonOption = False,
) -> None:
    """Print the table of results: a row for each trial, a column for each result."""
    from inertian.project.trend_requests import Column
    from inertian.quantities.errors import InertianError
    from inertian.report.results import (
        columns_named,
        results_json,
        results_text,
        write_results,
    )
    from inertian.report.written_tables import check_ending

    try:
        if out is not None:
            check_ending(out)
        table, refusals = _table(
            files, recipe, fact or [], variable or [], formula or [], together, save
        )
        chosen = columns_named(table, _split(table, columns))
        chosen = chosen or tuple(Column(name) for name in table.offered)
        if out is not None:
            write_results(table, chosen, out)
    except InertianError as error:
        refuse([str(error)])
        return
    except OSError as error:
        refuse([f"{out}: the table cannot be written here ({error.strerror or error})."])
        return
    if as_json:
        print(json.dumps(results_json(table, chosen), ensure_ascii=False, allow_nan=False))
    elif out is None:
        print(results_text(table, chosen))
    refuse(refusals)


def _split(table: "ResultsTable", text: str) -> list[str]:
    """Names with commas between; a name may hold a comma itself."""
    parts, found = [part.strip() for part in text.split(",") if part.strip()], []
    while parts:
        for many in range(len(parts), 0, -1):
            name = ", ".join(parts[:many])
            if many == 1 or name in table.offered:
                found.append(name)
                parts = parts[many:]
                break
    return found


def trend(
    files: ProjectOrRecordings,
    x: Annotated[str, typer.Option("--x", help="The column across")] = "",
    y: Annotated[str, typer.Option("--y", help="The column up")] = "",
    line: Annotated[
        str, typer.Option(help="straight, origin, constant, power or exponential")
    ] = "straight",
    own_line: Annotated[
        str, typer.Option("--line-formula", help='A line of your own, "a + b x^2"')
    ] = "",
    expect: Annotated[
        str, typer.Option(help='What theory gives, in x and facts: "m_1 (1+e)/(m_1+m_2) x"')
    ] = "",
    series: Annotated[list[str] | None, typer.Option(help="Only these series")] = None,
    between: Annotated[
        bool,
        typer.Option(
            "--between-trials", help="Add a variance between trials (restricted maximum likelihood)"
        ),
    ] = False,
    out: Annotated[
        Path | None, typer.Option(help="Write the figure, NAME.png, NAME.svg or NAME.pdf")
    ] = None,
    recipe: RecipeOption = None,
    fact: FactOption = None,
    variable: VariableOption = None,
    formula: ColumnOption = None,
    together: TogetherOption = False,
    save: SaveOption = None,
    as_json: JsonOption = False,
) -> None:
    """Fit a line through one result against another over all trials, and hold it against theory."""
    from inertian.analysis.trends.trend_lines import TrendLine
    from inertian.analysis.trends.trend_result import trend_result, usual_request
    from inertian.project.trend_requests import TrendRequest
    from inertian.quantities.errors import InertianError
    from inertian.report.figures.writing import check_figure_ending, write_figure
    from inertian.report.trend import lines_of_names, trend_json, trend_text
    from inertian.report.trend_figure import trend_figure

    wanted = str(TrendLine.FORMULA) if own_line else line
    if not own_line and line not in lines_of_names():
        refuse([f"--line {line}: choose one of {', '.join(lines_of_names())}."])
    try:
        if out is not None:
            check_figure_ending(out)
        table, refusals = _table(
            files, recipe, fact or [], variable or [], formula or [], together, save
        )
        request = TrendRequest(x, y, wanted, own_line, expect, tuple(series or ()), spread=between)
        if not (x and y):
            found = usual_request(table, request)
            request = replace(found, line=wanted if x or y else found.line)
        made = trend_result(table, request)
        if out is not None:
            write_figure(trend_figure(made), out)
    except InertianError as error:
        refuse([str(error)])
        return
    except OSError as error:
        refuse([f"{out}: the figure cannot be written here ({error.strerror or error})."])
        return
    if as_json:
        print(json.dumps(trend_json(made), ensure_ascii=False, allow_nan=False))
    else:
        print("\n".join(trend_text(made)))
    refuse(
        [
            *refusals,
            *([made.refused] if made.refused else []),
            *([made.unexpected] if made.unexpected else []),
        ]
    )
