"""Formulas: units are checked, rings and dangers refused, uncertainties are those of the same thing
by hand.
"""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import Qt
from scipy.special import stdtrit

from conftest import recording
from inertian.analysis.evaluation import Evaluator
from inertian.desktop.look import words
from inertian.motion.recording.trials import Body, Channel, Trial
from inertian.motion.spans.spans import Span, SpanKind, Spans
from inertian.physics.definitions.apparatus import FACT_RULES, fact_by_rule, stiffness
from inertian.physics.definitions.derived_quantities import (
    READY_MADE,
    DerivedQuantity,
    DerivedQuantityError,
    check_quantities,
)
from inertian.physics.definitions.formula_resolution import resolve
from inertian.physics.definitions.requests import NamedReading, Quantity, QuantityRef, ReadingKind
from inertian.physics.evaluation.formula_values import formula_values
from inertian.physics.evaluation.quantity_values import at_all_samples, quantity_values
from inertian.physics.evaluation.trial_context import NoValueError
from inertian.physics.readings.reading_monte_carlo import Draws, drawn_values
from inertian.physics.readings.readings import over_span, read_named, scalars
from inertian.project.encoding import decode, encode
from inertian.project.formula_edits import quantity_removed, quantity_set
from inertian.project.marking_edits import reading_named
from inertian.project.project import Project, Series, with_trials
from inertian.quantities.dimensions import parse_unit
from inertian.quantities.errors import InertianError, Refusal
from inertian.quantities.expressions import FormulaError, parse_formula
from inertian.quantities.facts import Fact, FactId, Meaning, parse_fact
from inertian.quantities.units import unit_of

KG, DEGREE = unit_of("mass", "kg"), unit_of("angle", "°")


def fact(value, u, unit):
    return Fact(value, u, Meaning.STANDARD, unit)


def project(trial, derived=(), **facts):
    made = with_trials(replace(Project(), series=(Series("made"),)), [trial], "made")
    known = {
        "mass sled": fact(2.0, 0.01, KG),
        "mass cart": fact(0.5, 0.01, KG),
        "incline": fact(10.0, 0.2, DEGREE),
        **facts,
    }
    for name, one in known.items():
        name = f"mass of {name.split()[1]}" if name.startswith("mass ") else name
        made = made.with_fact(FactId(name), one)
    return replace(made, derived=tuple(derived))


def context_of(made):
    return Evaluator().trial_context(made, made.entries[0])


def incline(rng, n=60, sigma=1e-3):
    t = np.linspace(0.0, 1.5, n)
    x = 1.5 * t - 0.85 * t * t
    return recording(t, {"sled": {"x": x + rng.normal(0.0, sigma, n)}}), t, x, 1.5 - 1.7 * t


def derived(symbol, unit, text, name="made"):
    return DerivedQuantity(name, symbol, unit, text)


@pytest.mark.parametrize(
    ("unit", "text", "why"),
    [
        ("J", "½ m v² + m a", "J . N has no meaning"),
        ("N", "½ m v²", "gives J, which cannot be shown in N"),
        ("m", "sin(x)", "plain number or an angle, not m"),
        ("J", "½ m w²", "“w” is not known"),
        ("J", "½ m v²)", "brackets"),
        ("J", "m.__class__", "not part of arithmetic"),
        ("1", "9**9**9", "exponents"),
        ("m", "rate(rate(x))", "use an acceleration"),
        ("m", "y", "was not followed along y"),
        ("furlong", "x", "is not a unit"),
    ],
)
def test_what_cannot_be_is_refused_with_the_reason(unit, text, why):
    with pytest.raises(DerivedQuantityError, match=why):
        resolve(derived("Q", unit, text), {}, "sled", {"sled": ("x",)}, {})


def test_rings_are_refused_and_chains_cannot_grow_without_end():
    with pytest.raises(DerivedQuantityError, match="A → B → A"):
        check_quantities([derived("A", "J", "B + 1"), derived("B", "J", "2 A")])
    with pytest.raises(DerivedQuantityError, match="two quantities"):
        check_quantities([derived("A", "J", "1"), derived("A", "J", "2")])
    chain = {f"q{k}": derived(f"q{k}", "m", " + ".join([f"q{k + 1}"] * 20)) for k in range(12)} | {
        "q12": derived("q12", "m", "x")
    }
    with pytest.raises(DerivedQuantityError, match="too long"):
        resolve(chain["q0"], chain, "sled", {"sled": ("x",)}, {})


@pytest.mark.parametrize(
    ("text", "size", "unit"),
    [
        ("kg·m/s", 1.0, "kg·m/s"),
        ("N m", 1.0, "J"),
        ("cm^2", 1e-4, "m²"),
        ("mJ/s", 1e-3, "W"),
        ("g·cm²", 1e-7, "kg·m²"),
    ],
)
def test_units_are_read_as_people_write_them(text, size, unit):
    factor, dimension = parse_unit(text)
    assert (factor, str(dimension)) == (pytest.approx(size), unit)


@given(st.floats(-3.0, 3.0), st.floats(0.2, 3.0))
def test_rates_follow_the_chain_rule(a, b):
    formula = parse_formula("rate(exp(-0.3 u) sin(u w)/w + sqrt(w)^3 - ln(w²))", rates=True)
    plain = parse_formula("exp(-0.3 u) sin(u w)/w + sqrt(w)^3 - ln(w²)")
    u, w = 0.7 * a, 1.0 + b
    h = 1e-6
    expected = (plain(u=u + a * h, w=w + b * h) - plain(u=u - a * h, w=w - b * h)) / (2 * h)
    assert formula.along({"u": u, "w": w}, {"u": a, "w": b}) == pytest.approx(
        expected, rel=1e-6, abs=1e-6
    )


def test_a_formula_of_a_built_in_quantity_has_its_value_and_uncertainty():
    rng = np.random.default_rng(1)
    trial, *_ = incline(rng)
    context = context_of(
        project(
            trial,
            [
                derived("K", "J", "0.5*m*v**2"),
                derived("K2", "mJ", "2 K - K"),
                derived("O", "m", "x - x"),
            ],
        )
    )
    builtin, mine, double, nothing = (
        at_all_samples(context, s, "sled")
        for s in (
            QuantityRef(Quantity.KINETIC),
            QuantityRef(Quantity.DERIVED, "K", "J"),
            QuantityRef(Quantity.DERIVED, "K2", "J"),
            QuantityRef(Quantity.DERIVED, "O", "m"),
        )
    )
    for one in (mine, double):
        # near rest, rounding is that of the largest values, of the order of 1 J
        np.testing.assert_allclose(one, builtin, rtol=1e-9, atol=1e-10)
    np.testing.assert_allclose(nothing, 0.0, atol=1e-15)
    span = over_span(
        context, QuantityRef(Quantity.DERIVED, "K", "J"), "sled", _whole(trial), ReadingKind.MEAN
    )
    same = over_span(
        context, QuantityRef(Quantity.KINETIC), "sled", _whole(trial), ReadingKind.MEAN
    )
    a, b = scalars(context, {"": span})[""], scalars(context, {"": same})[""]
    assert (a.value, a.u) == (pytest.approx(b.value), pytest.approx(b.u))


def _whole(trial):
    from inertian.motion.spans.spans import Span, SpanKind

    return Span("whole", SpanKind.FREE, float(trial.t[5]), float(trial.t[-6]))


@pytest.mark.slow
@pytest.mark.parametrize("symbol", ["E_i", "E_mi", "P"])
def test_energies_on_an_incline_cover_the_truth(symbol):
    rng = np.random.default_rng(7)
    hits = []
    for _ in range(300):
        trial, _t, x, v = incline(rng)
        facts = {
            "mass sled": fact(2.0 + rng.normal(0.0, 0.02), 0.02, KG),
            "incline": fact(10.0 + rng.normal(0.0, 0.3), 0.3, DEGREE),
            "gravity": fact(9.81, 0.001, unit_of("acceleration", "m/s²")),
        }
        context = context_of(project(trial, **facts))
        height = 2.0 * 9.81 * x * np.sin(np.radians(10.0))
        truth = {"E_i": height, "E_mi": height + v**2, "P": 2.0 * v * -1.7}[symbol]
        value, u = at_all_samples(context, QuantityRef(Quantity.DERIVED, symbol, "J"), "sled")
        hits.append(abs(value[20] - truth[20]) < u[20])
    assert abs(np.mean(hits) - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / 300)


def test_the_centre_of_mass_follows_bodies_of_different_clocks():
    t = np.linspace(0.0, 2.0, 121)
    heavy, light = 0.3 * t, 2.0 - 0.5 * t
    first, second = np.arange(121) % 2 == 0, np.arange(121) % 2 == 1
    trial = recording(
        t,
        {
            "sled": {"x": np.where(first, heavy, np.nan)},
            "cart": {"x": np.where(second, light, np.nan)},
        },
    )
    context = context_of(project(trial))
    rows = np.flatnonzero(first)[10:-10]
    found = formula_values(
        context, QuantityRef(Quantity.DERIVED, "x_cm", "m"), "sled", t[rows], rows
    )
    np.testing.assert_allclose(
        found.values, (2.0 * heavy[rows] + 0.5 * light[rows]) / 2.5, atol=1e-9
    )
    assert FactId("mass of cart") in found.facts


def test_missing_facts_are_named_and_quantities_outlive_saving():
    trial, *_ = incline(np.random.default_rng(2))
    made = project(trial, [derived("S", "J", "½ k x² + E_i", "Stored")])
    with pytest.raises(NoValueError, match="k is not known"):
        quantity_values(
            context_of(made), QuantityRef(Quantity.DERIVED, "S", "J"), "sled", np.array([0.5])
        )
    # One's own is offered, to say what it lacks
    assert QuantityRef(Quantity.DERIVED, "S", "J") in made.offered(made.entries[0])
    assert "E_s" not in [s.axis for s in made.offered(made.entries[0])]
    with_spring = made.with_fact(
        FactId("spring constant"), fact(20.0, 0.1, unit_of("stiffness", "N/m"))
    )
    assert np.isfinite(
        quantity_values(
            context_of(with_spring),
            QuantityRef(Quantity.DERIVED, "S", "J"),
            "sled",
            np.array([0.5]),
        ).values[0]
    )
    again = decode("a", encode(made).__getitem__)
    assert again.derived == made.derived
    more = quantity_set(made, derived("T", "J", "2 S")).project
    with pytest.raises(DerivedQuantityError, match="made of it"):
        quantity_removed(more, "S")
    assert quantity_removed(made, "S").project.derived == ()
    with pytest.raises((DerivedQuantityError, FormulaError)):
        quantity_set(made, derived("sin", "J", "1"))
    assert len({q.symbol for q in READY_MADE}) == len(READY_MADE)


def test_a_formula_is_written_shown_explained_and_taken_back_in_the_window(
    demo, open_window, qtbot
):
    window = open_window(demo)
    window.show_stage(words.BENCH)
    window.show_page(words.PAGE_FORMULAS)
    page = window.formulas
    for field, text in (
        (page.symbol, "K"),
        (page.unit, "J"),
        (page.name, "Motion"),
        (page.formula, "0.5*m*v_x^2 + m a"),
    ):
        qtbot.keyClicks(field, text)
    assert "J + N has no meaning" in page.verdict.text()
    qtbot.keyClick(page.formula, Qt.Key.Key_Return)
    # It may come to mean something; the strip says why not
    assert window.document.committed.derived[0].text.endswith("m a")
    window.document.undo()
    for field in (page.symbol, page.unit, page.name, page.formula):
        field.clear()
    for field, text in ((page.symbol, "K"), (page.unit, "mJ"), (page.formula, "0,5*m*v_x^2")):
        qtbot.keyClicks(field, text)
    assert page.verdict.text() == "Good: it gives J."
    assert "<sub>x</sub>" in page.preview.text()
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    assert [q.symbol for q in window.document.committed.derived] == ["K"]
    shown, _ = window.bench.view.in_hand()
    assert (shown.axis, window.bench.view.unit(shown.unit)) == ("K", "mJ")
    window.show_page(words.PAGE_READINGS)
    window.bench.view.move_line(0.4)
    qtbot.waitUntil(lambda: window.readings.line_rows[ReadingKind.VALUE].explain.isEnabled())
    assert "mJ" in window.readings.line_rows[ReadingKind.VALUE].value.text()
    qtbot.mouseClick(
        window.readings.line_rows[ReadingKind.VALUE].explain, Qt.MouseButton.LeftButton
    )
    card = window.readings.card
    assert "mass of heavy" in card.table.text()
    assert "(limits)" in card.table.text()
    assert "J/kg" in card.table.text()
    qtbot.mouseClick(card.draws.button, Qt.MouseButton.LeftButton)
    assert card.draws.button.text() == words.STOP
    qtbot.waitUntil(card.draws.said.isVisible, timeout=60_000)
    assert "Shortest interval for 68 %" in card.draws.said.text()
    assert "mJ" not in card.draws.said.text()
    assert "Shortest interval" in card.draws.plain  # it is copied with the budget
    qtbot.mouseClick(card.draws.button, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(card.draws.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: card.draws.said.text() == words.STOPPED, timeout=20_000)
    assert card.draws.button.text() == words.SIMULATE
    card.accept()
    window.show_page(words.PAGE_FORMULAS)
    page.facts["k", ""].line.setFocus()
    qtbot.keyClicks(page.facts["k", ""].line, "20 N/cm")
    qtbot.keyClick(page.facts["k", ""].line, Qt.Key.Key_Return)
    assert window.document.committed.setup[FactId("spring constant", "series in line")].si == 2000.0
    # X_0 is still missing
    assert "E_s" not in [s.axis for s in window.document.committed.offered(window.document.entry)]
    window.document.undo()
    window.document.undo()
    assert window.document.committed.derived == ()
    window.document.history.mark_saved(window.document.committed)


def test_in_the_plane_direction_speed_over_radius_and_centre_of_mass_are_those_of_the_motion():
    t = np.linspace(0.0, 2.0, 101)
    circle = {"x": 1.0 + 0.5 * np.cos(2.0 * t), "y": 0.5 * np.sin(2.0 * t)}
    trial = recording(t, {"sled": circle, "cart": {"x": 0.2 * t, "y": 1.0 - 0.3 * t}})
    context = context_of(project(trial))
    context = replace(context, frame=replace(context.frame, centre=(1.0, 0.0)))
    rows = np.arange(10, 90)

    def found(symbol, unit=""):
        return at_all_samples(context, QuantityRef(Quantity.DERIVED, symbol, unit), "sled")[0][rows]

    np.testing.assert_allclose(np.tan(found("φ_v")), -1.0 / np.tan(2.0 * t[rows]), rtol=1e-3)
    np.testing.assert_allclose(found("ω_v", "1/s"), 2.0, rtol=1e-4)
    y = (2.0 * circle["y"] + 0.5 * (1.0 - 0.3 * t)) / 2.5
    np.testing.assert_allclose(found("y_cm", "m"), y[rows], atol=1e-9)
    v = np.array([-np.sin(2.0 * t) - 0.2, np.cos(2.0 * t) + 0.3])
    np.testing.assert_allclose(
        found("E_cmp", "J"), 0.5 * (2.0 * 0.5 / 2.5) * np.sum(v**2, axis=0)[rows], rtol=1e-3
    )


def _sled(rng, n=120, sigma=0.05):
    """A sled with only an accelerometer aboard: trial, and the true velocity and distance."""
    t = np.linspace(0.0, 3.0, n)
    w = 2.0 * np.pi / 3.0
    acceleration = Channel(
        "a", "a", unit_of("acceleration", "m/s²"), np.sin(w * t) + rng.normal(0.0, sigma, n)
    )
    trial = Trial(
        "sled", "sled", "t", unit_of("time", "s"), t, (Body("sled", (), (acceleration,)),)
    )
    return trial, t, (1.0 - np.cos(w * t)) / w, (t - np.sin(w * t) / w) / w


@pytest.mark.slow
def test_an_accelerometer_gives_velocity_and_distance_that_cover_the_truth():
    rng = np.random.default_rng(11)
    hits = []
    for _ in range(150):
        trial, _t, v, x = _sled(rng)
        context = context_of(project(trial))
        velocity, distance = (
            at_all_samples(context, QuantityRef(Quantity.DERIVED, s, u), "sled")
            for s, u in (("v_acc", "m/s"), ("x_acc", "m"))
        )
        k = 100
        hits.append(
            [
                abs(velocity[0][k] - v[k]) < velocity[1][k],
                abs(distance[0][k] - x[k]) < distance[1][k],
            ]
        )
    assert np.all(np.abs(np.mean(hits, axis=0) - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / 150))


def test_an_area_of_a_rate_is_the_change_and_a_rate_of_an_area_is_refused():
    trial, t, *_ = incline(np.random.default_rng(3))
    mine = [derived("dK", "J", "area(rate(½ m v²))"), derived("no", "J", "rate(area(½ m v²))")]
    context = context_of(project(trial, mine))
    change, u = at_all_samples(context, QuantityRef(Quantity.DERIVED, "dK", "J"), "sled")
    kinetic, _ = at_all_samples(context, QuantityRef(Quantity.KINETIC), "sled")
    assert abs(change[-8] - (kinetic[-8] - kinetic[0])) < 4.0 * u[-8]
    with pytest.raises(NoValueError, match="what stands in the area"):
        quantity_values(context, QuantityRef(Quantity.DERIVED, "no", "J"), "sled", t[10:20])


# -- facts from measurements -----------------------------------------------------------------------


def lengths(**typed):
    return {
        k: parse_fact(v, "mass" if k == "m" else "length", unit_of("length", "m"))
        for k, v in typed.items()
    }


def test_inclines_and_inertias_are_the_textbook_ones_with_their_uncertainty():
    slope, level = (w for w in FACT_RULES if w.symbol == "θ")
    found = fact_by_rule(
        slope, lengths(h1="0.100 ± 0.001 m", h2="0.300 ± 0.001 m", s="1.0 m ± 0 m")
    )
    assert found.typed == pytest.approx(np.degrees(np.arcsin(0.2)), abs=1e-4)
    assert found.u == pytest.approx(
        np.hypot(1e-3, 1e-3) / np.sqrt(3.0) / np.cos(np.arcsin(0.2)), rel=0.01
    )
    assert fact_by_rule(
        level, lengths(h1="0 m ± 0 m", h2="1 m ± 0 m", d="1 m ± 0 m")
    ).typed == pytest.approx(45.0)
    with pytest.raises(Refusal, match="larger than the way"):
        fact_by_rule(slope, lengths(h1="0 m", h2="2 m", s="1 m"))
    with pytest.raises(Refusal, match="Way between the marks"):
        fact_by_rule(slope, lengths(h1="0 m", h2="2 m"))
    every = lengths(
        m="2 kg ± 0 kg",
        r="0.5 m ± 1 %",
        r1="0.5 m",
        r2="0.5 m",
        L="0.5 m",
        a="0.5 m",
        b="0 m",
        l="0.5 m",
    )
    every["T"] = parse_fact("2 s", "time", unit_of("time", "s"))
    every["g"] = parse_fact("9.81", "acceleration", unit_of("acceleration", "m/s²"))
    by_text = [fact_by_rule(w, every).si / (2.0 * 0.25) for w in FACT_RULES if w.symbol == "I"]
    assert by_text == pytest.approx(
        (0.5, 1.0, 1.0, 0.4, 2 / 3, 1 / 12, 1 / 3, 1 / 12, 2.0 * 9.81 / np.pi**2), rel=1e-3
    )
    disc = next(w for w in FACT_RULES if w.text == "½ m r²")
    assert fact_by_rule(disc, every).u / fact_by_rule(disc, every).si == pytest.approx(
        2.0 * 0.01 / np.sqrt(3.0), rel=0.01
    )


BAD_TABLES = {
    "1 2\n2 4": "at least 3",
    "1 2\n2 x\n3 4": "Row 2",
    "kg N\n1 2": "not a unit of length",
    "1 3\n2 2\n3 1": "falls",
    "1 2 3": "two numbers",
    "1 2\n1 3\n1 4": "the same",
}


def test_a_spring_constant_from_a_table_covers_the_truth_and_bad_tables_are_refused():
    rng = np.random.default_rng(4)
    for stated, k in ((0.0, stdtrit(10.0, 0.5 + 0.6827 / 2)), (0.02, 1.0)):
        hits = []
        for _ in range(300):
            x = np.linspace(0.02, 0.12, 12)
            f = 25.0 * x + 0.1 + rng.normal(0.0, 0.02, 12)
            rows = "\n".join(
                f"{100 * a:.6f}\t{b:.6f}".replace(".", ",") for a, b in zip(x, f, strict=True)
            )
            found = stiffness("cm N\n" + rows, 0.0, stated)
            hits.append(abs(found.si - 25.0) / found.u < k)
        assert abs(np.mean(hits) - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / 300)
    for text, why in BAD_TABLES.items():
        with pytest.raises(InertianError, match=why):
            stiffness(text)


def test_an_incline_and_a_spring_are_measured_in_the_window(demo, open_window, qtbot):
    window = open_window(demo)
    window.show_stage(words.BENCH)
    window.show_page(words.PAGE_FORMULAS)
    page = window.formulas
    qtbot.mouseClick(page.measuring["θ", ""], Qt.MouseButton.LeftButton)
    assert not page.dialog.use.isEnabled()
    for name, text in (
        ("h1", "0.100 ± 0.001 m"),
        ("h2", "30.0 ± 0.1 cm"),
        ("s", "1.000 ± 0.002 m"),
    ):
        line = page.dialog.fields[name].line
        qtbot.keyClicks(line, text)
        qtbot.keyClick(line, Qt.Key.Key_Return)
    assert "11.54 ± 0.05 °" in page.dialog.given.text()
    qtbot.mouseClick(page.dialog.use, Qt.MouseButton.LeftButton)
    kept = window.document.committed.setup[FactId("incline", "series in line")]
    assert (kept.meaning, kept.si) == (Meaning.STANDARD, pytest.approx(np.arcsin(0.2), abs=1e-5))
    assert "11.5370 ± 0.0496" in page.facts["θ", ""].line.text()
    qtbot.mouseClick(page.measuring["k", ""], Qt.MouseButton.LeftButton)
    page.dialog.table.setFocus()
    for row in ("cm N", "2.0 0.49", "4.0 1.01", "6.0 1.48"):
        qtbot.keyClicks(page.dialog.table, row)
        qtbot.keyClick(page.dialog.table, Qt.Key.Key_Return)
    assert "N/m" in page.dialog.given.text()
    qtbot.mouseClick(page.dialog.cancel, Qt.MouseButton.LeftButton)
    assert FactId("spring constant", "series in line") not in window.document.committed.setup
    window.document.undo()
    window.document.history.mark_saved(window.document.committed)


def test_a_named_reading_is_a_name_in_formulas_with_all_it_shares_with_the_samples():
    trial, _t, _x, _v = incline(np.random.default_rng(5))
    start = NamedReading(
        "v_0", ReadingKind.MEAN, QuantityRef(Quantity.VELOCITY, "x"), "sled", (), "whole"
    )
    twice = NamedReading(
        "d", ReadingKind.VALUE, QuantityRef(Quantity.DERIVED, "D", "m/s"), "sled", (0.8,)
    )
    ring = NamedReading(
        "w", ReadingKind.VALUE, QuantityRef(Quantity.DERIVED, "W", "m/s"), "sled", (0.8,)
    )
    made = project(
        trial,
        [
            derived("D", "m/s", "v_x - v_0"),
            derived("E", "J", "½ m v_0²"),
            derived("W", "m/s", "w + v_x"),
        ],
    )
    entry = replace(made.entries[0], named=(start, twice, ring), spans=Spans([_whole(trial)]))
    made = made.with_entry(entry)
    assert {"D", "E"} <= {s.axis for s in made.offered(entry)}
    context = Evaluator().trial_context(made, entry)
    mean = read_named(context, start)
    value, u = at_all_samples(context, QuantityRef(Quantity.DERIVED, "E", "J"), "sled")
    np.testing.assert_allclose(value, mean.value**2)
    np.testing.assert_allclose(
        u, np.hypot(2.0 * mean.value * mean.u, 0.005 * mean.value**2), rtol=1e-6
    )
    difference = over_span(
        context, QuantityRef(Quantity.DERIVED, "D", "m/s"), "sled", _whole(trial), ReadingKind.MEAN
    )
    nothing = scalars(context, {"": difference})[""]
    # One and the same
    assert (nothing.value, nothing.u) == (
        pytest.approx(0.0, abs=1e-12),
        pytest.approx(0.0, abs=1e-9),
    )
    found = read_named(context, twice)
    draws = Draws(context, 4000, np.random.default_rng(3))
    drawn = drawn_values(draws, twice.shown, "sled", np.array([0.8]), None)
    assert (drawn.mean(), drawn.std()) == (
        pytest.approx(found.value, abs=0.1 * found.u),
        pytest.approx(found.u, rel=0.1),
    )
    with pytest.raises(NoValueError, match="“w” is not known"):
        read_named(context, ring)


@pytest.mark.slow
def test_a_towed_sled_with_an_offset_and_a_drift_is_levelled_by_its_spans_of_rest():
    rng, hits, t = np.random.default_rng(12), [], np.linspace(0.0, 5.0, 151)
    inside, w = np.clip(t - 1.0, 0.0, 3.0), 2.0 * np.pi / 3.0
    pull = np.where((t > 1.0) & (t < 4.0), np.sin(w * inside), 0.0)
    true = (1.0 - np.cos(w * inside)) / w, (inside - np.sin(w * inside) / w) / w
    rests = Spans(
        [Span("rest", SpanKind.REST, 0.0, 0.95), Span("rest again", SpanKind.REST, 4.05, 5.0)]
    )
    for _ in range(150):
        a = pull + 0.3 + 0.01 * (t - 2.0) + rng.normal(0.0, 0.05, len(t))
        sensor = Channel("a", "a", unit_of("acceleration", "m/s²"), a)
        trial = Trial("sled", "sled", "t", unit_of("time", "s"), t, (Body("sled", (), (sensor,)),))
        context = replace(context_of(project(trial)), spans=rests)
        k = 118
        own_hits = []
        for (symbol, unit), truth in zip((("v_lev", "m/s"), ("x_lev", "m")), true, strict=True):
            value, u = at_all_samples(context, QuantityRef(Quantity.DERIVED, symbol, unit), "sled")
            own_hits.append(abs(value[k] - truth[k]) < u[k])
        hits.append(own_hits)
    assert np.all(np.abs(np.mean(hits, axis=0) - 0.6827) < 3.3 * np.sqrt(0.6827 * 0.3173 / 150))
    with pytest.raises(NoValueError, match="span of rest"):
        at_all_samples(
            context_of(project(trial)), QuantityRef(Quantity.DERIVED, "v_lev", "m/s"), "sled"
        )


@pytest.mark.parametrize(("rule", "order"), [("area", 2.0), ("simpson", 3.5), ("stepsum", 1.0)])
def test_integrals_follow_their_rule_and_own_up_to_what_it_leaves_out(rule, order):
    """A smooth push without noise: the error falls as it must, and the stated ± is at least of its
    size.
    """
    misses, stated = [], []
    for n in (20, 40, 80):
        t = np.sort(np.linspace(0.0, 2.0, n))
        trial = Trial(
            "t", "t", "time", unit_of("time", "s"), t, (Body("sled", (), (_force(np.sin(t)),)),)
        )
        context = context_of(project(trial, [derived("J", "N·s", f"{rule}(F)")]))
        whole = quantity_values(
            context, QuantityRef(Quantity.DERIVED, "J", "N·s"), "sled", np.array([t[-1]])
        )
        misses.append(abs(float(whole.values[0]) - (1.0 - np.cos(2.0))))
        stated.append(abs(float(whole.facts[context.rule_bias_fact][0])))
    found = np.log2(np.array(misses[:-1]) / misses[1:])
    assert np.all(found > order - 0.3)
    if rule != "simpson":
        assert np.all(found < order + 0.3)
        assert stated == pytest.approx(misses, rel=0.25)
    between = quantity_values(
        context, QuantityRef(Quantity.DERIVED, "J", "N·s"), "sled", np.array([0.7, 5.0])
    )
    assert between.values[0] == pytest.approx(1.0 - np.cos(0.7), abs=0.02)
    assert np.isnan(between.values[1])


def _force(values):
    return Channel("F", "F", unit_of("force", "N"), values)


def test_an_unknown_tilt_makes_velocity_and_distance_uncertain_as_t_and_t_squared():
    t = np.arange(200) * 0.02
    sensor = Channel("a", "a", unit_of("acceleration", "m/s²"), 0.3 + 0.0 * t)
    trial = Trial("t", "t", "time", unit_of("time", "s"), t, (Body("sled", (), (sensor,)),))
    made = project(trial).with_fact(FactId("tilt of the accelerometer"), fact(1.0, 0.2, DEGREE))
    tilted = 9.81 * np.sin(np.radians(1.0))
    u_tilt = 9.81 * np.cos(np.radians(1.0)) * np.radians(0.2)
    for symbol, unit, power in (("v_tilt", "m/s", 1), ("x_tilt", "m", 2)):
        value, u = at_all_samples(
            context_of(made), QuantityRef(Quantity.DERIVED, symbol, unit), "sled"
        )
        assert value[-1] == pytest.approx((0.3 - tilted) * t[-1] ** power / power, rel=1e-6)
        assert u[100:] == pytest.approx(u_tilt * t[100:] ** power / power, rel=0.02)


# -- names of readings ---------------------------------------------------------------------------


@pytest.mark.parametrize(
    "name",
    ["v_1", "v_heavy", "x", "m_2", "a", "t", "g", "sin", "ω_1", "K", "F", "F_gauge", "r_light"],
)
def test_a_reading_cannot_have_a_name_that_formulas_understand_as_something_else(name):
    t = np.linspace(0.0, 1.0, 20)
    force = Channel("F", "F", unit_of("force", "N"), np.sin(t))
    stones = recording(t, {"heavy": {"x": t}, "light": {"x": -t}}).bodies
    trial = Trial("t", "t", "t", unit_of("time", "s"), t, (*stones, Body("gauge", (), (force,))))
    made = project(trial, [derived("K", "J", "½ m v²")])
    shown = QuantityRef(Quantity.POSITION, "x")
    with pytest.raises(Refusal, match="already means something"):
        reading_named(made, "t", NamedReading(name, ReadingKind.VALUE, shown, "heavy", (0.5,)))
    free = NamedReading(f"{name}0", ReadingKind.VALUE, shown, "heavy", (0.5,))
    kept = reading_named(made, "t", replace(free, name="v_begin")).project
    assert [n.name for n in kept.entries[0].named] == ["v_begin"]


def test_a_reading_of_an_older_file_with_such_a_name_is_not_silently_something_else():
    t = np.linspace(0.0, 1.0, 20)
    trial = recording(t, {"sled": {"x": 2.0 * t}}, "t")
    made = project(trial, [derived("J", "m/s", "v_1 - 1.0 v_1")])
    shown = QuantityRef(Quantity.VELOCITY, "x")
    named = NamedReading("v_1", ReadingKind.VALUE, shown, "sled", (0.5,))
    made = made.with_entry(replace(made.entries[0], named=(named,)))
    with pytest.raises(NoValueError, match="also the name of a reading"):
        at_all_samples(context_of(made), QuantityRef(Quantity.DERIVED, "J", "m/s"), "sled")


def test_ready_made_quantities_are_shown_or_taken_over_and_symbols_are_put_in_by_click(
    open_window, demo, qtbot
):
    window = open_window(demo)
    window.show_page(words.PAGE_FORMULAS)
    page, left = window.formulas, Qt.MouseButton.LeftButton
    qtbot.mouseClick(page.ready_made.head, left)
    buttons = page.ready_made.buttons
    buttons["P", words.SHOW].click()
    assert any(s.shown.axis == "P" for s in window.bench.strips())
    buttons["P", words.TAKE_OVER].click()
    assert (page.symbol.text(), page.formula.text()) == ("P_own", "rate(½ m v²)")
    page.formula.setText("½ ")
    for text in ("m", "v_x"):
        page.symbols.buttons[text].click()
        page.formula.insert(" ")
    assert page.formula.text() == "½ m v_x "
    page.formula.insert("v_x")
    page.unit.setText("J")
    page.take()
    assert [q.symbol for q in window.document.project.derived] == ["P_own"]
