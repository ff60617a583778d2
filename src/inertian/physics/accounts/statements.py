"""Statements: what an account is drawn up of, and the law that makes all its amounts of the inputs.

unaccounted = closing − opening − entries, through each period and from the first date to the last;
negative is lost, positive gained.
"""

from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from inertian.physics.accounts.account_inputs import InputKey, Values
from inertian.physics.accounts.entries import EntryRule
from inertian.physics.accounts.forms import Form
from inertian.physics.accounts.verdicts import Expectation

MOST_DATES = 24  # of an account: more are not read by anyone
WHOLE = -1  # in place of a period: from the first date to the last
EXPECTED = "expected"  # a result: what should be there at the last date, opening and entries


@dataclass(frozen=True)
class Date:
    """A moment that an account has amounts at: its name, when it is in s, and which side of it is
    looked at.

    `side` is −1 for what was until then, +1 for what is from then on, 0 where it does not matter.
    """

    name: str
    t: float
    side: int = 0


class AmountOf(NamedTuple):
    """A result: what one body has at a date in one form; all bodies, all forms where they are
    "".
    """

    date: int
    body: str = ""
    form: str = ""


class EntryOf(NamedTuple):
    """A result: what came from outside in a period, by name; in all periods where it is WHOLE."""

    period: int
    name: str


class Unaccounted(NamedTuple):
    """A result: what is left in a period; from first to last where it is WHOLE."""

    period: int


@dataclass(frozen=True)
class Statement:
    """What an account is drawn up of: dates, the forms of each body at them, the entries of each
    period, and what is expected of each period.
    """

    law: str
    unit: str
    dates: tuple[Date, ...]
    forms: tuple[Form, ...]
    entries: tuple[tuple[EntryRule, ...], ...]
    expectation: Expectation
    of_periods: tuple[Expectation, ...] = ()
    off: tuple[str, ...] = ()  # names of entries that were switched off

    def without(self, names: Collection[str]) -> "Statement":
        """Return this statement with entries of some names switched off."""
        own = dict.fromkeys(e.name for entries in self.entries for e in entries)
        off = tuple(name for name in own if name in names)
        kept = tuple(tuple(e for e in es if e.name not in off) for es in self.entries)
        return replace(self, entries=kept, off=off)

    @property
    def bodies(self) -> tuple[str, ...]:
        """The bodies in order."""
        return tuple(dict.fromkeys(form.body for form in self.forms))

    @property
    def periods(self) -> range:
        """The places of all periods."""
        return range(len(self.dates) - 1)

    def expected_in(self, period: int) -> Expectation:
        """Return what is expected of a period, or from first to last."""
        return self.of_periods[period] if self.of_periods and period != WHOLE else self.expectation

    def needs(self) -> tuple[InputKey, ...]:
        """Return all inputs that are needed, each once."""
        dates, periods = range(len(self.dates)), self.periods
        at_dates = (k for date in dates for form in self.forms for k in form.needs(date))
        through = (k for one in periods for entry in self.entries[one] for k in entry.needs(one))
        return tuple(dict.fromkeys((*at_dates, *through)))

    def amounts(self, q: Values) -> dict[Any, Any]:
        """Return all amounts of inputs, in the unit of the account: by body and form at each date,
        entries and what is unaccounted in each period, and from first to last.
        """
        found: dict[Any, Any] = {}
        for date in range(len(self.dates)):
            for form in self.forms:
                one = form.amount(q, date)
                # A body with one form has that once
                for key in dict.fromkeys(
                    (
                        AmountOf(date, form.body, form.name),
                        AmountOf(date, form.body),
                        AmountOf(date, "", form.name),
                        AmountOf(date),
                    )
                ):
                    found[key] = found.get(key, 0.0) + one
        everything: Any = found[AmountOf(len(self.dates) - 1)] - found[AmountOf(0)]
        for period in self.periods:
            left = found[AmountOf(period + 1)] - found[AmountOf(period)]
            for entry in self.entries[period]:
                one = entry.amount(q, period)
                for place in (period, WHOLE):
                    named = EntryOf(place, entry.name)
                    found[named] = found.get(named, 0.0) + one
                left, everything = left - one, everything - one
            found[Unaccounted(period)] = left
        found[Unaccounted(WHOLE)] = everything
        found[EXPECTED] = found[AmountOf(len(self.dates) - 1)] - everything
        return found


def keys_of(statements: Iterable[Statement]) -> tuple[InputKey, ...]:
    """Return the inputs that some statements need, each once."""
    return tuple(dict.fromkeys(key for one in statements for key in one.needs()))
