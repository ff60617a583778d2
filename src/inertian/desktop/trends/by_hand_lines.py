"""What a class does by hand, in words, each with its formula."""

from inertian.analysis.trends.by_hand import (
    mean_of_ratios,
    slope_of_two_points,
    steepest_and_flattest,
)
from inertian.analysis.trends.trend_result import TrendResult
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_estimate, format_number, unbroken
from inertian.report.trend import parameter_unit


def lines_by_hand(made: TrendResult) -> list[str]:
    """Return the slopes that a class would have of these points, a line for each way."""
    unit, lines = parameter_unit("slope", made.units), []

    def written(value: float, plus_minus: float | None = None) -> str:
        if plus_minus is None:
            return unbroken(f"{format_number(value, 4)} {unit}".strip())
        return unbroken(format_estimate(value, plus_minus, unit))

    if made.request.hand is not None:
        two = slope_of_two_points(*made.request.hand)
        if two is not None:
            lines.append(words.HAND_TWO.format(value=written(two.value)))
    steep = steepest_and_flattest(made.points)
    if steep is None:
        lines.append(words.HAND_NO_LINE)
    else:
        flat, most = (written(slope) for slope, _ in steep.ends)
        value = written(steep.value, steep.plus_minus)
        lines.append(words.HAND_STEEP.format(steep=most, flat=flat, value=value))
    ratios = mean_of_ratios(made.points)
    if ratios is not None:
        value = written(ratios.value, ratios.plus_minus)
        lines.append(words.HAND_RATIOS.format(value=value))
    return lines
