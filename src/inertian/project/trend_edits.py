"""Edits of the table of results and of the trend."""

import re
from collections.abc import Sequence
from dataclasses import replace

from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.project.trend_requests import (
    LONGEST_NAME,
    MOST_COLUMNS,
    Column,
    TrendRequest,
    Trends,
)
from inertian.project.variables import checked_name, parse_variable, with_variable
from inertian.quantities.errors import Refusal
from inertian.quantities.expressions import parse_formula


def with_trends(project: Project, trends: Trends, name: str) -> Edit:
    """Return a project with table and trend as they are chosen now."""
    return Edit(name if trends != project.trends else "", replace(project, trends=trends))


def columns_chosen(project: Project, columns: Sequence[Column]) -> Edit:
    """Choose the columns that are shown, in this order. Raises Refusal for too many."""
    if len(columns) > MOST_COLUMNS:
        raise Refusal(f"A table has {MOST_COLUMNS} columns at most.")
    return with_trends(project, replace(project.trends, columns=tuple(columns)), "Choose columns")


def column_changed(project: Project, shown: Sequence[Column], old: str, new: Column) -> Edit:
    """Exchange one of the columns that are shown: its title, its unit, its formula."""
    columns = tuple(new if c.name == old else c for c in shown)
    trends = replace(project.trends, columns=columns)
    return with_trends(project, trends, f"Change {new.title or new.name}")


def column_added(project: Project, name: str, formula: str, shown: Sequence[Column] = ()) -> Edit:
    """Add a column by formula. Raises Refusal for a name that is taken, and FormulaError where the
    formula is none.
    """
    name = checked_name(name)
    if len(name) > LONGEST_NAME:
        raise Refusal("That name is too long for a column.")
    before = shown or project.trends.columns
    if any(c.name == name and not c.formula for c in before):
        raise Refusal(f"There is a column “{name}” already: choose another name.")
    if not formula.strip():
        parse_formula(formula)
    column = Column(name, formula=formula)
    kept = tuple(c for c in before if c.name != name)
    trends = replace(project.trends, columns=(*kept, column))
    return with_trends(project, trends, f"Add {name}")


def trend_chosen(project: Project, request: TrendRequest, name: str) -> Edit:
    """Choose what the figure shows, and how."""
    return with_trends(project, replace(project.trends, request=request), name)


def with_variable_of_all(project: Project, text: str) -> Project:
    """Return a project with a variable of all its trials, as it is typed: "height = 0.5 m, 1 m".
    Raises Refusal where there are not as many values as trials.
    """
    name, mark, values = text.partition("=")
    written = [v for v in re.split(r"\s*;\s*|\s*,\s+|,(?=\D)", values.strip()) if v.strip()]
    if not mark or not written:
        raise Refusal(f"“{text[:60]}” is no variable. Write a name and values: height = 1 m, 2 m.")
    if len(written) == 1 and values.count(",") == len(project.entries) - 1 > 0:
        written = values.split(",")  # no space after the commas
    if len(written) == 1:
        written *= len(project.entries)
    if len(written) != len(project.entries):
        raise Refusal(
            f"{checked_name(name)}: {len(written)} values for {len(project.entries)} trials. Write "
            "one for each, or one for all."
        )
    for entry, value in zip(project.entries, written, strict=True):
        new = with_variable(entry, checked_name(name), parse_variable(value))
        project = project.with_entry(new)
    return project
