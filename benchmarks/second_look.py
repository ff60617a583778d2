"""The second look against flaws that were planted: how often each is found, how often it is named
first, and how often a clean trial is spoken of.

Run: .venv/bin/python benchmarks/second_look.py 40 [flaw …]

Recordings are those of benchmarks/accounts.py; a flaw changes what is recorded or typed, never what
happens. Trials in which it changes nothing by five times the noise, or five times u of what it
touches, do not count.
"""

import argparse
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from accounts import KINDS, Made, project_of

from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look.cases import Case
from inertian.analysis.second_look.look import second_look
from inertian.analysis.second_look.measured_gravity import measured_gravity
from inertian.motion.spans.spans import SpanKind, Spans
from inertian.physics.accounts.ledger import Accounts
from inertian.project.project import Project
from inertian.quantities.errors import InertianError

Planter = Callable[[np.random.Generator, Made], Made | None]
CLEARLY = 5.0  # times the noise, or u, that an effect has to exceed


def with_facts(made: Made, change: Callable[[str], str]) -> Made:
    return replace(made, facts=[change(text) for text in made.facts])


def parts(text: str) -> tuple[str, float, float, str]:
    """Name, value, ± and unit of a fact as it was typed."""
    name, rest = text.split(" = ")
    value, rest = rest.split(" ± ")
    limit, _, unit = rest.partition(" ")
    return name, float(value), float(limit), unit


def scaled_fact(text: str, factor: float) -> str:
    name, value, limit, unit = parts(text)
    return f"{name} = {value * factor:.6g} ± {limit * factor:.6g} {unit}"


def stretched(made: Made, length: float, time: float = 1.0) -> Made:
    """All positions, and all times, multiplied."""
    recorded = {
        body: {a: x * (length if a in "xy" else 1.0) for a, x in own.items()}
        for body, own in made.recorded.items()
    }
    return replace(made, t=made.t * time, recorded=recorded)


def mass_decimal(rng: np.random.Generator, made: Made) -> Made | None:
    power = int(rng.choice([-3, -2, -1, 1, 2, 3]))
    masses = [text for text in made.facts if text.startswith("mass of")]
    chosen = masses[int(rng.integers(len(masses)))]
    return with_facts(made, lambda s: scaled_fact(s, 10.0**power) if s == chosen else s)


def masses_exchanged(_rng: np.random.Generator, made: Made) -> Made | None:
    (_, a, da, _), (_, b, db, _) = (parts(text) for text in made.facts[:2])
    return replace(made, facts=[f"mass of A = {b} ± {db} kg", f"mass of B = {a} ± {da} kg"])


def length_unit(rng: np.random.Generator, made: Made) -> Made | None:
    return stretched(made, 10.0 ** float(rng.choice([-3, -2, -1, 1, 2, 3])))


def time_unit(rng: np.random.Generator, made: Made) -> Made | None:
    return stretched(made, 1.0, 10.0 ** float(rng.choice([-3, 3])))


def slow_motion(rng: np.random.Generator, made: Made) -> Made | None:
    taken, shown = ((60, 30), (120, 30), (240, 30), (300, 25), (120, 25), (240, 24), (100, 25))[
        int(rng.integers(7))
    ]
    return stretched(made, 1.0, taken / shown)


def scale_off(rng: np.random.Generator, made: Made) -> Made | None:
    return stretched(made, 1.0 + float(rng.choice([-1, 1])) * rng.uniform(0.04, 0.3))


def opposite_axes(rng: np.random.Generator, made: Made) -> Made | None:
    body = str(rng.choice(list(made.recorded)))
    far = rng.uniform(0.0, 2.0)
    own = {**made.recorded[body], "x": far - made.recorded[body]["x"]}
    return replace(made, recorded={**made.recorded, body: own})


def heights_downward(_rng: np.random.Generator, made: Made) -> Made | None:
    return stretched(made, -1.0)


def gauge_offset(rng: np.random.Generator, made: Made) -> Made | None:
    peak = np.ptp(made.recorded["sled"]["F"])
    off = float(rng.choice([-1, 1])) * rng.uniform(0.05, 0.5) * peak
    own = {**made.recorded["sled"], "F": made.recorded["sled"]["F"] + off}
    return replace(made, recorded={"sled": own})


def gauge_drift(rng: np.random.Generator, made: Made) -> Made | None:
    peak, length = np.ptp(made.recorded["sled"]["F"]), made.t[-1] - made.t[0]
    off = float(rng.choice([-1, 1])) * rng.uniform(0.1, 0.5) * peak * (made.t - made.t[0]) / length
    own = {**made.recorded["sled"], "F": made.recorded["sled"]["F"] + off}
    return replace(made, recorded={"sled": own})


def accelerometer(rng: np.random.Generator, made: Made, sign: float = -1.0) -> Made:
    """An accelerometer aboard the sled, along x; turned round if its sign is −1."""
    state, h = made.state, 1e-4
    a = [
        float((state("sled", t + h)[1] - state("sled", max(t - h, 0.0))[1])[0] / (2 * h))
        for t in made.t
    ]
    noise = 0.03 * float(np.ptp(a)) + 0.02
    read = sign * np.array(a) + rng.normal(0.0, noise, len(a))
    return replace(made, recorded={"sled": {**made.recorded["sled"], "a": read}})


def clipped_gauge(rng: np.random.Generator, made: Made) -> Made | None:
    force = made.recorded["sled"]["F"]
    way = 1.0 if abs(force.max()) > abs(force.min()) else -1.0
    level = rng.uniform(0.4, 0.75) * float(np.max(np.abs(force)))
    cut = way * np.minimum(way * force, level)
    if np.count_nonzero(cut != force) < 3:
        return None
    return replace(made, recorded={"sled": {**made.recorded["sled"], "F": cut}})


def one_channel(rng: np.random.Generator, made: Made) -> tuple[str, str, np.ndarray, float]:
    """A channel, its values, and their noise."""
    body = str(rng.choice(list(made.recorded)))
    axis = next(iter(made.recorded[body]))
    return body, axis, made.recorded[body][axis].copy(), noise_of(made, body, axis)


def noise_of(made: Made, body: str, axis: str) -> float:
    """The standard deviation of readings about what truly was."""
    true = [made.state(body, t)[0]["xy".index(axis)] for t in made.t]
    return float(np.std(made.recorded[body][axis] - np.array(true)))


def put(made: Made, body: str, axis: str, x: np.ndarray) -> Made:
    """The readings of a channel exchanged; a recorder rounds what is wrong, too."""
    before = made.recorded[body][axis]
    step = 1e-3
    if np.allclose(before / step, np.round(before / step), atol=1e-6):
        x = np.round(x / step) * step
    return replace(made, recorded={**made.recorded, body: {**made.recorded[body], axis: x}})


def jumps(rng: np.random.Generator, made: Made) -> Made | None:
    body, axis, x, noise = one_channel(rng, made)
    if len(x) < 20:
        return None
    for row in rng.choice(np.arange(8, len(x) - 8), int(rng.integers(1, 4)), replace=False):
        x[row] += float(rng.choice([-1, 1])) * rng.uniform(12.0, 60.0) * noise
    return put(made, body, axis, x)


def lost_target(rng: np.random.Generator, made: Made) -> Made | None:
    body, axis, x, _ = one_channel(rng, made)
    if len(x) < 20:
        return None
    far = x.max() + rng.uniform(1.0, 3.0)
    for _ in range(int(rng.integers(1, 4))):
        row = int(rng.integers(5, len(x) - 10))
        x[row : row + int(rng.integers(2, 5))] = far
    return put(made, body, axis, x)


def stuck_sensor(rng: np.random.Generator, made: Made) -> Made | None:
    body, axis, x, noise = one_channel(rng, made)
    many = int(rng.integers(4, 9))
    if len(x) < 28:
        return None
    row = int(rng.integers(6, len(x) - many - 8))
    truth = made.state(body, made.t[row + many])[0][0] - made.state(body, made.t[row])[0][0]
    if abs(truth) < 2 * CLEARLY * noise:
        return None
    x[row : row + many] = x[row]
    return put(made, body, axis, x)


def repeated_values(_rng: np.random.Generator, made: Made) -> Made | None:
    recorded = {
        b: {a: np.repeat(x[::2], 2)[: len(x)] for a, x in own.items()}
        for b, own in made.recorded.items()
    }
    return replace(made, recorded=recorded)


def dropped_frames(rng: np.random.Generator, made: Made) -> Made | None:
    if len(made.t) < 32:
        return None
    many, row = int(rng.integers(1, 4)), int(rng.integers(12, len(made.t) - 16))
    recorded, clear = {}, False
    for body, own in made.recorded.items():
        recorded[body] = {a: np.delete(x, np.s_[row : row + many]) for a, x in own.items()}
        for k, axis in enumerate(own):
            noise = noise_of(made, body, axis)
            now, then = (made.state(body, made.t[r])[0][k] for r in (row, row + many))
            clear |= abs(then - now) > 2 * CLEARLY * noise
    return replace(made, t=made.t[: len(made.t) - many], recorded=recorded) if clear else None


def coarse_steps(rng: np.random.Generator, made: Made) -> Made | None:
    recorded = {}
    for body, own in made.recorded.items():
        step = float(max(np.ptp(x) for x in own.values())) / rng.uniform(5.0, 10.0)
        recorded[body] = {a: np.round(x / step) * step for a, x in own.items()}
    return replace(made, recorded=recorded)


def zero_shift(rng: np.random.Generator, made: Made) -> Made | None:
    body, axis, x, noise = one_channel(rng, made)
    if len(x) < 28:
        return None
    row = int(rng.integers(12, len(x) - 14))
    shift = float(rng.choice([-1, 1])) * rng.uniform(20.0, 100.0) * noise
    here, then = (made.state(body, made.t[k])[0]["xy".index(axis)] for k in (row - 1, row))
    frames = shift / (then - here) if then != here else np.inf
    if 0.5 < frames < 4.5 and abs(frames - round(frames)) * abs(then - here) < 4.0 * noise:
        return None  # that is what missing frames would do
    x[row:] += shift
    return put(made, body, axis, x)


def momentum_missing(rng: np.random.Generator, made: Made) -> Made | None:
    """Something else takes part of the momentum of B."""
    body = "B"
    x = made.recorded[body]["x"].copy()
    v = np.array([made.state(body, t)[1][0] for t in made.t])
    hit = int(np.argmax(np.abs(np.diff(v)))) + 1
    start = made.state(body, made.t[hit])[0][0]
    moved = np.array([made.state(body, t)[0][0] - start for t in made.t[hit:]])
    x[hit:] -= rng.uniform(0.3, 0.9) * moved
    return put(made, body, "x", x)


def labels_exchanged(_rng: np.random.Generator, made: Made) -> Made | None:
    a, b = made.recorded["A"], made.recorded["B"]
    v = np.array([made.state("B", t)[1][0] for t in made.t])
    hit = int(np.argmax(np.abs(np.diff(v)))) + 1
    swapped = [np.concatenate([p["x"][:hit], q["x"][hit:]]) for p, q in ((a, b), (b, a))]
    return replace(made, recorded={"A": {"x": swapped[0]}, "B": {"x": swapped[1]}})


def unchanged(_rng: np.random.Generator, made: Made) -> Made | None:
    return made


def span_over_event(rng: np.random.Generator, project: Project) -> Project | None:
    """The first steady span reaches across what happens after it."""
    entry = project.entries[0]
    steady = [s for s in entry.spans.in_order() if s.kind.steady]
    events = [s for s in entry.spans.in_order() if s.kind.event and s.kind is not SpanKind.PUSH]
    if not steady or not events or len(steady) < 2:
        return None
    first, event = steady[0], events[0]
    over = min(event.stop + rng.uniform(0.3, 1.0) * first.length, float(entry.trial.t[-1]))
    kept = [s for s in entry.spans if s.stop <= first.start or s.start >= over]
    wide = replace(first, stop=over, kind=SpanKind.FREE)
    return project.with_entry(replace(entry, spans=Spans([wide, *kept]).in_order()))


def wide_contact(rng: np.random.Generator, project: Project) -> Project | None:
    """A contact marked far too wide; the spans beside it give way."""
    entry = project.entries[0]
    contact = entry.spans.contact
    if contact is None or contact.kind is not SpanKind.CONTACT:
        return None
    more = max(rng.uniform(4.0, 8.0) * contact.length, 16 * entry.trial.step())
    start, stop = contact.start - 0.5 * more, contact.stop + 0.5 * more
    spans = []
    for span in entry.spans:
        low, high = span.start, span.stop
        if span == contact:
            low, high = start, stop
        elif span.stop <= contact.start + 1e-9:
            high = min(high, start)
        else:
            low = max(low, stop)
        if high - low > 8 * entry.trial.step():
            spans.append(replace(span, start=low, stop=high))
    return project.with_entry(replace(entry, spans=Spans(spans).in_order()))


def tilted(rng: np.random.Generator, made: Made) -> Made | None:
    """The track is tilted along the way of A before the hit."""
    way = float(np.sign(made.state("A", 0.0)[1][0]))
    a = way * rng.uniform(0.2, 0.6)
    recorded = {
        b: {"x": own["x"] + 0.5 * a * (made.t - made.t.mean()) ** 2}
        for b, own in made.recorded.items()
    }
    return replace(made, recorded=recorded)


def too_exact(rng: np.random.Generator, made: Made) -> Made | None:
    """The first mass is typed without an error, or with one of a millionth."""
    name, value, _, unit = parts(made.facts[0])
    limit = 0.0 if rng.random() < 0.5 else 1e-6 * value
    return replace(made, facts=[f"{name} = {value} ± {limit:.2g} {unit}", *made.facts[1:]])


HITS = ("hit",)
# Flaws of what is marked: made in the project, after spans are found
OF_PROJECTS = {"span-holds-event": span_over_event, "contact-wide": wide_contact}
FLAWS: dict[str, tuple[Planter, tuple[str, ...], tuple[str, ...]]] = {
    "mass-decimal": (mass_decimal, ("hit", "glance", "repulsion", "bumper", "pushed"), ()),
    "masses-exchanged": (masses_exchanged, ("hit", "glance", "repulsion", "parting"), ()),
    "length-unit": (length_unit, ("fall", "hops", "slope"), ()),
    "time-unit": (time_unit, ("fall", "hops", "slope"), ()),
    "slow-motion": (slow_motion, ("fall", "hops", "slope", "swing"), ()),
    "scale": (scale_off, ("fall", "hops", "slope", "swing"), ()),
    "opposite-axes": (opposite_axes, ("hit", "parting", "repulsion"), ()),
    "heights-downward": (heights_downward, ("slope",), ()),
    "gauge-offset": (gauge_offset, ("bumper",), ()),
    "gauge-drift": (gauge_drift, ("bumper",), ("gauge-offset",)),
    "gauge-sign": (accelerometer, ("bumper", "thrust"), ()),
    "clipped": (clipped_gauge, ("bumper",), ()),
    "jumps": (jumps, ("hit", "slope", "fall", "wall", "dragged", "swing"), ("lost-target",)),
    "lost-target": (lost_target, ("hit", "slope", "fall", "wall", "dragged", "swing"), ()),
    "stuck-sensor": (stuck_sensor, ("hit", "slope", "fall", "wall", "dragged", "swing"), ()),
    "repeated-values": (repeated_values, ("hit", "slope", "fall", "wall", "swing"), ()),
    "dropped-frames": (dropped_frames, ("hit", "slope", "fall", "dragged", "swing"), ()),
    "coarse-steps": (coarse_steps, ("hit", "slope", "wall", "dragged"), ()),
    "zero-shift": (zero_shift, ("hit", "slope", "wall", "dragged"), ()),
    "momentum-missing": (momentum_missing, HITS, ()),
    "span-holds-event": (unchanged, ("hit", "wall", "bumper"), ("structured-residuals",)),
    "contact-wide": (unchanged, HITS, ()),
    "friction-forward": (tilted, HITS, ()),
    "impossible-uncertainty": (too_exact, ("hit", "slope", "fall"), ()),
    "labels-exchanged": (labels_exchanged, HITS, ()),
}
OF_ACCOUNTS = ("mass-decimal", "masses-exchanged", "opposite-axes", "momentum-missing")


def imbalance(project: Project) -> float:
    """The largest |z| of the laws of a trial that are expected to hold."""
    accounts = Evaluator().accounts(project, "made")
    if not isinstance(accounts, Accounts):
        return 0.0
    zs = [abs(led.judgement.z) for led in accounts.ledgers if led.judgement.z is not None]
    return max(zs, default=0.0)


def clearly_off(made: Made, clean: Made, project: Project) -> bool:
    """Whether a scale is off by 5 u of g as the motion shows it."""
    found = measured_gravity(Case(project, project.entries[0], Evaluator()))
    body, own = next(iter(made.recorded.items()))
    axis = max(own, key=lambda a: float(np.ptp(own[a])))
    factor = float(np.ptp(own[axis]) / np.ptp(clean.recorded[body][axis]))
    return found is None or abs(factor - 1.0) > CLEARLY * found.u


def codes_of(project: Project) -> list[str]:
    found = second_look(project, Evaluator())
    return [note.code for note in found.get("made", ())]


def flaw_cell(flaw: str, kind: str, count: int, seed: int) -> tuple[int, int, int]:
    plant, _, also = FLAWS[flaw]
    found, first, used, said = 0, 0, 0, Counter()
    missed: list[int] = []
    for number in range(count):
        rng = np.random.default_rng([seed, number, sum(map(ord, flaw + kind))])
        clean = KINDS[kind][0](rng)
        made = plant(rng, clean)
        if made is None:
            continue
        project: Project | None = project_of(made)
        if flaw in OF_PROJECTS:
            project = OF_PROJECTS[flaw](rng, project)
            if project is None:
                continue
        if flaw in OF_ACCOUNTS and imbalance(project) < CLEARLY:
            continue
        if flaw == "scale" and not clearly_off(made, clean, project):
            continue
        used += 1
        codes = codes_of(project)
        found += flaw in codes or any(c in codes for c in also)
        right = bool(codes) and codes[0] in (flaw, *also)
        first += right
        if not right:
            said[codes[0] if codes else "nothing"] += 1
            missed.append(number)
    rate = found / used if used else float("nan")
    named = first / used if used else float("nan")
    mark = "" if used and rate >= 0.9 and named >= 0.8 else "  SHORT"
    print(
        f"{flaw} in {kind}: found {rate:.2f}, first {named:.2f} of {used}{mark} "
        f"{dict(said)} {missed[:8]}",
        flush=True,
    )
    return found, first, used


def clean_cell(kind: str, count: int, seed: int) -> tuple[int, int]:
    spoken, said, at = 0, Counter(), []
    for number in range(count):
        rng = np.random.default_rng([seed, number, sum(map(ord, kind)) + 7])
        try:
            codes = codes_of(project_of(KINDS[kind][0](rng)))
        except InertianError:
            continue
        if kind == "bumper":  # its gauge has a zero of its own
            codes = [c for c in codes if not c.startswith("gauge-")]
        spoken += bool(codes)
        said.update(codes)
        at += [number] if codes else []
    print(f"clean {kind}: spoken of {spoken} of {count} {dict(said)} {at[:8]}", flush=True)
    return spoken, count


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("count", type=int, nargs="?", default=40)
    parser.add_argument("flaws", nargs="*", default=["clean", *FLAWS])
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--kinds", nargs="*", default=[])
    chosen = parser.parse_args()
    total = [0, 0]
    for flaw in chosen.flaws:
        if flaw == "clean":
            for kind in chosen.kinds or KINDS:
                spoken, count = clean_cell(kind, chosen.count, chosen.seed)
                total[0], total[1] = total[0] + spoken, total[1] + count
            print(f"clean: spoken of {total[0]} of {total[1]}", flush=True)
            continue
        for kind in chosen.kinds or FLAWS[flaw][1]:
            flaw_cell(flaw, kind, chosen.count, chosen.seed)
    sys.stdout.flush()


if __name__ == "__main__":
    main()
