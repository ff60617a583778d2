"""What a person asks of all trials together: columns of the table of results, and a trend."""

from dataclasses import dataclass

MOST_COLUMNS = 200
LONGEST_NAME = 160  # characters


@dataclass(frozen=True)
class Column:
    """A column of the table of results: what it shows by name, or a formula over other columns; the
    title and the unit it is shown in, where these are chosen.
    """

    name: str
    title: str = ""
    unit: str = ""
    formula: str = ""


@dataclass(frozen=True)
class TrendRequest:
    """One column against another: the line, what is expected, and which trials.

    `line` is one of the lines that can be fitted, with `formula` where it is a typed one;
    `expected` a formula in x and facts. No `series` are all of them. `hand` are two points on a
    line drawn by hand, in SI. `spread` asks for a variance between trials.
    """

    x: str = ""
    y: str = ""
    line: str = "straight"
    formula: str = ""
    expected: str = ""
    series: tuple[str, ...] = ()
    marks: str = ""  # the column that tells points apart
    spread: bool = False
    hand: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class Trends:
    """The table of results and the trend as they were chosen; else the program finds them."""

    columns: tuple[Column, ...] = ()
    sorted_by: str = ""
    descending: bool = False
    contains: str = ""  # what rows have to hold to be shown
    request: TrendRequest = TrendRequest()
