"""Variables: what was set by hand for each trial, such as a drop height or "rubber", as it is
typed.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace

from inertian.project.history import Edit
from inertian.project.project import Entry, Project
from inertian.quantities.errors import FactError, Refusal, UnitError
from inertian.quantities.facts import Fact, Meaning, parse_fact
from inertian.quantities.units import SI_SYMBOL, Unit, unit_of

LONGEST = 200  # characters of a word, or of a name
MOST_VARIABLES = 60  # of a trial
LONGEST_UNIT = 8  # characters of a unit that the program does not know, such as V
_OWN_UNIT = re.compile(r"^(?P<number>.*[\d)])\s*(?P<unit>[^\W\d_][^\s\d]*)\s*$")
NUMBER = "number"


def parse_variable(text: str, like: Unit | None = None) -> Fact | str:
    """Read what was set by hand: "0.50 ± 0.01 m", "12 V", "3", or a word such as "rubber".

    A number without a unit is a setting or a count, and exact, unless the others of its column have
    the unit `like`; with a unit, the last digit is its step. Raises Refusal where it is too long.
    """
    text = " ".join(text.split())
    if len(text) > LONGEST:
        raise Refusal(f"“{text[:40]}…” is too long for one cell: {LONGEST} characters at most.")
    for kind in (NUMBER, *(kind for kind in SI_SYMBOL if kind != NUMBER)):
        try:
            fact = parse_fact(text, kind, unit_of(kind, SI_SYMBOL[kind]))
        except UnitError:
            continue
        except FactError:
            return text
        if kind != NUMBER or fact.unit.symbol:
            return fact
        if like is not None:
            return replace(fact, unit=like)
        stated = fact.meaning is not Meaning.LAST_DIGIT
        return fact if stated else replace(fact, plus_minus=0.0, meaning=Meaning.EXACT)
    match = _OWN_UNIT.match(text)
    if match is None or len(match["unit"]) > LONGEST_UNIT:
        return text
    try:
        fact = parse_fact(match["number"], NUMBER, unit_of(NUMBER, ""))
    except (FactError, UnitError):
        return text
    return replace(fact, unit=own_unit(match["unit"]))


def own_unit(symbol: str) -> Unit:
    """Return a unit that the program does not know; its numbers are as they are typed."""
    return Unit(symbol, NUMBER, 1.0)


def si_unit_of(fact: Fact) -> str:
    """Return the SI unit of a fact; that which it was typed in where the program knows no other."""
    known = fact.unit.kind != NUMBER or fact.unit.symbol in ("", "%", "m/px")
    return SI_SYMBOL[fact.unit.kind] if known else fact.unit.symbol


def variable_names(project: Project) -> tuple[str, ...]:
    """Return the names of all variables, in order."""
    return tuple(dict.fromkeys(name for e in project.entries for name, _ in e.variables))


def unit_like(project: Project, name: str) -> Unit | None:
    """Return the unit that the values of a variable have so far, None where they have none."""
    for entry in project.entries:
        typed = dict(entry.variables).get(name)
        if isinstance(typed, Fact) and typed.unit.symbol:
            return typed.unit
    return None


def written_variable(typed: Fact | str) -> str:
    """Return what was set by hand as a person would type it."""
    if isinstance(typed, str):
        return typed
    return f"{typed.typed:.15g}" if not str(typed.unit.symbol) and not typed.u else str(typed)


def variables_set(project: Project, name: str, typed: Mapping[str, str]) -> Edit:
    """Set a variable of trials, by id, as it was typed; nothing typed takes it away. Raises
    Refusal.
    """
    name = checked_name(name)
    like = unit_like(project, name)
    for trial, text in typed.items():
        entry = project.entry(trial)
        new = parse_variable(text, like) if text.strip() else None
        project = project.with_entry(with_variable(entry, name, new))
        like = like or (new.unit if isinstance(new, Fact) and new.unit.symbol else None)
    return Edit(f"Set {name}", project)


def cells_emptied(project: Project, cells: Mapping[str, Sequence[str]]) -> Edit:
    """Take variables away from trials, by name and id."""
    for name, trials in cells.items():
        project = variables_set(project, name, dict.fromkeys(trials, "")).project
    return Edit("Empty cells" if any(cells.values()) else "", project)


def cells_filled_down(project: Project, cells: Mapping[str, Sequence[str]]) -> Edit:
    """Give trials what the first of them has, by variable."""
    filled = False
    for name, trials in cells.items():
        first = dict(project.entry(trials[0]).variables).get(name) if trials else None
        for trial in trials[1:]:
            project = project.with_entry(with_variable(project.entry(trial), name, first))
            filled = True
    return Edit("Fill down" if filled else "", project)


def cells_pasted(
    project: Project, names: Sequence[str], trials: Sequence[str], cells: Sequence[Sequence[str]]
) -> Edit:
    """Put lines of cells into variables, by name, of trials, by id. Raises Refusal."""
    for across, name in enumerate(names):
        typed = {
            trial: line[across]
            for trial, line in zip(trials, cells, strict=False)
            if across < len(line)
        }
        project = variables_set(project, name, typed).project
    return Edit("Paste", project)


def with_variable(entry: Entry, name: str, new: Fact | str | None) -> Entry:
    """Return an entry with one variable set, or taken away. Raises Refusal for too many."""
    known = dict(entry.variables)
    if new is None:
        known.pop(name, None)
    else:
        known[name] = new
    if len(known) > MOST_VARIABLES:
        raise Refusal(f"A trial has {MOST_VARIABLES} variables at most.")
    return replace(entry, variables=tuple(known.items()))


def checked_name(name: str) -> str:
    """Return the name of a variable without needless space. Raises Refusal."""
    name = " ".join(name.split())
    if not name or len(name) > LONGEST:
        raise Refusal("Give the variable a name, such as: drop height.")
    return name


def variable_removed(project: Project, name: str) -> Edit:
    """Take a variable away from all trials."""
    for entry in project.entries:
        project = project.with_entry(with_variable(entry, name, None))
    return Edit(f"Remove {name}", project)


def trials_apart(project: Project, trials: tuple[str, ...], reason: str | None) -> Edit:
    """Let trials not count among all trials, with the reason; with None they count again."""
    said = None if reason is None else " ".join(reason.split())[:LONGEST]
    for trial in trials:
        project = project.with_entry(replace(project.entry(trial), apart=said))
    return Edit("Set trials aside" if reason is not None else "Count trials again", project)
