"""The table of results and trends without a window: columns, formulas with correlations, variables,
trials set aside, and the commands.
"""

import csv
import importlib.util
import io
import json
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from typer.testing import CliRunner

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.analysis.results.apart import values_apart
from inertian.analysis.results.results_table import results_table
from inertian.analysis.results.trial_values import ColumnKind
from inertian.analysis.trends.laid_over import Anchor, laid_over
from inertian.analysis.trends.line_fit import TrendError, fit_line
from inertian.analysis.trends.repeats import repeats_of
from inertian.analysis.trends.trend_lines import TrendLine
from inertian.analysis.trends.trend_points import points_of, rows_of_trend
from inertian.analysis.trends.trend_result import at_contact_name, trend_result, usual_request
from inertian.cli import make_app
from inertian.physics.definitions.requests import Quantity, QuantityRef
from inertian.project.edits import scale_set
from inertian.project.project import Project, with_trials
from inertian.project.ready_projects import ready_project
from inertian.project.saving import load, save
from inertian.project.trend_edits import column_added, with_variable_of_all
from inertian.project.trend_requests import TrendRequest
from inertian.project.typed_facts import with_typed_fact
from inertian.project.variables import (
    cells_emptied,
    cells_filled_down,
    cells_pasted,
    parse_variable,
    trials_apart,
    variables_set,
)
from inertian.quantities.errors import Refusal
from inertian.quantities.expressions import FormulaError
from inertian.quantities.facts import Fact, Meaning
from inertian.report.trend import trend_notes
from test_trend_lines import NORRIS_X, NORRIS_Y, WX, WY, X, Y

HEAVY, LIGHT = "change of velocity of heavy along x", "change of velocity of light along x"


def made(project):
    return results_table(project, Evaluator())


@pytest.fixture(scope="module")
def table(demo):
    return made(demo)


def run(*arguments):
    app = make_app(lambda demo, files: 0, lambda folder: [])
    return CliRunner().invoke(app, [str(a) for a in arguments])


def checked(result, schema):
    path = Path(__file__).parents[1] / "docs" / "schemas" / f"{schema}.json"
    found = json.loads(result.stdout)
    jsonschema.validate(found, json.loads(path.read_text()))
    return found


# -- columns ---------------------------------------------------------------------------------------


def test_everything_with_a_name_is_a_column(table, demo):
    offered = table.offered
    assert offered[HEAVY].kind is ColumnKind.RESULT
    assert offered["momentum x unaccounted"].unit == "kg·m/s"
    assert offered["mass of heavy"].kind is ColumnKind.FACT
    assert offered["number in the name"].kind is ColumnKind.NAME
    first = table.rows[0]
    evaluator = Evaluator()
    accounts = evaluator.accounts(demo, first.trial)
    assert first.values["restitution"].scalar.value == accounts.restitution.value
    left = accounts.ledger("momentum x").unaccounted
    assert first.values["momentum x unaccounted"].scalar.u == left.u


def test_the_change_of_velocity_has_no_friction_in_it(table):
    """Then both changes are as the masses, whatever the length of the span of the contact."""
    for row in table.rows[:10]:
        ratio = row.values[LIGHT].scalar.value / row.values[HEAVY].scalar.value
        assert ratio == pytest.approx(-19.1 / 11.3, rel=0.015)
        before = row.values["velocity just before contact of heavy along x"].scalar.value
        after = row.values["velocity just after contact of heavy along x"].scalar.value
        assert row.values[HEAVY].scalar.value == pytest.approx(after - before, abs=1e-12)


def test_a_column_by_formula_knows_what_its_columns_share(demo):
    """A scale stretches both speeds alike: it moves them, and not their ratio."""
    stretched = []
    for project in (demo, demo):
        text = "velocity just after contact of light along x / speed before of heavy"
        stretched.append(column_added(project, "ratio", text).project)
    row = made(stretched[0]).rows[0]
    a = row.values["velocity just after contact of light along x"].scalar
    b = row.values["speed before of heavy"].scalar
    ratio = row.values["ratio"].scalar
    assert ratio.value == pytest.approx(a.value / b.value, rel=1e-12)
    independent = abs(ratio.value) * np.hypot(a.u / a.value, b.u / b.value)
    assert 0.2 * independent < ratio.u < 1.2 * independent
    # what cancels, cancels
    same = column_added(demo, "one", "mass of heavy/mass of heavy").project
    one = made(same).rows[0].values["one"].scalar
    assert one.value == pytest.approx(1.0)
    assert one.u == pytest.approx(0.0, abs=1e-12)
    product = column_added(demo, "p", "mass of heavy velocity before of heavy along x").project
    value = made(product).rows[0].values["p"]
    assert value.unit == "kg·m/s"
    v = row.values["velocity before of heavy along x"].scalar
    expected = np.hypot(v.value * 0.1 / np.sqrt(3), 19.1 * v.u)
    assert value.scalar.u == pytest.approx(expected, rel=1e-3)


def test_formulas_may_stand_on_one_another_and_bad_ones_say_why(demo):
    project = column_added(demo, "twice", "half * 4").project
    project = column_added(project, "half", "restitution/2").project
    project = column_added(project, "ring", "ring + 1").project
    project = column_added(project, "wrong", "restitution + mass of heavy").project
    row = made(project).rows[0]
    e = row.values["restitution"].scalar
    assert row.values["twice"].scalar.value == pytest.approx(2 * e.value)
    assert row.values["twice"].scalar.u == pytest.approx(2 * e.u, rel=1e-6)
    assert "itself" in row.refused["ring"]
    assert "one kind" in row.refused["wrong"]
    with pytest.raises(FormulaError):
        column_added(demo, "x", " ")


# -- variables -------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "value", "u", "unit"),
    [
        ("3", 3.0, 0.0, ""),
        ("0,50 m", 0.5, 0.01 / np.sqrt(12), "m"),
        ("50 ± 2 cm", 0.5, 0.02 / np.sqrt(3), "m"),
        ("12 V", 12.0, 1 / np.sqrt(12), "V"),
        ("5.0 ± 0.2 °", np.radians(5), np.radians(0.2) / np.sqrt(3), "°"),
        ("-4", -4.0, 0.0, ""),
        ("2.0(1) N", 2.0, 0.1, "N"),
    ],
)
def test_variables_are_read_as_people_write_them(text, value, u, unit):
    fact = parse_variable(text)
    assert isinstance(fact, Fact)
    assert fact.si == pytest.approx(value)
    assert fact.u == pytest.approx(u)
    assert fact.unit.kind == "number" or unit


@pytest.mark.parametrize(
    "text", ["rubber", "felt 3", "left-hand side", "1.2.3", "=SUM(A1)", "5 mm felt"]
)
def test_what_is_no_number_is_a_word(text):
    assert parse_variable(text) == text


def test_a_number_without_unit_takes_that_of_its_column(demo):
    ids = [e.trial.id for e in demo.entries[:3]]
    project = variables_set(
        demo, "height", {ids[0]: "50 cm", ids[1]: "60", ids[2]: "0.7 m"}
    ).project
    found = [dict(project.entry(i).variables)["height"] for i in ids]
    assert [f.si for f in found] == pytest.approx([0.5, 0.6, 0.7])
    assert found[1].meaning is Meaning.LAST_DIGIT
    gone = variables_set(project, "height", {ids[0]: "  "}).project
    assert not gone.entry(ids[0]).variables
    with pytest.raises(Refusal, match="too long"):
        variables_set(demo, "height", {ids[0]: "x" * 300})


def test_table_and_trend_are_kept_in_the_file(demo, tmp_path):
    project = with_variable_of_all(demo, "setting = 4 V")
    project = variables_set(project, "ground", {demo.entries[0].trial.id: "felt"}).project
    project = trials_apart(project, (demo.entries[2].trial.id,), "stone wobbled").project
    project = column_added(project, "twice", "2 restitution").project
    request = TrendRequest(HEAVY, LIGHT, "origin", expected="-m_1/m_2 x", hand=(1, 2, 3, 4.5))
    project = replace(project, trends=replace(project.trends, request=request, sorted_by=HEAVY))
    save(project, tmp_path / "a.inertian")
    back = load(tmp_path / "a.inertian")
    assert back.trends == project.trends
    assert [e.variables for e in back.entries] == [e.variables for e in project.entries]
    assert [e.apart for e in back.entries] == [e.apart for e in project.entries]


# -- trends ----------------------------------------------------------------------------------------


def test_the_first_sight_of_the_demo_is_the_ratio_of_the_masses(table):
    made_trend = trend_result(table, usual_request(table, TrendRequest()))
    assert (made_trend.request.x, made_trend.request.y) == (HEAVY, LIGHT)
    assert len(made_trend.points) == 10
    slope, theory = made_trend.fit.parameter("slope"), made_trend.expected.parameter("slope")
    assert theory.value == pytest.approx(-19.1 / 11.3)
    r = 19.1 / 11.3 * np.hypot(0.1 / np.sqrt(3) / 19.1, 0.1 / np.sqrt(3) / 11.3)
    assert theory.u == pytest.approx(r, rel=1e-6)
    assert made_trend.agreement.verdict == "agree"
    u = np.hypot(slope.u, theory.u)
    assert made_trend.agreement.z == pytest.approx((slope.value - theory.value) / u, rel=1e-2)
    assert made_trend.fit.u_shared("slope") > 0.0  # by the decelerations that all trials share


def test_what_fit_and_theory_share_is_counted_once(demo):
    """Δp of one stone against that of the other: both masses move points and slope."""
    project = demo
    for name, body in (("p of A", "heavy"), ("p of B", "light")):
        text = f"mass of {body} change of velocity of {body} along x"
        project = column_added(project, name, text).project
    own = made(project)
    request = TrendRequest("p of A", "p of B", "origin", expected="-1 x", series=("in line",))
    alone = trend_result(own, request)
    relative = np.hypot(0.1 / np.sqrt(3) / 19.1, 0.1 / np.sqrt(3) / 11.3)
    assert alone.fit.u_shared("slope") == pytest.approx(relative, rel=0.02)
    assert abs(alone.agreement.z) < 2.5
    # theory that hangs on the same masses takes their errors out again
    same = trend_result(own, replace(request, expected="-m_2/m_1 19.1/11.3 x"))
    assert same.agreement.difference.u < 0.1 * relative


def test_trials_set_aside_and_other_series_do_not_count(demo):
    ids = [e.trial.id for e in demo.entries[:2]]
    project = trials_apart(demo, tuple(ids), "stone wobbled").project
    own = made(project)
    assert len(rows_of_trend(own, HEAVY, LIGHT)) == 9
    assert len(rows_of_trend(own, HEAVY, LIGHT, ("glancing",))) == 1
    with pytest.raises(TrendError, match="two trials"):
        trend_result(own, TrendRequest(HEAVY, LIGHT, series=("glancing",)))
    with pytest.raises(TrendError, match="No trial has"):
        trend_result(own, TrendRequest("speed of light", LIGHT))


def test_only_rows_that_changed_are_worked_out_anew(demo, table):
    evaluator = Evaluator()
    first = results_table(demo, evaluator)
    edit = variables_set(demo, "setting", {demo.entries[10].trial.id: "3"})
    second = results_table(edit.project, evaluator, first)
    kept = [a is b for a, b in zip(first.rows, second.rows, strict=True)]
    assert kept == [True] * 10 + [False]
    stopped = results_table(demo, Evaluator(), progress=lambda done, of: done < 3)
    assert stopped is None


def test_twelve_files_by_drive_setting_give_the_angular_speed_in_one_go():
    own = made(ready_project("Disc at twelve settings").project)
    trend = trend_result(own, usual_request(own, TrendRequest()))
    assert (trend.request.x, trend.request.y) == ("setting", "ω")
    slope, start = trend.fit.parameter("slope"), trend.fit.parameter("intercept")
    assert abs(slope.value - 0.36) < 3 * slope.u
    assert abs(start.value - 0.05) < 3 * start.u
    assert set(trend.points.shared.names) == {"centre x", "centre y"}


@pytest.mark.parametrize(
    ("name", "across", "up"),
    [
        ("Sled and bumpers", "change of momentum", "impulse of the gauge"),
        ("Sled up the bank", "mechanical energy before", "mechanical energy after"),
    ],
)
def test_the_first_sight_of_other_projects_means_something(name, across, up):
    own = made(ready_project(name).project)
    trend = trend_result(own, usual_request(own, TrendRequest()))
    assert (trend.request.x, trend.request.y) == (across, up)
    if trend.expected is not None:  # the impulse is the change of momentum
        assert trend.expected.parameter("slope").value == pytest.approx(1.0)
        assert trend.agreement.verdict == "agree"


def test_expected_formulas_say_what_is_missing(table):
    request = TrendRequest(HEAVY, LIGHT, "origin")

    def why(text):
        return trend_result(table, replace(request, expected=text)).unexpected

    assert "restitution" in why("m_1 (1+e)/(m_1+m_2) x")
    assert "m_3 is no fact" in why("m_3 x")
    assert "bracket" in why("m_1 (x")
    assert "one number" in why("slope = x")
    one = trend_result(table, replace(request, expected="slope = -m_1/m_2"))
    assert one.agreement.parameter == "slope"
    typed = trend_result(table, replace(request, expected="slope = -1.69 ± 0.03"))
    assert typed.expected.parameter("slope").u == pytest.approx(0.03 / np.sqrt(3))
    assert typed.agreement.verdict == "agree"
    bent = trend_result(table, replace(request, expected="-1.69 x + 0.001 x^2"))
    assert bent.agreement.parameter == "mean distance"


def test_values_apart_are_marked_with_the_reason(demo):
    rows = made(demo).rows
    assert not values_apart(rows, "restitution")
    odd = {e.trial.id: f"1.0{k % 5} m" for k, e in enumerate(demo.entries)}
    odd[demo.entries[4].trial.id] = "1.70 m"
    own = made(variables_set(demo, "h", odd).project)
    found = values_apart(own.rows, "h")
    assert list(found) == [demo.entries[4].trial.id]
    assert "scatter from their middle" in found[demo.entries[4].trial.id]


def test_repeats_are_pooled_by_a_setting(demo):
    words = ["rubber", "felt"] * 5 + ["felt"]
    typed = {e.trial.id: w for e, w in zip(demo.entries, words, strict=True)}
    own = made(variables_set(demo, "ground", typed).project)
    rows = rows_of_trend(own, "restitution", "restitution", ("in line",))
    found = repeats_of(rows, "restitution", "ground")
    assert {k: v.n for k, v in found.items()} == {"rubber": 5, "felt": 5}
    values = [r.values["restitution"].scalar.value for r in rows[::2]]
    assert found["rubber"].spread == pytest.approx(np.std(values, ddof=1))
    # restitutions of the demo differ from hit to hit by far more than their ±
    assert found["rubber"].p < 1e-6
    assert found["rubber"].mean.u == pytest.approx(np.std(values, ddof=1) / np.sqrt(5), rel=1e-3)


def test_trials_lie_over_one_another_to_a_fraction_of_a_sample():
    """Parabolas of one shape that begin at odd moments: then they lie on one line."""
    rng, project = np.random.default_rng(4), Project()
    trials = []
    for k in range(6):
        t = np.arange(0, 2.0, 0.02)
        turn = 0.9 + 0.0137 * k
        x = -1.1 * (t - turn) ** 2 + 1e-4 * rng.normal(size=len(t))
        if k == 4:
            x = 1.4 * x
        trials.append(recording(t, {"sled": {"x": x}}, name=f"go {k}"))
    project = with_trials(project, trials, "bank")
    laid = laid_over(
        project,
        Evaluator(),
        project.entries,
        QuantityRef(Quantity.VELOCITY, "x"),
        "sled",
        Anchor.TURN,
    )
    assert not laid.missing
    for k, curve in enumerate(laid.curves):
        middle = np.abs(curve.t) < 0.5
        slope = -2.2 * (1.4 if k == 4 else 1.0)
        assert curve.values[middle] == pytest.approx(slope * curve.t[middle], abs=6e-3)
    assert [c.name for c in laid.curves if c.apart] == ["go 4"]
    assert np.nanmax(laid.spread[np.abs(laid.t) < 0.05]) < 0.1


# -- without a window ------------------------------------------------------------------------------


def test_results_as_json_csv_and_workbook(demo, tmp_path):
    path = tmp_path / "rink.inertian"
    project = variables_set(demo, "ground", {demo.entries[0].trial.id: "=felt, wet"}).project
    save(trials_apart(project, (demo.entries[1].trial.id,), "wobbled").project, path)
    found = checked(run("results", path, "--json"), "results-1")
    assert len(found["rows"]) == 11
    assert found["rows"][1]["set_aside"] == "wobbled"
    chosen = run("results", path, "--columns", "ground,restitution,mass of heavy", "--json")
    found = checked(chosen, "results-1")
    assert [c["name"] for c in found["columns"]] == ["ground", "restitution", "mass of heavy"]
    assert found["rows"][0]["values"]["ground"] == "=felt, wet"
    assert found["rows"][0]["values"]["mass of heavy"]["u"] == pytest.approx(0.1 / np.sqrt(3))
    out = tmp_path / "all.csv"
    assert run("results", path, "--columns", "ground,restitution", "--out", out).exit_code == 0
    rows = list(csv.reader(io.StringIO(out.read_text())))
    assert rows[0][:5] == ["trial", "series", "ground", "restitution", "u of restitution"]
    assert rows[1][2].startswith("'=")  # no spreadsheet takes it for a formula
    assert float(rows[1][3]) == found["rows"][0]["values"]["restitution"]["value"]
    book = tmp_path / "all.xlsx"
    assert run("results", path, "--columns", "restitution", "--out", book).exit_code == 0
    from python_calamine import CalamineWorkbook

    sheet = CalamineWorkbook.from_path(book).get_sheet_by_index(0).to_python()
    assert isinstance(sheet[1][2], float)
    bad = run("results", path, "--columns", "nothing")
    assert bad.exit_code == 2
    assert "No trial has “nothing”" in bad.stderr


def test_trend_as_json_and_as_figures(demo, tmp_path):
    path = tmp_path / "rink.inertian"
    save(demo, path)
    figure = tmp_path / "figure.pdf"
    asked = ("--x", HEAVY, "--y", LIGHT, "--line", "origin", "--expect", "-m_1/m_2 x")
    found = checked(
        run("trend", path, *asked, "--series", "in line", "--out", figure, "--json"), "trend-1"
    )
    assert found["n"] == 10
    slope = found["parameters"]["slope"]
    assert slope["u"] == pytest.approx(np.hypot(slope["u_own"], slope["u_shared"]))
    assert found["verdict"] == "agree"
    assert found["expected"]["slope"]["value"] == pytest.approx(-19.1 / 11.3)
    assert found["between_trials"] is None
    assert b"FontFile2" in figure.read_bytes()  # fonts come with it
    spread = run("trend", path, *asked, "--between-trials", "--json")
    assert checked(spread, "trend-1")["between_trials"] is not None
    wrong = run("trend", path, "--x", HEAVY, "--y", LIGHT, "--line", "wavy")
    assert wrong.exit_code == 2
    unknown = run("trend", path, "--x", HEAVY, "--y", "nothing", "--json")
    assert unknown.exit_code == 2
    assert not unknown.stdout


def test_files_serve_in_place_of_a_project(tmp_path):
    """Steady motions at typed settings: the slope of speed against setting."""
    rng, files = np.random.default_rng(6), []
    for k in range(1, 6):
        t = np.arange(0, 2, 0.04)
        x = (0.1 + 0.2 * k) * t + 5e-4 * rng.normal(size=len(t))
        path = tmp_path / f"drive {k}.csv"
        path.write_text(
            "t (s),cart (m)\n" + "\n".join(f"{a:.2f},{b:.5f}" for a, b in zip(t, x, strict=True))
        )
        files.append(path)
    found = checked(run("results", *files, "--together", "--json"), "results-1")
    numbers = [r["values"]["number in the name"]["value"] for r in found["rows"]]
    assert numbers == [1, 2, 3, 4, 5]
    typed = run("results", *files, "--variable", "setting = 2; 4; 6; 8; 10", "--json")
    assert checked(typed, "results-1")["rows"][4]["values"]["setting"] == {"value": 10.0, "u": 0.0}
    kept = tmp_path / "kept.inertian"
    both = ("--variable", "setting = 2; 4; 6; 8; 10", "--save", kept, "--json")
    assert run("results", *files, *both).exit_code == 0
    assert dict(load(kept).entries[2].variables)["setting"].si == 6.0
    few = run("results", *files, "--variable", "setting = 2; 4", "--json")
    assert few.exit_code == 2
    assert "2 values for 5 trials" in few.stderr


def test_what_scales_all_trials_tilts_the_line(demo):
    """A time base of the series stretches all speeds: shared, whatever the number of trials."""
    project = demo
    fact = Fact(1.0, 0.02, Meaning.STANDARD, parse_variable("1").unit)
    project = scale_set(project, "in line", "time base", fact).project
    project = with_typed_fact(project, "restitution = 0.85 ± 0.05")
    own = made(project)
    rows = rows_of_trend(own, "mass of heavy", HEAVY, ("in line",))
    points = points_of(rows, "mass of heavy", HEAVY)
    assert "time base" in points.shared.names
    mean = fit_line(points, TrendLine.CONSTANT)
    k = points.shared.names.index("time base")
    moved = np.abs(points.shared.y[:, k]) * 0.02
    assert moved == pytest.approx(0.02 * np.abs(points.y), rel=0.02)
    assert mean.u_shared("value") > 0.9 * 0.02 * abs(mean.parameter("value").value)


def test_velocities_at_the_edges_of_a_contact_are_told_apart_from_those_at_it(demo, table):
    """Friction between edge and contact is not in the law of a hit."""
    edge = TrendRequest(
        "velocity before of heavy along x", "velocity after of heavy along x", series=("in line",)
    )
    told = trend_result(table, edge)
    assert told.beside_contact > 0.001
    assert any("just after contact" in note for note in trend_notes(told))
    x, y = (at_contact_name(name) for name in (edge.x, edge.y))
    assert (x, y) == (
        "velocity just before contact of heavy along x",
        "velocity just after contact of heavy along x",
    )
    assert trend_result(table, replace(edge, x=x, y=y)).beside_contact == 0.0


def bare_project(many):
    """Trials in which nothing happens, to hang variables on."""
    t = np.arange(0, 1, 0.05)
    trials = [recording(t, {"b": {"x": 0 * t}}, name=f"row-{k}") for k in range(many)]
    return with_trials(Project(), trials, "typed")


def test_certified_data_that_were_typed_come_through_the_table(tmp_path):
    """Norris, of the NIST's reference datasets, as a class would type it."""
    project = bare_project(len(NORRIS_X))
    for name, values in (("x", NORRIS_X), ("y", NORRIS_Y)):
        typed = {e.trial.id: str(v) for e, v in zip(project.entries, values, strict=True)}
        project = variables_set(project, name, typed).project
    save(project, tmp_path / "norris.inertian")
    found = checked(
        run("trend", tmp_path / "norris.inertian", "--x", "x", "--y", "y", "--json"), "trend-1"
    )
    slope, start = found["parameters"]["slope"], found["parameters"]["intercept"]
    assert slope["value"] == pytest.approx(1.00211681802045, rel=1e-13)
    assert start["value"] == pytest.approx(-0.262323073774029, rel=1e-11)
    assert slope["u"] == pytest.approx(0.429796848199937e-3, rel=1e-11)
    assert (slope["dof"], found["chi2"], slope["u_shared"]) == (34, None, 0.0)


def test_typed_points_with_both_errors_come_through_the_table():
    """Pearson's data with York's weights, each typed with its ±; u = 1/√w."""
    project = bare_project(len(X))
    for name, values, weights in (("x", X, WX), ("y", Y, WY)):
        typed = {
            e.trial.id: f"{v} ± {float(w**-0.5 * np.sqrt(3))!r}"
            for e, v, w in zip(project.entries, values, weights, strict=True)
        }
        project = variables_set(project, name, typed).project
    trend = trend_result(made(project), TrendRequest("x", "y"))
    assert trend.fit.parameter("slope").value == pytest.approx(-0.480533407, abs=5e-8)
    assert trend.fit.u_own("slope") == pytest.approx(0.057985009, abs=5e-7)
    assert trend.fit.chi_squared == pytest.approx(11.86635, abs=5e-5)


@pytest.mark.parametrize(
    "names", [("v", "v after"), ("a+b", "b"), ("x (1)", "[x]"), ("m_1", "m"), ("Δv/Δt", "Δv")]
)
def test_names_of_columns_stand_in_formulas_as_they_are(names):
    project = bare_project(3)
    for name, number in zip(names, (3.0, 5.0), strict=True):
        project = with_variable_of_all(project, f"{name} = {number}")
    project = column_added(project, "both", f"{names[0]} * 10 + {names[1]}").project
    for row in made(project).rows:
        assert row.values["both"].scalar.value == 35.0, row.refused


def test_cells_are_pasted_filled_and_emptied_as_one_edit_each():
    project = bare_project(4)
    ids = [e.trial.id for e in project.entries]
    cells = [["1 V", "felt"], ["2 V"], ["", "wool"]]
    pasted = cells_pasted(project, ["drive", "ground"], ids, cells).project
    assert [dict(e.variables).get("ground") for e in pasted.entries] == ["felt", None, "wool", None]
    assert dict(pasted.entries[1].variables)["drive"].si == 2.0
    filled = cells_filled_down(pasted, {"ground": ids}).project
    assert {dict(e.variables)["ground"] for e in filled.entries} == {"felt"}
    emptied = cells_emptied(filled, {"ground": ids[:2], "drive": ids}).project
    assert [dict(e.variables) for e in emptied.entries] == [{}, {}, *[{"ground": "felt"}] * 2]


@pytest.mark.slow
def test_slopes_from_raw_files_of_unequal_stones_hold_the_truth():
    """Files, spans, fits, accounts, trend: the ratio of the masses, and v′ against v of a hit on a
    resting stone, with typed masses and restitution that err as they say.
    """
    path = Path(__file__).parents[1] / "benchmarks" / "trend_from_files.py"
    spec = importlib.util.spec_from_file_location("trend_from_files", path)
    simulation = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(simulation)
    inside, many = np.zeros((3, 3)), 60
    cases = [simulation.CASES[0], simulation.CASES[2], simulation.CASES[3]]
    for number in range(many):
        mass = (19.1, 11.3) if number % 2 else (8.4, 17.9)
        own = made(simulation.series(np.random.default_rng([77, number]), 6, mass))
        slopes = simulation.true_slopes(mass)
        true = [slopes[0], slopes[2], slopes[3]]
        for k, ((x, y, theory), slope) in enumerate(zip(cases, true, strict=True)):
            trend = trend_result(own, TrendRequest(x, y, "origin", expected=theory))
            one = trend.fit.parameter("slope")
            away = abs(one.value - slope)
            inside[k] += (
                away <= one.k68 * one.u,
                away <= one.k95 * one.u,
                abs(trend.agreement.z) <= 2.0,
            )
    shares = inside / many
    assert np.all(shares[:, 0] > 0.6827 - 3.29 * np.sqrt(0.6827 * 0.3173 / many)), shares
    assert np.all(shares[:, 1:] > 0.9545 - 3.29 * np.sqrt(0.9545 * 0.0455 / many)), shares


def test_velocities_are_results_before_anything_is_weighed(demo):
    """Then theory has no masses, and expects nothing."""
    weightless = replace(demo, setup={})
    own = made(weightless)
    found = own.rows[0].values
    whole = made(demo).rows[0].values
    for name in ("restitution", LIGHT, "velocity before of heavy along x"):
        assert found[name].scalar.value == pytest.approx(whole[name].scalar.value, rel=1e-12)
        assert found[name].scalar.u == pytest.approx(whole[name].scalar.u, rel=1e-6)
    trend = trend_result(own, usual_request(own, TrendRequest()))
    assert trend.fit.parameter("slope").value == pytest.approx(-1.7018, abs=1e-3)
    assert (trend.expected, trend.unexpected) == (None, "")


def test_an_event_without_results_of_its_own_has_its_amounts_all_the_same():
    """A swing: its account has dates and amounts, and no named result."""
    rng, t = np.random.default_rng(1), np.arange(0, 6, 0.02)
    project = Project()
    for k in (1, 2):
        x = 0.1 * k * np.sin(2 * np.pi * t / 1.6) + 5e-4 * rng.normal(size=len(t))
        project = with_trials(project, [recording(t, {"b": {"x": x}}, name=f"go-{k}")], "swings")
    project = with_typed_fact(project, "mass of b = 1.00 ± 0.01 kg")
    own = made(project)
    assert not any(row.refused for row in own.rows)
    assert not Evaluator().accounts(project, own.rows[0].trial).results
    assert own.offered["kinetic energy before"].kind is ColumnKind.AMOUNT
