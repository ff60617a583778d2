"""Variables, columns and trends, to their saved form and back."""

from dataclasses import asdict

from inertian.project.schema import (
    SavedAmount,
    SavedColumn,
    SavedTrend,
    SavedTrends,
    SavedVariable,
)
from inertian.project.trend_requests import Column, TrendRequest, Trends
from inertian.project.variables import NUMBER, own_unit
from inertian.quantities.errors import UnitError
from inertian.quantities.facts import Fact
from inertian.quantities.units import unit_of


def saved_variable(name: str, typed: Fact | str) -> SavedVariable:
    """Return the saved form of what was set by hand."""
    if isinstance(typed, str):
        return SavedVariable(name=name, text=typed)
    amount = SavedAmount(
        kind=typed.unit.kind,
        value=typed.typed,
        plus_minus=typed.plus_minus,
        meaning=typed.meaning,
        unit=typed.unit.symbol,
    )
    return SavedVariable(name=name, amount=amount)


def variable_of(saved: SavedVariable) -> tuple[str, Fact | str]:
    """Return what was set by hand, with its name. Raises UnitError or FactError."""
    one = saved.amount
    if one is None:
        return saved.name, saved.text
    try:
        unit = unit_of(one.kind, one.unit)
    except UnitError:
        if one.kind != NUMBER:
            raise
        unit = own_unit(one.unit)
    return saved.name, Fact(one.value, one.plus_minus, one.meaning, unit)


def saved_trends(trends: Trends) -> SavedTrends:
    """Return the saved form of table and trend."""
    request = asdict(trends.request)
    request["series"] = list(trends.request.series)
    return SavedTrends(
        columns=[SavedColumn(**asdict(column)) for column in trends.columns],
        sorted_by=trends.sorted_by,
        descending=trends.descending,
        contains=trends.contains,
        request=SavedTrend(**request),
    )


def trends_of(saved: SavedTrends) -> Trends:
    """Return table and trend as they were chosen."""
    request = saved.request.model_dump()
    request["series"] = tuple(saved.request.series)
    columns = tuple(Column(c.name, c.title, c.unit, c.formula) for c in saved.columns)
    return Trends(
        columns, saved.sorted_by, saved.descending, saved.contains, TrendRequest(**request)
    )
