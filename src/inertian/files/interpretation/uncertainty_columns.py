"""Columns that state the uncertainty of another column's readings: "u_x", "σ(y)", "x error (mm)",
"±".
"""

import re
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from inertian.files.cells.column_titles import FILLERS, Role, folded, tokens_of
from inertian.files.interpretation.column_roles import Layout, Use
from inertian.files.interpretation.columns import Column
from inertian.quantities.estimates import Array
from inertian.quantities.units import kind_of, unit_of

SYMBOL = re.compile(
    r"^(?:u|σ|δ|sigma|sd|err|unc|±)(?:[ _.]\s*|(?=[(xyfav]))\(?\s*(?P<of>[\w. ]+?)\s*\)?$",
    re.IGNORECASE,
)
WORDS = (
    "uncertainty uncertainties uncert unc unsicherheit messunsicherheit incertitude "
    "incertidumbre incertezza incerteza "
    "onzekerheid niepewność usikkerhed osäkerhet epävarmuus nejistota error errors err fehler "
    "messfehler erreur sigma "
    "σ sd std stdev stddev ± u"
)
SAYS_UNCERTAINTY = frozenset(folded(word) for word in WORDS.split())
MOST_OF_READINGS = 0.5  # of the readings that must have an uncertainty above zero


def pair_uncertainties(columns: Sequence[Column], layout: Layout, chosen: dict[int, Role]) -> None:
    """Give channels the columns that state their uncertainty, by name or by standing right behind
    them.
    """
    for c in columns:
        wanted = chosen.get(c.place) is Role.UNCERTAINTY
        if (
            c in (layout.time, layout.body, layout.trial)
            or not c.numeric
            or (c.place in chosen and not wanted)
            or not (wanted or _says_uncertainty(c))
        ):
            continue
        others = [u for u in layout.uses if u.column is not c]
        of = _of_which(c, others, wanted, len(others) == len(layout.uses))
        if of is not None and of.u is None and _usable(c, of):
            layout.uses = [replace(u, u=c) if u is of else u for u in others]
            layout.left_out = [(left, why) for left, why in layout.left_out if left is not c]


def _says_uncertainty(column: Column) -> bool:
    """Whether a title may be that of an uncertainty at all: most are not, and need no comparing."""
    bare = folded(column.title.name)
    return (
        SYMBOL.match(bare) is not None
        or bare in ("±", "+/-")
        or bool({folded(t) for t in tokens_of(column.title.name)} & SAYS_UNCERTAINTY)
    )


def _of_which(column: Column, uses: Sequence[Use], wanted: bool, idle: bool) -> Use | None:
    """The channel a column states the uncertainty of, if it says that it does.

    One that could be a position itself has to name the other in full: “U x” beside “V x” are two
    bodies.
    """
    if wanted and column.title.body and column.title.axis:
        return next(
            (u for u in uses if (u.body, u.axis) == (column.title.body, column.title.axis)), None
        )
    said = [folded(t) for t in tokens_of(column.title.name)]
    bare = folded(column.title.name)
    symbol = SYMBOL.match(bare)
    if symbol is not None:
        rest = [folded(t) for t in tokens_of(symbol["of"])]
    elif set(said) & SAYS_UNCERTAINTY:
        rest = [w for w in said if w not in SAYS_UNCERTAINTY and w not in FILLERS]
    elif wanted or bare in ("±", "+/-"):
        rest = []
    else:
        return None
    if not rest:
        return next((u for u in uses if u.column.place == column.place - 1), None)
    named = [
        u
        for u in uses
        if [w for w in map(folded, tokens_of(u.column.title.name)) if w not in FILLERS] == rest
    ]
    if not named and len(rest) == 1 and (idle or wanted):
        named = [u for u in uses if rest[0] in (u.axis.casefold(), folded(u.body))]
    return named[0] if len(named) == 1 else None


def _usable(column: Column, of: Use) -> bool:
    """Whether the values can be standard uncertainties of the channel: above zero for most
    readings, unit alike.
    """
    seen = np.isfinite(of.column.values)
    given = column.title.unit
    alike = not given or kind_of(given) == kind_of(of.column.title.unit or given)
    return bool(alike and seen.any() and np.mean(column.values[seen] > 0.0) >= MOST_OF_READINGS)


def in_unit_of(use: Use) -> Array | None:
    """Return the uncertainties a channel's column states, in the unit of its readings; NaN where it
    states none.
    """
    if use.u is None:
        return None
    own, theirs = use.u.title.unit, use.column.title.unit
    factor = 1.0
    if own and theirs and own != theirs:
        kind = kind_of(own) or ""
        factor = unit_of(kind, own).factor / unit_of(kind, theirs).factor
    return np.where(use.u.values > 0.0, use.u.values * factor, np.nan)
