"""Named results of a trial's accounts, with what each of them hangs on."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from inertian.physics.definitions.fact_names import ACCEPTED
from inertian.quantities.coverage import Scalar
from inertian.quantities.estimates import Estimate, Name, weighted_sum
from inertian.quantities.facts import Fact, FactId
from inertian.quantities.propagation import Results

PERCENT_ERROR_OF = "percent error of "
NOTHING: Mapping[str, Any] = {}
Found = Mapping[str, tuple[Scalar, str]]


class NamedResults(Mapping[str, tuple[Scalar, str]]):
    """Results by name, each with its unit; in SI, or in %."""

    def __init__(
        self,
        found: Found = NOTHING,
        sources: Mapping[str, tuple[Results, Name]] = NOTHING,
        others: "Sequence[NamedResults]" = (),
    ) -> None:
        self._found, self._sources, self._others = dict(found), sources, others
        for other in others:
            self._found |= other

    def __getitem__(self, name: str) -> tuple[Scalar, str]:
        return self._found[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._found)

    def __len__(self) -> int:
        return len(self._found)

    def estimate(self, name: str) -> Estimate | None:
        """Return a result to first order, with the samples and facts behind it; None where it is
        made of no law.
        """
        if name in self._sources:
            results, key = self._sources[name]
            return results.estimate(key)
        return next((one.estimate(name) for one in self._others if name in one), None)


class _PercentErrors(NamedResults):
    """Percent errors, each of which hangs on what its result and its accepted value hang on."""

    def __init__(self, found: Found, of: NamedResults, accepted: Mapping[str, Fact]) -> None:
        super().__init__(found)
        self._of, self._accepted = of, accepted

    def estimate(self, name: str) -> Estimate | None:
        result = name.removeprefix(PERCENT_ERROR_OF)
        one, fact = self._of.estimate(result), self._accepted[result]
        if one is None:
            return None
        known = Estimate(fact.si, {}, {FactId(ACCEPTED + result): 1.0})
        return weighted_sum([(100.0 / fact.si, one), (-100.0 * one.value / fact.si**2, known)])


def percent_errors(results: NamedResults, accepted: Mapping[str, Fact]) -> NamedResults:
    """Return by how much results differ from accepted values, 100 (x − a)/a in %, by name; to first
    order, with degrees of freedom by Welch and Satterthwaite (JCGM 100:2008, G.4.1).
    """
    found = {}
    for name, fact in accepted.items():
        if name not in results or fact.si == 0.0:
            continue
        one = results[name][0]
        own, other = one.u / abs(fact.si), abs(one.value) * fact.u / fact.si**2
        u = float(np.hypot(own, other))
        dof = one.dof * (u / own) ** 4 if own > 0.0 else np.inf
        error = Scalar(100.0 * (one.value - fact.si) / fact.si, 100.0 * u, dof)
        found[PERCENT_ERROR_OF + name] = error, "%"
    return _PercentErrors(found, results, accepted)
