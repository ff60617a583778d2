"""What comes from outside in accounts, each against a motion whose truth is known; and, for every
kind of event, that a flipped sign, a missing mass or a doubled entry would not pass.
"""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import pytest

from conftest import METRE, SECOND
from inertian.analysis.evaluation import Evaluator
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.physics.accounts.statements import AmountOf, Statement
from inertian.physics.accounts.typed_entries import TypedEntry
from inertian.physics.accounts.verdicts import Verdict
from inertian.project.account_edits import dates_set, entry_typed, laws_chosen, typed_entry_removed
from inertian.project.project import Project, with_trials
from inertian.project.saving import load, save
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.errors import InertianError, Refusal
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import unit_of

M = 1.5


def trial_of(name, t, **channels):
    """A trial of one sled, from positions by axis."""
    own = tuple(Channel(a, f"sled {a}", METRE, np.asarray(x)) for a, x in channels.items())
    return Trial(name, name, "t", SECOND, t, (Body("sled", own, ()),))


def project_of(*trials, facts=("mass of sled = 1.500 ± 0.001 kg",)):
    """A project of trials with typed facts."""
    project = with_trials(Project("p"), list(trials), "s")
    for fact in facts:
        project = with_typed_fact(project, fact)
    return project


def accounts_of(project, trial="made"):
    found = Evaluator().accounts(project, trial)
    assert not isinstance(found, InertianError), str(found)
    return found


def pushed(way, push=0.9, rub=0.06, sigma=3e-4):
    """At rest, pushed with a constant force from 0.5 to 1.1 s, and gliding with friction."""
    t = np.arange(0.0, 2.2, 0.01)
    a = push / M - rub
    on, off = np.clip(t - 0.5, 0.0, 0.6), np.clip(t - 1.1, 0.0, None)
    x = 0.5 * a * on**2 + a * 0.6 * off - 0.5 * rub * off**2
    return trial_of("made", t, x=way * x + np.random.default_rng(8).normal(0, sigma, len(t)))


@pytest.mark.parametrize("way", [1.0, -1.0])
def test_a_push_that_was_typed_accounts_for_the_motion_with_friction_from_the_glide(way):
    facts = ("mass of sled = 1.500 ± 0.001 kg", f"push of sled = {0.9 * way} ± 0.005 N")
    found = accounts_of(project_of(pushed(way), facts=facts))
    assert found.event == "thrust run"
    momentum, energy = (found.ledger(law) for law in ("momentum x", "kinetic energy"))
    rubbed = -way * M * 0.06 * 0.6
    assert dict(momentum.entries)["push"].value == pytest.approx(way * 0.54, rel=0.02)
    assert dict(momentum.entries)["sliding friction"].value == pytest.approx(rubbed, rel=0.25)
    for ledger in (momentum, energy):
        assert ledger.judgement.verdict is Verdict.BALANCES
        assert ledger.unaccounted.u < 0.05 * abs(ledger.closing.value)
    # Net force and other forces, and a force that is wrong by a fifth does not balance
    net, others = (found.results[name][0] for name in ("net force", "other forces"))
    for one, truth in ((net, way * 0.81), (others, -way * 0.09)):
        assert abs(one.value - truth) < 3.0 * one.u < 0.1
    pushed_by, _ = found.results["mean force"]
    assert abs(pushed_by.value - way * 0.9) < 3.0 * pushed_by.u < 0.1
    wrong = project_of(pushed(way), facts=(facts[0], f"push of sled = {1.1 * way} ± 0.005 N"))
    assert accounts_of(wrong).ledger("momentum x").judgement.verdict is Verdict.IMBALANCE


@pytest.mark.parametrize("way", [1.0, -1.0])
@pytest.mark.parametrize("typed", [True, False])
def test_drag_slows_down_whichever_way_the_body_goes_typed_or_fitted(way, typed):
    t = np.arange(0.0, 2.5, 0.01)
    c, v0 = 0.9, 1.4
    x = way * np.log1p(c / M * v0 * t) * M / c + np.random.default_rng(8).normal(0, 3e-4, len(t))
    mass = "mass of sled = 1.500 ± 0.001 kg"
    facts = (mass, "quadratic drag = 0.900 ± 0.005 kg/m") if typed else (mass,)
    found = accounts_of(project_of(trial_of("made", t, x=x), facts=facts))
    ends = v0 / (1.0 + c / M * v0 * t[[0, -1]])
    momentum, energy = (found.ledger(law) for law in ("momentum x", "kinetic energy"))
    slowed = dict(momentum.entries)["air resistance"], dict(energy.entries)["air resistance"]
    assert slowed[0].value == pytest.approx(way * M * (ends[1] - ends[0]), rel=0.02)
    assert slowed[1].value == pytest.approx(0.5 * M * (ends[1] ** 2 - ends[0] ** 2), rel=0.02)
    # What was fitted to this very motion leaves nothing to check
    assert energy.judgement.verdict is (Verdict.BALANCES if typed else None)
    coefficient = found.results["quadratic drag"][0]
    assert abs(coefficient.value - c) < 4.0 * coefficient.u


def test_a_spring_gives_its_impulse_and_its_work_where_it_is_no_form():
    m, k, rest = 0.4, 12.0, 0.3
    t, w = np.arange(0.0, 2.6, 0.01), np.sqrt(k / m)
    x = rest + 0.1 * np.cos(w * t + 0.4) + np.random.default_rng(8).normal(0, 2e-4, len(t))
    facts = (
        "mass of sled = 0.4000 ± 0.0002 kg",
        "spring constant = 12.00 ± 0.02 N/m",
        "spring at rest = 0.3000 ± 0.0002 m",
    )
    project = project_of(trial_of("made", t, x=x), facts=facts)
    project = laws_chosen(project, "s", ["momentum x", "kinetic energy"]).project
    project = dates_set(project, "made", [0.31, 0.74, 1.2]).project
    found = accounts_of(project)
    for law in ("momentum x", "kinetic energy"):
        ledger = found.ledger(law)
        for k, period in enumerate(ledger.periods):
            change = ledger.amount(k + 1).value - ledger.amount(k).value
            assert period.entries[0][0].name == "spring"
            assert period.entries[0][1].value == pytest.approx(change, abs=0.01)
        assert ledger.judgement.verdict is Verdict.BALANCES


def test_a_glide_trial_tells_the_friction_on_a_slope():
    theta, mu = np.radians(12.0), 0.03
    t = np.arange(0.0, 1.2, 0.01)
    a = 9.81 * (np.sin(theta) - mu * np.cos(theta))
    slope = trial_of(
        "made", t, x=-0.5 * a * t**2 + np.random.default_rng(8).normal(0, 3e-4, len(t))
    )
    glide = trial_of("glide", t, x=0.9 * t - 0.5 * mu * 9.81 * t**2)
    project = project_of(
        slope, glide, facts=("mass of sled = 1.500 ± 0.001 kg", "incline = 12.0 ± 0.01 °")
    )
    level = with_typed_fact(project_of(glide), "incline = 0 ± 0 °").setup
    (key, fact), *_ = [(k, f) for k, f in level.items() if k.name == "incline"]
    project = project.with_fact(replace(key, scope="trial glide"), fact)
    ledger = accounts_of(project).ledger("mechanical energy")
    way = 0.5 * a * t[-1] ** 2
    rubbed = dict(ledger.entries)["sliding friction"]
    assert rubbed.value == pytest.approx(-mu * M * 9.81 * np.cos(theta) * way, rel=0.03)
    assert ledger.judgement.verdict is Verdict.BALANCES
    assert "glide trials" in ledger.statement.entries[0][0].source


def test_momentum_runs_along_a_track_that_lies_askew_in_the_picture():
    t = np.arange(0.0, 2.0, 0.01)
    kick = np.clip(t - 1.0, 0.0, None)
    along = 0.8 * t - 1.4 * kick
    c, s = np.cos(np.radians(-31.0)), np.sin(np.radians(-31.0))
    noise = np.random.default_rng(8).normal(0, 3e-4, (2, len(t)))
    found = accounts_of(
        project_of(trial_of("made", t, x=c * along + noise[0], y=s * along + noise[1]))
    )
    laws = [ledger.law for ledger in found.ledgers]
    assert laws == ["momentum along track", "kinetic energy", "momentum x", "momentum y"]
    ledger = found.ledgers[0]
    assert ledger.opening.value == pytest.approx(M * 0.8, rel=0.01)
    assert ledger.unaccounted.value == pytest.approx(-M * 1.4, rel=0.01)
    assert found.results["impulse"][0].value == pytest.approx(-M * 1.4, rel=0.01)


def test_angular_momentum_holds_as_something_lands_on_a_disc_that_slows_down():
    t, when, keeps = np.arange(0.0, 4.0, 1 / 60), 2.013, 0.32 / (0.32 + 0.11)
    before = 4.0 * np.minimum(t, when) - 0.15 * np.minimum(t, when) ** 2
    late = np.clip(t - when, 0.0, None)
    angle = before + keeps * (4.0 - 0.3 * when) * late - 0.15 * late**2
    noise = np.random.default_rng(8).normal(0, 5e-4, (2, len(t)))
    facts = (
        "moment of inertia of sled = 0.320 ± 0.002 kg·m²",
        "added inertia of sled = 0.110 ± 0.002 kg·m²",
    )
    shift = np.array([[0.4], [-0.2]])  # no centre is given: that of the circle
    x, y = 0.2 * np.array([np.cos(angle), np.sin(angle)]) + noise + shift
    found = accounts_of(project_of(trial_of("made", t, x=x, y=y), facts=facts))
    assert found.event == "spinning down"
    ledger = found.ledger("angular momentum")
    assert [d.name for d in ledger.dates] == ["start", "before", "after", "end"]
    assert ledger.dates[1].t < when < ledger.dates[2].t
    assert ledger.opening.value == pytest.approx(0.32 * 4.0, rel=0.01)
    assert ledger.judgement.verdict is Verdict.BALANCES
    assert ledger.unaccounted.u < 0.03
    without = accounts_of(project_of(trial_of("made", t, x=x, y=y), facts=facts[:1]))
    lost = without.ledger("angular momentum").periods[1].unaccounted
    assert lost.value == pytest.approx(-0.32 * (1 - keeps) * (4.0 - 0.3 * when), rel=0.05)


def test_an_entry_by_hand_counts_in_its_period_and_is_kept_and_refused_where_it_cannot_be(tmp_path):
    project = project_of(pushed(1.0))
    ledger = accounts_of(project).ledger("momentum x")
    amount = Fact(-0.2, 0.03, Meaning.STANDARD, unit_of("impulse", "kg·m/s"))
    by_hand = TypedEntry("a sleeve", "momentum x", 0.8, amount, "seen in the film")
    typed = entry_typed(project, "made", by_hand).project
    changed = accounts_of(typed).ledger("momentum x")
    assert changed.unaccounted.value == pytest.approx(ledger.unaccounted.value + 0.2)
    assert changed.unaccounted.u == pytest.approx(np.hypot(ledger.unaccounted.u, 0.03), rel=1e-3)
    assert changed.statement.entries[0][-1].source == "typed by hand: seen in the film"
    for wrong in (replace(by_hand, name=" "), replace(by_hand, name="weight"), by_hand):
        with pytest.raises(Refusal):
            entry_typed(typed, "made", wrong)
    save(typed, tmp_path / "p.inertian")
    again = load(tmp_path / "p.inertian")
    assert again.entry("made").typed == (by_hand,)
    gone = typed_entry_removed(again, "made", "a sleeve").project
    assert accounts_of(gone).ledger("momentum x").unaccounted.value == ledger.unaccounted.value
    # Another dimension, or a time outside of the account, does not count
    joule = replace(by_hand, amount=Fact(1.0, 0.0, Meaning.EXACT, unit_of("energy", "J")))
    for other in (joule, replace(by_hand, at=-5.0)):
        left = accounts_of(entry_typed(project, "made", other).project).ledger("momentum x")
        assert left.unaccounted.value == ledger.unaccounted.value


def test_a_result_is_held_against_an_accepted_value():
    facts = ("mass of sled = 1.500 ± 0.001 kg", "accepted net force = 0.80 ± 0.02 N")
    found = accounts_of(project_of(pushed(1.0), facts=facts))
    net, (error, unit) = found.results["net force"][0], found.results["percent error of net force"]
    assert unit == "%"
    assert error.value == pytest.approx(100.0 * (net.value - 0.8) / 0.8)
    shares = np.array([net.u / 0.8, net.value * 0.02 / np.sqrt(3.0) / 0.64])
    assert error.u == pytest.approx(100.0 * float(np.hypot(*shares)), rel=1e-6)


@dataclass(frozen=True)
class Times:
    """A form or an entry, so many times too large."""

    of: object
    factor: float

    def __getattr__(self, name):
        return getattr(self.of, name)

    def amount(self, q, place):
        """What it is, wrongly."""
        return self.factor * self.of.amount(q, place)


def closed_form(simulation, kind):
    """Hold the accounts of a nearly noiseless trial of a kind against what truly happened."""
    make, events = simulation.KINDS[kind]
    made = make(np.random.default_rng([5, sum(map(ord, kind))]))
    found = accounts_of(simulation.project_of(made))
    assert found.event in events
    tally = simulation.Tally()
    simulation.judged(made, found, tally, kind)
    assert max(z for own in tally.z.values() for z in own) < 4.5
    every = [entry for ledger in found.ledgers for entry in ledger.entries]
    return {name for name, one in every if abs(one.value) > 10.0 * one.u}


def passes(simulation, kind, monkeypatch, wrong):
    """Whether the closed form holds with wrong amounts."""
    with monkeypatch.context() as patch:
        patch.setattr(Statement, "amounts", wrong)
        try:
            closed_form(simulation, kind)
        except AssertionError:
            return False
    return True


@pytest.mark.slow
@pytest.mark.parametrize(
    "kind",
    "hit wall bumper slope down fall hops swing thrust pushed dragged glance parting spinning "
    "dropped launched".split(),
)
def test_no_kind_of_event_would_pass_with_a_wrong_sign_mass_or_count(kind, monkeypatch):
    monkeypatch.syspath_prepend(str(Path(__file__).parents[1] / "benchmarks"))
    import accounts as simulation

    monkeypatch.setattr(simulation, "conditions", lambda _rng: (200.0, 1e-4, 0.0, 0.0))
    entries = closed_form(simulation, kind)
    right = Statement.amounts
    for factor in (-1.0, 0.5):  # a sign that is flipped, half of a mass that is missing

        def wrong(self, q, factor=factor):
            return right(replace(self, forms=tuple(Times(f, factor) for f in self.forms)), q)

        assert not passes(simulation, kind, monkeypatch, wrong)
    if entries - {"outside forces"}:

        def doubled(self, q):
            own = tuple(tuple(Times(e, 2.0) for e in es) for es in self.entries)
            return right(replace(self, entries=own), q)

        assert not passes(simulation, kind, monkeypatch, doubled)


def test_totals_are_sums_of_bodies_whatever_the_account():
    found = accounts_of(project_of(pushed(1.0)))
    for ledger in found.ledgers:
        for k in range(len(ledger.dates)):
            own = [ledger.amounts[AmountOf(k, body)].value for body in ledger.body_names]
            assert ledger.amount(k).value == pytest.approx(sum(own))
