"""How often a hidden loss of so many u is seen in an account, and how often it should be.

Run: .venv/bin/python benchmarks/hidden_losses.py 300 [kind …]

A trial of each kind is made without a loss, which tells u of what is unaccounted; then again, with
the same noise, and a loss of 1, 2, 3 and 5 u in the motion itself: in contacts a blow inside; of
bodies that move freely a steady force all the time; of a push, that it is weaker than was said.
Held against the noncentral t.
"""

import argparse
import sys
from collections.abc import Callable
from dataclasses import replace

import accounts
import numpy as np
from scipy.stats import nct, norm

from inertian.analysis.evaluation import Evaluator
from inertian.physics.accounts.ledger import Ledger
from inertian.quantities.errors import InertianError

SIZES = (1.0, 2.0, 3.0, 5.0)
KINDS = ("hit", "bumper", "glance", "parting", "down", "fall", "pushed")
IN_CONTACT = ("hit", "bumper", "glance", "parting")


def watched(kind: str, made: accounts.Made) -> Ledger | None:
    """The account in which a loss is looked for; None where there is none."""
    found = Evaluator().accounts(accounts.project_of(made), "made")
    if isinstance(found, InertianError) or found.event not in accounts.KINDS[kind][1]:
        return None
    ledger = found.ledgers[0]
    return ledger if ledger.judgement.verdict is not None else None


def lossy(kind: str, made: accounts.Made, plain: Ledger, loss: float) -> accounts.Made:
    """The same recording of a motion with a loss of momentum, or of energy, of its first body."""
    body = next(iter(made.recorded))
    own, t = dict(made.recorded[body]), made.t
    mass = made.true.get(f"m {body}", made.true.get("m", 1.0))
    start, stop = plain.opens_at, plain.closes_at
    x = own["x"]
    if kind in IN_CONTACT:
        x = x - loss / mass * np.clip(t - 0.5 * (start + stop), 0.0, None)
    elif kind == "pushed":
        x = x[0] + (x - x[0]) * (1.0 - loss / abs(plain.closing.value))
    else:  # m a |path| is what is lost, against the motion
        path = float(made.state(body, stop)[0][0] - made.state(body, start)[0][0])
        x = x - 0.5 * loss / (mass * path) * (t - start) ** 2
    return replace(made, recorded={**made.recorded, body: {**own, "x": x}})


def tried(kind: str, number: int, seed: int) -> list[tuple[float, bool, float]]:
    """Losses of each size in one trial: the size in u as it came out, whether it was seen, and how
    probable that is.
    """
    make = accounts.KINDS[kind][0]

    def fresh() -> accounts.Made:
        return make(np.random.default_rng([seed, number, sum(map(ord, kind))]))

    made = fresh()
    plain = watched(kind, made)
    if plain is None or len(plain.dates) > 2:  # a steady force takes and gives where it turns
        return []
    u, dof = plain.unaccounted.u, plain.unaccounted.dof
    found = []
    for size in SIZES:
        ledger = watched(kind, lossy(kind, made, plain, size * u))
        if ledger is not None and np.isclose(ledger.unaccounted.u, u, rtol=0.3):
            found.append((size, abs(ledger.judgement.z) > 2.0, probability(size, dof)))
    return found


def probability(size: float, dof: float) -> float:
    """How probable it is that a loss of so many u shows, |z| > 2, for ν degrees of freedom."""
    from scipy.stats import t as student

    if not np.isfinite(dof) or dof > 1e5:
        return float(norm.sf(2.0 - size) + norm.cdf(-2.0 - size))
    limit = float(student.isf(norm.sf(2.0), dof))
    return float(nct.sf(limit, dof, size) + nct.cdf(-limit, dof, size))


def main() -> None:
    """Print, for each kind and size, how many losses were seen and how many should be."""
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=300)
    parser.add_argument("kinds", nargs="*", default=list(KINDS))
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    say: Callable[..., None] = print
    for kind in chosen.kinds:
        every = [one for k in range(chosen.count) for one in tried(kind, k, chosen.seed)]
        cells = []
        for size in SIZES:
            own = [(seen, p) for s, seen, p in every if s == size]
            n, seen = len(own), sum(one for one, _ in own)
            should = float(np.mean([p for _, p in own])) if own else 0.0
            room = 3.0 * float(np.sqrt(max(should * (1 - should), 1e-4) / max(n, 1)))
            mark = "" if abs(seen / max(n, 1) - should) <= room else "  OFF"
            cells.append(f"{size:.0f} u: {seen / max(n, 1):.3f} of {n} ({should:.3f}){mark}")
        say(f"{kind}: {'; '.join(cells)}")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
