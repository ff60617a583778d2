"""Accounts of every kind of event: closed forms, entries counted once, the command line."""

import json
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from conftest import METRE, SECOND
from inertian.analysis.evaluation import Evaluator
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.accounts import entries, forms
from inertian.physics.accounts.statements import AmountOf
from inertian.physics.accounts.verdicts import Verdict
from inertian.project.account_edits import laws_chosen
from inertian.project.project import Entry, Project, Series
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.errors import InertianError, Refusal
from inertian.quantities.units import unit_of

NEWTON = unit_of("force", "N")
T = np.arange(0.0, 3.0, 0.01)
UP, PULL, RUB = 0.8, 1.2, 0.3  # m/s, and m/s² of weight and friction along the slope
TURNS = UP / (PULL + RUB)
SPEED = forms.DateValue(1, "sled", "x", 0)
THETA = float(np.degrees(np.arcsin(PULL / 9.81)))


def trial_of(channels, sensors=None):
    """A trial of one body from positions by axis and sensors by axis."""
    body = Body(
        "sled",
        tuple(Channel(a, f"sled {a}", METRE, np.asarray(x)) for a, x in channels.items()),
        tuple(Channel(a, f"sled {a}", NEWTON, np.asarray(x)) for a, x in (sensors or {}).items()),
    )
    n = len(next(iter({**channels, **(sensors or {})}.values())))
    return Trial("made", "made", "time", SECOND, T[:n], (body,))


def accounts_of(trial, spans, *facts):
    """The accounts of a trial with marked spans and typed facts."""
    project = Project("p", (Entry(trial, "s", Spans(spans)),), (Series("s"),))
    for fact in facts:
        project = with_typed_fact(project, fact)
    found = Evaluator().accounts(project, "made")
    assert not isinstance(found, InertianError), str(found)
    return found


def on_the_slope(sigma=1e-4, up=1.0):
    """Up a slope and back with friction: what is recorded, and the spans."""
    back = T - TURNS
    x = np.where(
        T < TURNS,
        UP * T - 0.5 * (PULL + RUB) * T**2,
        0.5 * UP * TURNS - 0.5 * (PULL - RUB) * back**2,
    )
    keep = T < 1.3
    noise = np.random.default_rng(1).normal(0, sigma, len(T))
    spans = (
        Span("up", SpanKind.ACCELERATION, 0.0, TURNS),
        Span("turning point", SpanKind.TURN, TURNS - 0.01, TURNS + 0.01),
        Span("down", SpanKind.ACCELERATION, TURNS, 1.29),
    )
    return trial_of({"x": up * (x + noise)[keep]}), spans


@pytest.mark.parametrize("up", [1.0, -1.0])
def test_up_a_slope_and_back_adds_up_with_friction_from_both_ways(up):
    trial, spans = on_the_slope(up=up)
    facts = ("mass of sled = 2.0 ± 0.001 kg", f"incline = {up * THETA:.6f} ± 0.01 °")
    found = accounts_of(trial, spans, *facts)
    assert found.event == "up and back on a slope"
    ledger = found.ledger("mechanical energy")
    assert [d.name for d in ledger.dates] == ["start", "turning point", "end"]
    height = 0.5 * UP * TURNS
    fallen = 0.5 * (PULL - RUB) * (1.29 - TURNS) ** 2
    friction = -2.0 * RUB * np.array([height, fallen])
    for period, truth in zip(ledger.periods, friction, strict=True):
        assert period.entries[0][1].value == pytest.approx(truth, rel=0.01)
        assert abs(period.unaccounted.value) < 3 * period.unaccounted.u
    assert ledger.amounts[AmountOf(1, "sled", "height")].value == pytest.approx(
        2.0 * PULL * height, rel=5e-3
    )
    assert ledger.amounts[AmountOf(0, "sled", "kinetic")].value == pytest.approx(UP**2, rel=5e-3)
    assert ledger.judgement.verdict is Verdict.BALANCES
    # What would explain the loss besides friction is friction itself
    coefficient, _unit = found.results["friction coefficient"]
    assert coefficient.value == pytest.approx(RUB / (9.81 * np.cos(np.radians(THETA))), rel=0.05)


def test_a_typed_coefficient_takes_the_place_of_the_one_from_both_ways():
    trial, spans = on_the_slope()
    mu = RUB / (9.81 * np.cos(np.radians(THETA)))
    facts = ("mass of sled = 2.0 ± 0.001 kg", f"incline = {THETA:.6f} ± 0.01 °")
    typed = accounts_of(trial, spans, *facts, f"friction coefficient = {mu:.6f} ± 0.0001")
    told = accounts_of(trial, spans, *facts)
    rubbed = [dict(one.ledger("mechanical energy").entries) for one in (typed, told)]
    assert [list(r) for r in rubbed] == [["sliding friction"]] * 2  # counted once
    assert rubbed[0]["sliding friction"].value == pytest.approx(
        rubbed[1]["sliding friction"].value, rel=0.02
    )


def hit_a_gauge(offset=0.4, drift=0.05, sign=1.0, way=1.0):
    """A sled against a bumper with a gauge that is neither zeroed nor steady."""
    m, v, start, lasts, e = 1.5, 0.9, 1.0, 0.2, 0.8
    inside = (start <= T) & (start + lasts >= T)
    phase = np.pi * np.clip((T - start) / lasts, 0, 1)
    gain = (1 + e) * v * 0.5 * (1 - np.cos(phase))
    x = v * T - np.concatenate([[0.0], np.cumsum(0.5 * (gain[1:] + gain[:-1]) * np.diff(T))])
    force = -m * (1 + e) * v * 0.5 * np.pi / lasts * np.sin(phase) * inside
    rng = np.random.default_rng(4)
    trial = trial_of(
        {"x": way * x + rng.normal(0, 2e-4, len(T))},
        {"F": sign * way * force + offset + drift * T + rng.normal(0, 0.02, len(T))},
    )
    spans = (
        Span("before", SpanKind.VELOCITY, 0.0, 0.99),
        Span("contact", SpanKind.CONTACT, 0.99, 1.21),
        Span("after", SpanKind.VELOCITY, 1.21, 2.99),
    )
    return trial, spans, m * (1 + e) * v


@pytest.mark.parametrize("sign", [1.0, -1.0])
@pytest.mark.parametrize("way", [1.0, -1.0])
def test_a_gauge_explains_the_change_of_momentum_whichever_way_it_counts(sign, way):
    trial, spans, impulse = hit_a_gauge(sign=sign, way=way)
    found = accounts_of(trial, spans, "mass of sled = 1.5 ± 0.001 kg")
    assert found.event == "body against a bumper with a gauge"
    ledger = found.ledger("momentum x")
    assert ledger.judgement.verdict is Verdict.BALANCES
    value, unit = found.results["impulse of the gauge"]
    assert (value.value, unit) == (pytest.approx(-way * impulse, rel=0.01), "N·s")
    source = next(
        e for e, _ in ledger.periods[0].entries if e.name == "impulse of the gauge"
    ).source
    assert ("turned" in source) == (sign < 0)
    force, _unit = found.results["mean force"]
    length = ledger.closes_at - ledger.opens_at
    assert force.value * length == pytest.approx(value.value)  # the same number, spelled otherwise
    assert found.restitution.value == pytest.approx(0.8, abs=0.01)


def test_without_a_gauge_the_wall_gave_what_is_unaccounted_and_there_is_no_verdict():
    trial, spans, impulse = hit_a_gauge()
    bare = replace(trial, bodies=(replace(trial.bodies[0], sensors=()),))
    found = accounts_of(bare, spans, "mass of sled = 1.5 ± 0.001 kg")
    assert found.event == "body against a wall"
    ledger = found.ledger("momentum x")
    assert ledger.unaccounted.value == pytest.approx(-impulse, rel=0.01)
    assert ledger.judgement.verdict is None


@pytest.mark.parametrize(
    ("module", "name", "wrong"),
    [
        (forms.HeightForm, "amount", lambda self, q, date: 0.0 * q[forms.MassOf(self.body)]),
        (forms.KineticForm, "amount", lambda _, q, k: 0.5 * q[SPEED._replace(date=k)] ** 2),
        (entries.SlowedDown, "amount", lambda self, q, period: 2.0 * RIGHT(self, q, period)),
        (entries.SlowedDown, "amount", lambda self, q, period: -1.0 * RIGHT(self, q, period)),
    ],
)  # fmt: skip
def test_a_flipped_sign_a_missing_mass_or_a_doubled_entry_would_be_caught(
    monkeypatch, module, name, wrong
):
    monkeypatch.setattr(module, name, wrong)
    with pytest.raises(AssertionError):
        test_up_a_slope_and_back_adds_up_with_friction_from_both_ways(1.0)


RIGHT = entries.SlowedDown.amount


def test_a_ball_falls_along_an_axis_that_points_down():
    x = 0.3 + 0.5 * 9.81 * T[:60] ** 2 + np.random.default_rng(2).normal(0, 2e-4, 60)
    spans = (Span("fall", SpanKind.ACCELERATION, 0.0, 0.59),)
    found = accounts_of(
        trial_of({"x": x}), spans, "mass of sled = 0.1 kg", "gravity = 9.81 ± 0.001 m/s²"
    )
    assert found.event == "free fall"
    assert found.ledger("mechanical energy").judgement.verdict is Verdict.BALANCES
    assert found.results["efficiency"][0].value == pytest.approx(1.0, abs=0.01)
    # Its momentum, if that is asked for, is what the weight gave it: height is then no form
    project = Project("p", (Entry(trial_of({"x": x}), "s", Spans(spans)),), (Series("s"),))
    for fact in ("mass of sled = 0.1 kg", "gravity = 9.81 ± 0.001 m/s²"):
        project = with_typed_fact(project, fact)
    asked = laws_chosen(project, "s", ["momentum x"]).project
    ledger = Evaluator().accounts(asked, "made").ledger("momentum x")
    assert dict(ledger.entries)["weight"].value == pytest.approx(0.1 * 9.81 * 0.59, rel=1e-3)
    assert abs(ledger.unaccounted.value) < 3 * ledger.unaccounted.u


def test_facts_are_known_by_name_and_others_are_refused_with_those_there_are():
    trial, spans = on_the_slope()
    project = Project("p", (Entry(trial, "s", Spans(spans)),), (Series("s"),))
    with pytest.raises(Refusal, match=r"No trial uses “mass of sledge”\. There are: mass of sled,"):
        with_typed_fact(project, "mass of sledge = 2 kg")
    with pytest.raises(InertianError, match="kg"):
        with_typed_fact(project, "mass of sled = 2 s")
    with pytest.raises(Refusal, match="Write a name and a value"):
        with_typed_fact(project, "2 kg")
    missing = Evaluator().accounts(project, "made")
    assert "mass of sled is missing" in str(missing)


def run(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "inertian", *map(str, arguments)],
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )


def test_the_command_draws_up_accounts_and_keeps_its_contract(tmp_path):
    import jsonschema

    schema = Path(__file__).parents[1] / "docs" / "schemas" / "ledger-2.json"
    slope, _spans = on_the_slope(1e-3)
    gauge, _spans, _impulse = hit_a_gauge()
    x, force = gauge.bodies[0].channels[0].si, gauge.bodies[0].sensors[0].si
    files = tmp_path / "slope.csv", tmp_path / "gauge.csv", tmp_path / "diary.txt"
    rows = zip(slope.t, slope.bodies[0].channels[0].si, strict=True)
    files[0].write_text("t (s),x sled (m)\n" + "".join(f"{t:.3f},{v:.5f}\n" for t, v in rows))
    rows = zip(gauge.t, x, force, strict=True)
    files[1].write_text(
        "t (s),x sled (m),F sled (N)\n" + "".join(f"{t:.3f},{v:.5f},{f:.4f}\n" for t, v, f in rows)
    )
    files[2].write_text("no numbers today\n")
    facts = ["--fact", "mass of sled = 2.0 ± 0.01 kg", "--fact", f"incline = {THETA:.3f} ± 0.1 °"]
    saved = tmp_path / "day.inertian"
    done = run("account", *files, *facts, "--save", saved, "--json")
    assert done.returncode == 2  # the diary
    assert len(done.stderr.strip().splitlines()) == 1
    result = json.loads(done.stdout, parse_constant=pytest.fail)
    jsonschema.validate(result, json.loads(schema.read_text()))
    assert [t["event"] for t in result["trials"]] == [
        "up and back on a slope",
        "body against a bumper with a gauge",
    ]
    assert [t["file"] for t in result["trials"]] == [str(f) for f in files[:2]]
    again = json.loads(run("ledger", saved, "--json").stdout)
    jsonschema.validate(again, json.loads(schema.read_text()))
    assert [t["ledgers"] for t in again["trials"]] == [t["ledgers"] for t in result["trials"]]
    refused = run("account", files[0], "--fact", "mas of sled = 2 kg")
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "There are: mass of sled" in refused.stderr


def test_dates_of_ones_own_are_edits_kept_in_the_file_and_refused_where_they_cannot_be(tmp_path):
    from inertian.project.account_edits import dates_set, entry_switched, evenly, times_typed
    from inertian.project.saving import load, save

    trial, spans = on_the_slope()
    project = Project("p", (Entry(trial, "s", Spans(spans)),), (Series("s"),))
    for fact in ("mass of sled = 2.0 ± 0.001 kg", f"incline = {THETA:.6f} ± 0.01 °"):
        project = with_typed_fact(project, fact)
    for text, why in (
        ("0.2", "two dates at least"),
        ("0.2 0.2", "at the same time"),
        ("0.2; 9", "runs from 0 s to 1.29 s"),
        ("0.2; x", "is no time"),
        (" ".join(str(k / 100) for k in range(40)), "24 dates at most"),
    ):
        with pytest.raises(Refusal, match=why):
            dates_set(project, "made", times_typed(text))
    typed = dates_set(project, "made", times_typed("0,9; 0.1 s"))
    assert typed.name == "Set 2 dates"
    assert [d.t for d in typed.project.entry("made").dates] == [0.1, 0.9]
    points = evenly(project.entry("made"), "up", 5)
    moved = dates_set(project, "made", points).project
    ledger = Evaluator().accounts(moved, "made").ledger("mechanical energy")
    assert len(ledger.dates) == 5
    whole = dict(ledger.entries)["sliding friction"]
    assert whole.value == pytest.approx(-2.0 * RUB * 0.5 * UP * TURNS, rel=0.02)
    parts = [period.unaccounted.value for period in ledger.periods]
    assert sum(parts) == pytest.approx(ledger.unaccounted.value)
    off = entry_switched(moved, "s", "sliding friction", False).project
    bare = Evaluator().accounts(off, "made").ledger("mechanical energy")
    assert bare.unaccounted.value == pytest.approx(ledger.unaccounted.value + whole.value)
    save(off, tmp_path / "a.inertian")
    again = load(tmp_path / "a.inertian")
    assert again.entry("made").dates == off.entry("made").dates
    assert Evaluator().accounts(again, "made").ledger("mechanical energy").unaccounted.value == (
        bare.unaccounted.value
    )


@pytest.mark.parametrize("name", ["Sled up the bank", "Sled and bumpers", "Towed sled"])
def test_the_ready_projects_balance_and_hold_the_true_motion(name):
    from inertian.project.ready_projects import ready_project
    from inertian.rink.experiments import EXPERIMENTS

    project, made = ready_project(name).project, EXPERIMENTS[name]()
    assert len(project.entries) == len(made.truths)
    for entry, truth in zip(project.entries, made.truths, strict=True):
        found = Evaluator().accounts(project, entry.trial.id)
        assert not isinstance(found, InertianError), str(found)
        ledger = found.ledgers[0]
        assert ledger.judgement.verdict is Verdict.BALANCES
        if ledger.law == "momentum x" and entry.trial.axes:
            mass = 6.40
            for place, date in enumerate(ledger.dates):
                one = ledger.amounts[AmountOf(place)]
                assert one.value == pytest.approx(mass * truth(date.t)[1][0], abs=4 * one.u + 0.02)


@pytest.mark.slow
@pytest.mark.parametrize(
    "kind", ["hit", "wall", "bumper", "slope", "down", "fall", "hops", "thrust", "launched"]
)
def test_intervals_of_accounts_cover_what_truly_happened(kind, monkeypatch):
    monkeypatch.syspath_prepend(str(Path(__file__).parents[1] / "benchmarks"))
    import accounts as simulation

    count = 80
    tally, seen, refused = simulation.simulated(kind, count, seed=77)
    assert sum(refused.values()) <= 0.03 * count, dict(refused)
    recognised = sum(many for event, many in seen.items() if event in simulation.KINDS[kind][1])
    assert recognised >= 0.8 * count, dict(seen)
    for cell, held in tally.held.items():
        assert sum(held) >= simulation.limits(len(held))[0], f"{cell}: {np.mean(held):.3f}"


@pytest.mark.parametrize("sign", [1.0, -1.0])
def test_a_towed_sled_balances_whichever_way_its_gauge_counts(sign):
    t, rng = np.arange(0, 4, 0.02), np.random.default_rng(2)
    a = np.where((t > 1) & (t < 3), 0.8 * np.sin(np.pi * (t - 1) / 2) ** 2, 0.0)
    body = Body(
        "sled",
        (),
        (
            Channel("a", "a", unit_of("acceleration", "m/s²"), a + rng.normal(0.05, 0.02, len(t))),
            Channel("F", "F", NEWTON, sign * 1.5 * a + rng.normal(0, 0.02, len(t))),
        ),
    )
    trial = Trial("made", "made", "time", SECOND, t, (body,))
    found = accounts_of(trial, (), "mass of sled = 1.5 ± 0.002 kg")
    ledger = found.ledger("momentum x")
    assert found.event == "towed with a gauge or an accelerometer"
    assert ledger.closing.value == pytest.approx(1.5 * 0.8, rel=0.02)
    assert ledger.judgement.verdict is Verdict.BALANCES
    assert ("turned" in ledger.periods[0].entries[0][0].source) == (sign < 0)
