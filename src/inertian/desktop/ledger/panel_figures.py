"""The panels of the ledger as figures that are ready to show: budgets, and energy in time."""

import numpy as np

from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_number, without_markup
from inertian.physics.accounts.ledger import Ledger
from inertian.quantities.estimates import Array
from inertian.report.figures.description import (
    INK,
    BandMark,
    BarMarks,
    CurveMark,
    FigureDescription,
    Mark,
    Panel,
    capital,
)
from inertian.report.figures.drawing import hatch_of

BAR_MM, BESIDE_MM = 7.0, 38.0  # of a bar, and of what stands around the bars
LEAST_SHARE = 1e-3  # of a variance, below which a source has no bar
SMALL_SHARE = 0.01
DASHES = ("", "dotted", "dashed")


def budget_figure(trial: str, ledger: Ledger) -> FigureDescription:
    """Return where the ± of an account comes from: a bar for each source, in the account's unit."""
    total = sum(max(v, 0.0) for v in ledger.budget.values())
    parts = sorted(
        ((source.name, float(np.sqrt(v))) for source, v in ledger.budget.items() if v > 0.0),
        key=lambda one: -one[1],
    )
    parts = [one for one in parts if one[1] ** 2 > LEAST_SHARE * total]
    texts = tuple(
        f"{without_markup(format_number(u, 2))} {ledger.unit} ({_percent(u * u / total)})"
        for _, u in parts
    )
    marks = BarMarks(tuple(n for n, _ in parts), tuple(u for _, u in parts), texts)
    law = words.LAW_TITLES[ledger.law]
    whole = f"{without_markup(format_number(total**0.5, 2))} {ledger.unit}"
    return FigureDescription(
        f"{words.BUDGET_TITLE.format(law=law.lower())}, {trial}",
        (Panel((marks,), ""),),
        words.FIGURE_BUDGET_AXIS.format(unit=ledger.unit),
        words.FIGURE_BUDGET.format(u=whole),
        height=BESIDE_MM + BAR_MM * max(len(parts), 1),
        name=f"budget of {ledger.law} {trial}",
    )


def _percent(share: float) -> str:
    return words.FIGURE_SMALL if share < SMALL_SHARE else f"{100 * share:.0f} %"


def energy_figure(
    trial: str, ledger: Ledger, t: Array, amounts: dict[str, Array], stacked: bool
) -> FigureDescription:
    """Return energies in time as areas on top of one another, or as lines where one is negative;
    times in s, amounts by form, (n,).
    """
    rows = np.flatnonzero(np.all([np.isfinite(one) for one in amounts.values()], axis=0))
    times, below, marks = t[rows], np.zeros(len(rows)), list[Mark]()
    for place, (name, one) in enumerate(amounts.items()):
        own = one[rows]
        if stacked:
            marks.append(BandMark(times, below, below + own, INK, hatch_of(place + 1), name))
            marks.append(CurveMark(times, below + own, INK))
        else:
            marks.append(CurveMark(times, own, INK, DASHES[place % len(DASHES)], name))
        below = below + own
    start = np.full(len(rows), ledger.opening.value)
    marks.append(CurveMark(times, start, INK, "dashed", words.FIGURE_OPENING))
    law = words.LAW_TITLES[ledger.law]
    return FigureDescription(
        f"{law}, {trial}",
        (_panel(tuple(marks), f"{law} ({ledger.unit})", stacked, below),),
        capital(words.TIME_AXIS),
        words.FIGURE_ENERGY,
        name=f"{ledger.law} {trial}",
    )


def _panel(marks: tuple[Mark, ...], title: str, stacked: bool, total: Array) -> Panel:
    """Areas stand on zero."""
    high = 1.08 * max(float(np.nanmax(total, initial=0.0)), *_highest(marks))
    return Panel(marks, title, zero=not stacked, y_range=(0.0, high) if stacked else None)


def _highest(marks: tuple[Mark, ...]) -> list[float]:
    return [float(np.nanmax(m.y)) for m in marks if isinstance(m, CurveMark)]
