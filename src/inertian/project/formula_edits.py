"""Edits of the derived quantities."""

from dataclasses import replace

from inertian.physics.definitions.derived_quantities import (
    DerivedQuantity,
    DerivedQuantityError,
    check_quantities,
    depends_on,
    with_quantity,
)
from inertian.project.history import Edit
from inertian.project.project import Project


def quantity_set(project: Project, new: DerivedQuantity, old: str = "") -> Edit:
    """Add a quantity, or put it in place of the one of symbol `old`. Raises DerivedQuantityError or
    FormulaError.
    """
    own = with_quantity(project.derived, new, old)
    return Edit(f"Change {old}" if old else f"Add {new.symbol}", replace(project, derived=own))


def quantity_removed(project: Project, symbol: str) -> Edit:
    """Take a quantity out. Raises DerivedQuantityError where another one is made of it."""
    left = tuple(q for q in project.derived if q.symbol != symbol)
    for one in left:
        if symbol in depends_on(one):
            raise DerivedQuantityError(
                symbol, f"{one.symbol} is made of it. Change or remove {one.symbol} first."
            )
    check_quantities(left)
    return Edit(f"Remove {symbol}", replace(project, derived=left))
