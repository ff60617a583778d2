"""Writing positions against time as delimited text."""

from collections.abc import Sequence

import numpy as np

from inertian.quantities.estimates import Array

_STARTS_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def escape_cell(cell: str) -> str:
    """Return the text of a cell so that no spreadsheet takes it for a formula and runs it."""
    return f"'{cell}" if cell.lstrip(" ").startswith(_STARTS_FORMULA) else cell


def tab_separated(
    preamble: Sequence[str],
    titles: Sequence[str],
    columns: Sequence[Array],
    decimals: Sequence[int],
) -> bytes:
    """Return a tab-separated table in UTF-8: preamble lines behind "# ", one line of titles, then
    the rows.

    NaN becomes an empty cell; each column keeps its number of decimals.
    """
    lines = [*(f"# {line}" for line in preamble), "\t".join(map(escape_cell, titles))]
    lines += [
        "\t".join("" if np.isnan(v) else f"{v:.{d}f}" for v, d in zip(row, decimals, strict=True))
        for row in zip(*columns, strict=True)
    ]
    return ("\n".join(lines) + "\n").encode()
