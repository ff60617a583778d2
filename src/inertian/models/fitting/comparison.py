"""Models beside one another: which the samples speak for, and by how much.

Of models for the same samples with the same noise, Akaike's weights tell (Burnham & Anderson,
*Model Selection and Multimodel Inference*, 2nd ed., 2002, 2.9); of nested ones, where one is the
other with something fixed, the ratio of likelihoods (Wilks, Ann. Math. Stat. 9 (1938) 60-62).
"""

from collections.abc import Sequence
from dataclasses import dataclass

from inertian.models.definitions.model import Model
from inertian.models.fitting.fit import ModelFit
from inertian.quantities.rounding import chance_words

CLEAR, CERTAIN = 0.05, 0.001  # chances by which a nested model is given up
BETTER = 2.0  # of AICc, from which it says anything


@dataclass(frozen=True)
class NestedComparison:
    """Whether the larger of two nested models is needed: χ² gained, parameters spent, and how often
    that would be by chance.
    """

    smaller: str
    larger: str
    gained: float
    spent: int
    p: float

    @property
    def words(self) -> str:
        """What it means."""
        if self.p < CERTAIN:
            said = f"{self.larger} is needed: {self.smaller} misses clearly more"
        elif self.p < CLEAR:
            said = f"{self.larger} seems to be needed"
        else:
            said = f"{self.smaller} is enough: what {self.larger} adds is not seen"
        chance = (
            f"χ² {self.gained:.1f} less for {self.spent} more, by chance {chance_words(self.p)}"
        )
        return f"{said} ({chance})"


def nested(one: tuple[Model, ModelFit], other: tuple[Model, ModelFit]) -> NestedComparison | None:
    """Compare two fits of the same samples if one model holds all forces of the other; None if
    neither does, or the samples differ.
    """
    from scipy.special import chdtrc

    small, large = sorted((one, other), key=lambda m: m[1].parameters)
    spent = large[1].parameters - small[1].parameters
    if spent < 1 or not _holds(large[0], small[0]) or not _same_samples(small[1], large[1]):
        return None
    wide = max(large[1].wider, 1.0) ** 2
    gained = max(small[1].chi_squared - large[1].chi_squared, 0.0) / wide
    return NestedComparison(
        small[0].name, large[0].name, gained, spent, float(chdtrc(spent, gained))
    )


def _holds(large: Model, small: Model) -> bool:
    """Whether all forces of one model are in another, there perhaps with more that is free."""
    from inertian.models.definitions.force_kinds import NONE

    left = [f for f in large.acting if f.kind != NONE]
    for force in (f for f in small.acting if f.kind != NONE):
        alike = next(
            (
                f for f in left
                if (f.kind, f.bodies, f.formula, f.axis)
                == (force.kind, force.bodies, force.formula, force.axis)
            ),
            None,
        )  # fmt: skip
        if alike is None:
            return False
        left.remove(alike)
    return True


def _same_samples(one: ModelFit, other: ModelFit) -> bool:
    def samples(fit: ModelFit) -> list[tuple[object, int, float, float]]:
        return [
            (s.key, len(s.x), float(s.t[0]), float(s.t[-1]))
            for t in fit.trials
            for s in t.made.samples
        ]

    return samples(one) == samples(other)


def preferred(fits: Sequence[tuple[str, ModelFit]]) -> str:
    """Return in words which of some models for the same samples AICc speaks for; "" where it does
    not, or they are not for the same samples.
    """
    known = [(name, fit, fit.aicc) for name, fit in fits if fit.aicc is not None]
    if len(known) < 2 or not all(_same_samples(known[0][1], fit) for _, fit, _ in known[1:]):
        return ""
    ordered = sorted(known, key=lambda k: k[2] or 0.0)
    apart = float(ordered[1][2] or 0.0) - float(ordered[0][2] or 0.0)
    if apart < BETTER:
        return f"AICc does not decide between {ordered[0][0]} and {ordered[1][0]}"
    return f"AICc speaks for {ordered[0][0]} ({apart:.1f} below {ordered[1][0]})"
