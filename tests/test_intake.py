"""What is done with what was read: stretched scales and times, two recorders on one trial, recipes
in projects.
"""

import json
from dataclasses import replace

import numpy as np
import pytest

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.files.cells.recipes import Recipe, Stated
from inertian.files.cells.stated_scales import parse_rate, parse_scale, parse_time_base
from inertian.files.reader import read_bytes
from inertian.files.trial_building import trials_of
from inertian.motion.recording.trials import Body, Channel
from inertian.motion.spans.clock_alignment import JoinError, find_offset, join_trials
from inertian.physics.accounts.account_inputs import CLOSING, OPENING, DateValue
from inertian.project.edits import scale_set, trials_joined
from inertian.project.history import History
from inertian.project.project import Project, with_trials
from inertian.project.saving import load, save
from inertian.project.trial_import import bring_in, file_groups, read_by_recipes, reread
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact
from inertian.quantities.units import Unit, unit_of

KG, S, NUMBER = unit_of("mass", "kg"), unit_of("time", "s"), Unit("", "number", 1.0)
HIT, V1, V2, W1, W2 = 1.2, 1.5, 0.3, 0.0, 2.03  # s, m/s before and after


def motions(t, rng=None, noise=1e-3):
    """Positions of a heavy and a light stone about a hit at HIT."""
    rng = rng or np.random.default_rng(1)
    heavy = 0.3 + np.where(t < HIT, V1 * t, V1 * HIT + V2 * (t - HIT))
    light = 2.4 + np.where(t < HIT, W1 * t, W1 * HIT + W2 * (t - HIT))
    return heavy + rng.normal(0, noise, t.size), light + rng.normal(0, noise, t.size)


def two_recorders(offset=0.15, length=5.0):
    t1, t2 = np.arange(0, 2.4, 0.02), np.arange(0, 2.4, 0.025)
    heavy, _ = motions(t1)
    _, light = motions(t2 + offset)
    return recording(t1, {"heavy": {"x": heavy}}, "left"), recording(
        t2, {"light": {"x": length - light}}, "right"
    )


def test_two_recorders_become_one_trial_by_the_contact_that_both_saw():
    left, right = two_recorders()
    offset = find_offset(left, right)
    assert abs(offset.value - 0.15) < 3 * offset.u
    trial = join_trials(left, right, offset.value, 5.0)
    assert [b.name for b in trial.bodies] == ["heavy", "light"]
    assert np.isfinite(trial.body("light").channel("x").si).sum() == right.t.size
    speed = np.polyfit(
        trial.t[-20:],
        np.interp(trial.t[-20:], right.t + offset.value, 5.0 - right.bodies[0].channels[0].si),
        1,
    )
    assert speed[0] == pytest.approx(W2, abs=0.03)
    with pytest.raises(JoinError, match="another time"):
        join_trials(left, right, 99.0)


def test_a_force_and_an_acceleration_are_laid_over_one_another():
    def pulse(t, at, height):
        return height * np.exp(-(((t - at) / 0.03) ** 2))

    t1, t2 = np.arange(0, 3, 0.001), np.arange(0, 3, 0.005)
    rng = np.random.default_rng(2)
    force = Channel(
        "F", "F", unit_of("force", "N"), pulse(t1, 1.3, 50.0) + rng.normal(0, 0.5, t1.size)
    )
    shaken = Channel(
        "a",
        "a",
        unit_of("acceleration", "m/s²"),
        -pulse(t2, 0.9, 4.0) + rng.normal(0, 0.05, t2.size),
    )
    one = replace(recording(t1, {"x": {"x": t1}}, "gauge"), bodies=(Body("bumper", (), (force,)),))
    two = replace(recording(t2, {"x": {"x": t2}}, "sled"), bodies=(Body("sled", (), (shaken,)),))
    offset = find_offset(one, two)
    assert offset.value == pytest.approx(0.4, abs=0.002)
    quiet = recording(t2, {"still": {"x": np.ones(t2.size)}}, "still")
    with pytest.raises(JoinError, match="no contact stands out"):
        find_offset(recording(t1, {"b": {"x": np.zeros(t1.size)}}, "b"), quiet)


def test_joining_is_one_edit_saved_and_undone_and_its_offset_is_in_the_budget(tmp_path):
    left, right = two_recorders()
    project = with_trials(Project("p"), [left, right], "s")
    project = project.with_fact(FactId("mass of heavy"), Fact(19.1, 0.0, Meaning.EXACT, KG))
    project = project.with_fact(FactId("mass of light"), Fact(11.3, 0.0, Meaning.EXACT, KG))
    history = History(project)
    history.do(trials_joined(project, "left", "right", Fact(0.15, 0.004, Meaning.STANDARD, S), 5.0))
    save(history.project, tmp_path / "a.inertian")
    again = load(tmp_path / "a.inertian")
    for trial in (history.project.entries[0].trial, again.entries[0].trial):
        assert len(history.project.entries) == 1
        assert trial.body("light").channel("x").si[
            np.isfinite(trial.body("light").channel("x").si)
        ][0] == pytest.approx(2.4, abs=0.01)
    accounts = Evaluator().accounts(again, "left")
    energy = accounts.ledger("kinetic energy")
    assert any("clock offset" in source.name for source in energy.budget)
    assert accounts.ledger("momentum x").unaccounted.value == pytest.approx(
        0.0, abs=4 * accounts.ledger("momentum x").unaccounted.u
    )
    history.undo()
    assert history.project is project


def pixels(noise=0.3, rng=None):
    """A film of the hit in px at 412 px/m and 50 frames/s, whose times were stretched by 12."""
    t = np.arange(0, 2.4, 0.02)
    heavy, light = motions(t, rng, noise / 412)
    rows = "".join(
        f"{12 * a:.3f},{412 * h:.2f},{412 * x:.2f}\n"
        for a, h, x in zip(t, heavy, light, strict=True)
    )
    return ("time (s),heavy (px),light (px)\n" + rows).encode()


def filmed(scale, time_base, content=None):
    recipe = Recipe(scale=scale, time_base=time_base)
    group = file_groups([read_bytes("film.csv", content or pixels(), recipe)])
    edit, reasons = bring_in(Project("p"), group, "s", {})
    assert reasons == []
    project = edit.project.with_fact(FactId("mass of heavy"), Fact(19.1, 0.0, Meaning.EXACT, KG))
    return project.with_fact(FactId("mass of light"), Fact(11.3, 0.0, Meaning.EXACT, KG))


def momentum(project):
    return Evaluator().accounts(project, project.entries[0].trial.id).ledger("momentum x")


def test_the_u_of_scale_and_time_base_is_carried_into_the_account_and_cancels_where_it_should():
    exact = filmed(Stated(1 / 412), Stated(1 / 12))
    rough = filmed(Stated(1 / 412, 0.02 / 412, "standard"), Stated(1 / 12, 0.01 / 12, "standard"))
    known, loose = momentum(exact), momentum(rough)
    assert loose.opening.value == pytest.approx(19.1 * V1, rel=2e-3)
    expected = np.hypot(known.opening.u, loose.opening.value * np.hypot(0.02, 0.01))
    assert loose.opening.u == pytest.approx(expected, rel=1e-3)
    assert loose.unaccounted.u < 0.1 * loose.opening.u  # a common factor moves both sides alike
    e1, e2 = (Evaluator().collision_inputs(p, p.entries[0].trial.id).inputs for p in (exact, rough))
    i, j = (
        e2.index(DateValue(1, "heavy", "x", OPENING)),
        e2.index(DateValue(1, "light", "x", CLOSING)),
    )
    assert e2.covariance[i, j] > 100 * abs(e1.covariance[i, j])


@pytest.mark.slow
def test_intervals_cover_when_scale_and_time_base_are_known_within_their_u():
    """The true scale and time base differ from the stated ones by draws from their u, trial by
    trial.
    """
    rng, hits, n = np.random.default_rng(8), 0, 250
    for _ in range(n):
        scale = Stated((1 + rng.normal(0, 0.01)) / 412, 0.01 / 412, "standard")
        base = Stated((1 + rng.normal(0, 0.005)) / 12, 0.005 / 12, "standard")
        opening = momentum(filmed(scale, base, pixels(rng=rng))).opening
        hits += abs(opening.value - 19.1 * V1) <= opening.k68 * opening.u
    assert abs(hits / n - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / n)


def test_correcting_a_time_base_moves_no_span_off_its_samples():
    project = filmed(Stated(1 / 412), None)
    before = project.entries[0]
    after = scale_set(
        project, "s", "time base", Fact(1 / 12, 0.0, Meaning.EXACT, NUMBER)
    ).project.entries[0]
    assert after.trial.t[-1] == pytest.approx(before.trial.t[-1] / 12)
    for old, new in zip(before.spans, after.spans, strict=True):
        assert old.rows(before.trial.t) == new.rows(after.trial.t)
    wider = (
        scale_set(project, "s", "scale", Fact(1 / 206, 0.0, Meaning.EXACT, NUMBER))
        .project.entries[0]
        .trial
    )
    assert wider.bodies[0].channels[0].si[0] == pytest.approx(
        2 * before.trial.bodies[0].channels[0].si[0]
    )


def test_recipes_live_in_the_project_and_serve_the_next_files(tmp_path):
    project = filmed(Stated(1 / 412), Stated(1 / 12))
    save(project, tmp_path / "p.inertian")
    again = load(tmp_path / "p.inertian")
    assert again.recipes == project.recipes
    assert json.loads(again.entries[0].trial.provenance.recipe)["scale"]["value"] == 1 / 412
    asked = read_bytes("film 2.csv", pixels())
    assert asked.questions
    served = read_by_recipes(asked, again.recipes)
    assert served.questions == ()
    assert trials_of(served)[0].t[-1] == pytest.approx(2.38)


def test_reading_again_keeps_id_name_and_spans():
    project = filmed(Stated(1 / 412), Stated(1 / 12))
    entry = project.entries[0]
    edit = reread(project, entry.trial.id, replace(project.recipes[0], scale=Stated(1 / 400)))
    new = edit.project.entries[0]
    assert (new.trial.id, new.trial.name, new.spans) == (
        entry.trial.id,
        entry.trial.name,
        entry.spans,
    )
    assert new.trial.bodies[0].channels[0].si[0] == pytest.approx(
        entry.trial.bodies[0].channels[0].si[0] * 412 / 400
    )


@pytest.mark.parametrize(
    ("text", "value", "u"),
    [
        ("412 px = 1.000 m", 1 / 412, np.hypot(1 / 412, 0.001) / np.sqrt(12) / 412),
        ("100.0 ± 0.1 cm = 412 ± 2 px", 1 / 412, np.hypot(0.001, 2 / 412) / np.sqrt(3) / 412),
        ("2.43 ± 0.01 mm/px", 0.00243, 1e-5 / np.sqrt(3)),
    ],
)
def test_scales_are_read_as_they_are_typed(text, value, u):
    stated = parse_scale(text)
    assert stated.value == pytest.approx(value)
    assert stated.plus_minus == pytest.approx(u, rel=1e-3)


def test_time_bases_and_rates_are_read_and_nonsense_is_refused_in_words():
    assert (
        parse_time_base("300 as 25").value
        == parse_time_base("25/300").value
        == pytest.approx(1 / 12)
    )
    assert parse_time_base("0,0833 ± 0,0002").plus_minus == pytest.approx(0.0002)
    assert parse_rate("50 fps") == 50.0
    for read, text in (
        (parse_scale, "412"),
        (parse_scale, "1 m = 2 m"),
        (parse_scale, "0 px = 1 m"),
        # Fmt: skip
        (parse_time_base, "slow"),
        (parse_time_base, "25/0"),
        (parse_rate, "-3"),
    ):
        with pytest.raises(InertianError):
            read(text)
    assert parse_fact("0.15 ± 0.01 s", "time", S).u > 0


def test_a_name_that_looks_like_a_formula_is_data_and_runs_in_no_spreadsheet(tmp_path):
    import csv
    import zipfile

    name = '=HYPERLINK("x")'
    project = with_trials(
        Project("p"), [recording([0.0, 1.0, 2.0], {name: {"x": [1.0, 2.0, 3.0]}})], "s"
    )
    save(project, tmp_path / "p.inertian")
    with zipfile.ZipFile(tmp_path / "p.inertian") as archive:
        header = next(csv.reader(archive.read("data/made.csv").decode().splitlines()))
    assert header[1].startswith("'=")
    assert load(tmp_path / "p.inertian").entries[0].trial.bodies[0].name == name


@pytest.mark.slow
def test_intervals_cover_when_a_clock_offset_is_known_within_its_u():
    """Positions at the contact of the body on the second clock, its offset off by draws from the
    stated u.
    """
    rng, hits, n, u = np.random.default_rng(9), 0, 250, 0.01
    for _ in range(n):
        t1, t2 = np.arange(0, 2.4, 0.02), np.arange(0, 2.4, 0.025)
        heavy, _light = motions(t1, rng)
        _heavy, light = motions(t2 + 0.15, rng)
        pair = [
            recording(t1, {"heavy": {"x": heavy}}, "left"),
            recording(t2, {"light": {"x": light}}, "right"),
        ]
        project = with_trials(Project("p"), pair, "s")
        stated = Fact(0.15 + rng.normal(0, u), u, Meaning.STANDARD, S)
        project = trials_joined(project, "left", "right", stated, None).project
        contact = project.entries[0].spans.contact
        inputs = Evaluator().collision_inputs(project, "left").inputs
        i = inputs.index(DateValue(0, "light", "x", CLOSING))
        truth = 2.4 + W2 * (contact.stop - HIT)
        hits += abs(inputs.values[i] - truth) <= inputs.u(DateValue(0, "light", "x", CLOSING))
    assert abs(hits / n - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / n)


@pytest.mark.parametrize("name", ["scale", "time base"])
@pytest.mark.parametrize("law", ["momentum x", "kinetic energy"])
def test_the_sensitivity_to_a_stretch_is_that_of_evaluating_anew(name, law):
    """u through the fact alone equals |∂/∂fact| u, the derivative taken by changing the fact and
    evaluating again.
    """
    share = 1e-3

    def opening(scale_by=1.0, base_by=1.0, scale_u=0.0, base_u=0.0):
        scale = Stated(scale_by / 412, scale_u / 412, "standard" if scale_u else "limits")
        base = Stated(base_by / 12, base_u / 12, "standard" if base_u else "limits")
        project = filmed(scale, base)
        return Evaluator().accounts(project, project.entries[0].trial.id).ledger(law).opening

    plain = opening()
    if name == "scale":
        moved, loose = opening(scale_by=1 + share).value, opening(scale_u=share).u
    else:
        moved, loose = opening(base_by=1 + share).value, opening(base_u=share).u
    assert np.sqrt(loose**2 - plain.u**2) == pytest.approx(abs(moved - plain.value), rel=0.02)


def test_a_ratio_of_speeds_of_one_film_does_not_feel_its_scale():
    from inertian.physics.accounts.ledger import restitution_of

    readings = []
    for u in (0.0, 0.05):
        project = filmed(Stated(1 / 412, u / 412, "standard"), Stated(1 / 12, u / 12, "standard"))
        readings.append(
            restitution_of(Evaluator().collision_inputs(project, project.entries[0].trial.id))
        )
    # Uncancelled, fifty times as large; draws tell u to 2 %
    assert readings[1].u < 1.03 * readings[0].u


def test_files_of_one_make_are_kept_together_and_other_makes_apart():
    one, two = b"time (s),heavy (m)\n0,1\n1,2\n2,4\n", b"t (s);x (m)\n0;1\n1;2\n2;3\n"
    readings = [
        read_bytes(f"{k}.csv", c)
        for k, c in enumerate((one, two, one + b"3,5\n", b"", one + b"3,6\n"))
    ]
    groups = file_groups(readings)
    assert [[r.file for r in m.files] for m in groups] == [["0.csv", "2.csv", "4.csv"], ["1.csv"]]
    assert [m.count() for m in groups] == [3, 1]
    assert groups[0].bodies() == ("heavy",)
    assert groups[0].topics() == ()
    edit, reasons = bring_in(
        Project("p"), groups, "film", {"heavy": Fact(19.1, 0.1, Meaning.LIMITS, KG)}
    )
    assert reasons == []
    assert (edit.name, len(edit.project.entries), len(edit.project.recipes)) == (
        "Bring in 4 trials",
        4,
        2,
    )
    assert [e.trial.name for e in edit.project.entries] == ["0", "2", "4", "1"]
    assert FactId("mass of heavy") in edit.project.setup


def test_a_trial_too_short_is_told_and_the_others_come_in():
    content = b"trial,time (s),heavy (m)\nA,0,1\nA,1,2\nA,2,4\nB,0,1\n"
    edit, reasons = bring_in(Project("p"), file_groups([read_bytes("a.csv", content)]), "s", {})
    assert [e.trial.name for e in edit.project.entries] == ["A"]
    assert reasons == ["B: a trial needs at least 2 samples."]


def test_reading_again_is_refused_where_the_original_is_gone_or_gives_less():
    project = filmed(Stated(1 / 412), Stated(1 / 12))
    entry = project.entries[0]
    bare = replace(entry.trial, provenance=replace(entry.trial.provenance, content=None))
    with pytest.raises(InertianError, match="too large to be kept"):
        reread(project.with_entry(replace(entry, trial=bare)), entry.trial.id, Recipe())
    later = replace(entry.trial, provenance=replace(entry.trial.provenance, part=3))
    with pytest.raises(InertianError, match="fewer trials"):
        reread(project.with_entry(replace(entry, trial=later)), entry.trial.id, Recipe())


def test_version_1_projects_are_still_opened(demo, tmp_path):
    import zipfile

    save(demo, tmp_path / "new.inertian")
    with (
        zipfile.ZipFile(tmp_path / "new.inertian") as new,
        zipfile.ZipFile(tmp_path / "old.inertian", "w") as old,
    ):
        for name in new.namelist():
            content = new.read(name)
            if name == "analysis.json":
                value = json.loads(content)
                value["version"] = 1
                value.pop("recipes")
                for trial in value["trials"]:
                    trial.pop("time_base")
                    for key in ("recipe", "part", "others"):
                        trial["source"].pop(key)
                    for c in (c for b in trial["bodies"] for c in b["channels"]):
                        for key in ("factor", "sign", "shift"):
                            c.pop(key)
                content = json.dumps(value).encode()
            old.writestr(name, content)
    opened = load(tmp_path / "old.inertian")
    for a, b in zip(opened.entries, demo.entries, strict=True):
        np.testing.assert_array_equal(a.trial.t, b.trial.t)
        assert a.spans == b.spans
