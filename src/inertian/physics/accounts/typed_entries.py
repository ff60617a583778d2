"""Entries of accounts that are typed by hand, with a name and a reason: an estimate of what nothing
recorded.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from inertian.physics.accounts.account_inputs import FactOf, InputKey, Values
from inertian.physics.accounts.statements import Statement
from inertian.quantities.facts import Fact, FactId

BY_HAND = "typed entry"
KIND_OF_UNIT = {"kg·m/s": "impulse", "J": "energy", "kg·m²/s": "angular momentum"}


@dataclass(frozen=True)
class TypedEntry:
    """What somebody says came from outside in the account of one law: its name, an amount, the
    reason for it, and a time in s inside the period in which it came.
    """

    name: str
    law: str
    at: float
    amount: Fact
    reason: str = ""


@dataclass(frozen=True)
class TypedRule:
    """A typed entry as a rule of an account."""

    name: str
    source: str

    def needs(self, period: int) -> tuple[InputKey, ...]:
        """See `EntryRule`."""
        return (FactOf(BY_HAND, self.name),)

    def amount(self, q: Values, period: int) -> Any:
        """See `EntryRule`; in the unit of the account."""
        return q[FactOf(BY_HAND, self.name)]


def with_typed(statement: Statement, typed: Sequence[TypedEntry]) -> Statement:
    """Return a statement with the typed entries of its law in the periods that they came in; those
    that lie in none of them do not count.
    """
    entries = list(statement.entries)
    for one in typed:
        for period in statement.periods:
            start, stop = statement.dates[period].t, statement.dates[period + 1].t
            fits = one.amount.unit.kind == KIND_OF_UNIT.get(statement.unit)
            if one.law == statement.law and fits and start <= one.at <= stop:
                said = f"typed by hand: {one.reason}" if one.reason else "typed by hand"
                entries[period] = (*entries[period], TypedRule(one.name, said))
                break
    return replace(statement, entries=tuple(entries))


def facts_of_entries(
    typed: Sequence[TypedEntry], trial: str
) -> Mapping[tuple[str, str], tuple[FactId, Fact]]:
    """Return the amounts of typed entries as facts of a trial, by symbol and name."""
    return {
        (BY_HAND, one.name): (FactId(f"{one.name}, by hand", f"trial {trial}"), one.amount)
        for one in typed
    }
