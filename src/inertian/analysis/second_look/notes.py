"""Notes of the second look: what is likely wrong, why it is thought so, where it lies, and what
would put it right.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from inertian.project.history import Edit
from inertian.project.project import Project
from inertian.quantities.rounding import write_shortest


class Severity(StrEnum):
    """How grave a note is: `high` makes numbers wrong, `medium` makes them doubtful, `low` is worth
    a look.
    """

    HIGH = "high"
    MEDIUM = "medium"
    LOW = "low"


SEVERITIES = tuple(Severity)


@dataclass(frozen=True)
class Place:
    """Where a note lies: a body, a span, or a stretch of time in s; nothing of it: the setup.

    `ledger` is the law of an account that shows it.
    """

    body: str = ""
    span: str = ""
    t0: float | None = None
    t1: float | None = None
    ledger: str = ""


@dataclass(frozen=True, eq=False)
class Remedy:
    """What would put something right: an ordinary edit, and what its button says."""

    text: str
    edit: Callable[[Project], Edit]


@dataclass(frozen=True, eq=False)
class Note:
    """One likely mistake in one trial. `evidence` are the numbers behind it in SI, by name;
    `subject` is what it is about, so that a note that was dismissed is known again; of two notes of
    one severity, that with the larger `strength`, in u, is graver. `symptom` notes are what another
    mistake may bring about: they are not told beside its cause.
    """

    code: str
    severity: Severity
    text: str
    evidence: Mapping[str, float | str] = field(default_factory=dict)
    place: Place = Place()
    remedy: Remedy | None = None
    subject: str = ""
    strength: float = 0.0
    symptom: bool = False


def gravest_first(notes: list[Note]) -> tuple[Note, ...]:
    """Return notes in order, without symptoms where a grave cause is known, and symptoms after
    causes of the same severity.
    """
    caused = any(n.severity is Severity.HIGH and not n.symptom for n in notes)
    told = [n for n in notes if not (n.symptom and caused)]
    return tuple(sorted(told, key=lambda n: (SEVERITIES.index(n.severity), n.symptom, -n.strength)))


def said_time(t: float) -> str:
    """Return a moment in s as notes say it."""
    return f"{write_shortest(t, 4)} s"
