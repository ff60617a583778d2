"""What was chosen about the accounts of a trial, and which ones are drawn up then."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from inertian.physics.accounts.statements import Statement
from inertian.physics.accounts.typed_entries import TypedEntry, with_typed
from inertian.physics.accounts.verdicts import Expectation
from inertian.quantities.facts import Fact


def chosen(
    statements: Sequence[Statement], laws: Sequence[str], usual: Collection[str]
) -> list[Statement]:
    """Return the statements of some laws in their order; the usual ones where none is asked for, or
    none of those that are can be had.
    """
    by_law = {one.law: one for one in statements}
    wanted = [by_law[law] for law in laws if law in by_law]
    return wanted or [one for one in statements if one.law in usual]


@dataclass(frozen=True)
class Choices:
    """What was chosen about the accounts of a trial: expectations by law, where they are not the
    usual ones; `off`, names of entries that do not count; `laws` that are asked for; `turned`, that
    a gauge counts the other way (None: the motion tells); `typed`, entries by hand; `accepted`,
    values that results are compared with, by name.
    """

    expectations: Mapping[str, Expectation] = field(default_factory=dict)
    off: Collection[str] = ()
    laws: Sequence[str] = ()
    turned: bool | None = None
    typed: Sequence[TypedEntry] = ()
    accepted: Mapping[str, Fact] = field(default_factory=dict)

    @property
    def key(self) -> tuple[object, ...]:
        """What equals that of other choices only if all of them are the same."""
        by_name = (tuple(self.expectations.items()), tuple(self.accepted.items()))
        return (*by_name, tuple(self.off), tuple(self.laws), self.turned, tuple(self.typed))

    def drawn(self, possible: Sequence[Statement], usual: Collection[str]) -> list[Statement]:
        """Return the statements to draw up of all that are possible."""
        wanted = chosen(possible, self.laws, usual)
        return [with_typed(one, self.typed).without(self.off) for one in wanted]
