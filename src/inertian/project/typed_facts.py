"""Facts as they are typed with their names: "mass of A = 1.30 ± 0.01 kg"."""

import re
from dataclasses import replace

from inertian.motion.recording.frame import CENTRE
from inertian.physics.definitions.derived_quantities import ACCOUNT_FACTS, SETUP_FACTS
from inertian.physics.definitions.fact_names import ACCEPTABLE, ACCEPTED, SCALE, TIME_BASE, mass_key
from inertian.project.edits import scale_set
from inertian.project.project import READING_NOISE, RESTITUTION, Project, setup_key
from inertian.quantities.errors import Refusal
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact, parse_positive
from inertian.quantities.units import SI_SYMBOL, Unit, unit_of

_NAMED = re.compile(r"^\s*(?P<name>[^=]+?)\s*=\s*(?P<value>.+)$")
POSITIVE = ("mass", "inertia", "stiffness")


def read_scale(text: str, _meaning: Meaning) -> Fact:
    """Read how long a pixel is: "412 px = 1.000 m", "2.43 mm/px", or m per px. Raises
    InertianError.
    """
    from inertian.files.cells.stated_scales import parse_scale

    unit = unit_of("number", "m/px")
    if "px" not in text.replace("m/px", "") and "=" not in text:
        return parse_positive(text, "number", unit, Meaning.STANDARD)
    stated = parse_scale(text)
    return Fact(stated.value, stated.plus_minus, Meaning(stated.meaning), unit)


def read_time_base(text: str, meaning: Meaning) -> Fact:
    """Read what times are multiplied by: "300 as 25", "25/300", "0.0833 ± 0.0002". Raises
    InertianError.
    """
    from inertian.files.cells.stated_scales import parse_time_base

    stated = parse_time_base(text)
    return Fact(
        stated.value,
        stated.plus_minus,
        meaning if stated.plus_minus else Meaning.EXACT,
        Unit("", "number", 1.0),
    )


def fact_kinds(project: Project) -> dict[str, str]:
    """Return the kinds of all facts that the trials of a project may use, by name."""
    bodies = list(dict.fromkeys(b.name for e in project.entries for b in e.trial.bodies))
    found = {mass_key(body): "mass" for body in bodies}
    for known in (*SETUP_FACTS, *ACCOUNT_FACTS):
        for body in bodies if known.of_bodies else [""]:
            found[setup_key(known.name, body)] = known.kind
    found |= {ACCEPTED + name: kind for name, kind in ACCEPTABLE.items()}
    found |= {RESTITUTION: "number", READING_NOISE: "length", TIME_BASE: "number"}
    found |= dict.fromkeys(CENTRE.values(), "length")
    if any(e.trial.in_pixels for e in project.entries):
        found[SCALE] = "number"
    return found


def with_typed_fact(project: Project, text: str) -> Project:
    """Return a project with a fact that holds for all its trials. Raises Refusal where the name is
    none that a trial uses, and FactError or UnitError where the value cannot be read.
    """
    match = _NAMED.match(text)
    if match is None:
        raise Refusal(f"“{text[:60]}” is no fact. Write a name and a value: mass of A = 1.3 kg.")
    kinds, name = fact_kinds(project), " ".join(match["name"].split())
    if name not in kinds:
        raise Refusal(f"No trial uses “{name[:60]}”. There are: {', '.join(kinds)}.")
    fact = _read(match["value"], name, kinds[name])
    if name in (SCALE, TIME_BASE):
        for series in project.series:
            project = scale_set(project, series.name, name, fact).project
        return project
    project = project.with_fact(FactId(name), fact)
    return _with_centre(project) if name in CENTRE.values() else project


def _read(text: str, name: str, kind: str) -> Fact:
    if name == SCALE:
        return read_scale(text, Meaning.STANDARD)
    if name == TIME_BASE:
        return read_time_base(text, Meaning.LIMITS)
    unit = unit_of(kind, "°" if kind == "angle" else SI_SYMBOL[kind])
    if name == READING_NOISE:
        return parse_positive(text, kind, unit, Meaning.STANDARD)
    return (parse_positive if kind in POSITIVE else parse_fact)(text, kind, unit)


def _with_centre(project: Project) -> Project:
    """Trials turn about the centre that the facts say; a part that is not typed is 0."""
    at = [project.setup.get(FactId(name)) for name in CENTRE.values()]
    centre = (at[0].si if at[0] else 0.0, at[1].si if at[1] else 0.0)
    for entry in project.entries:
        project = project.with_entry(replace(entry, frame=replace(entry.frame, centre=centre)))
    return project
