"""The rules of spans: nothing a person drags can break them; and treating many trials like one."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import recording
from inertian.analysis.batch_treatment import treat_alike
from inertian.analysis.evaluation import Evaluator
from inertian.analysis.second_look.look import second_look
from inertian.desktop.bench.rail_ruler import lanes_of, ruler_step
from inertian.files.reader import read_bytes
from inertian.files.trial_building import trials_of
from inertian.motion.spans.span_naming import FoundSpan
from inertian.motion.spans.span_suggestion import shared_spans, suggest_spans
from inertian.motion.spans.spans import Span, SpanError, SpanKind, Spans, move_edge, move_span
from inertian.physics.accounts.ledger import Accounts
from inertian.physics.definitions.requests import OVER_SPAN, Quantity, QuantityRef
from inertian.physics.readings.readings import over_span
from inertian.project import marking_edits as marking
from inertian.project.edits import series_marked, trials_joined
from inertian.project.project import Project, Series, with_trials
from inertian.project.tidying_edits import jumps_set_aside, rows_set_aside
from inertian.project.typed_facts import with_typed_fact
from inertian.quantities.errors import InertianError
from inertian.quantities.facts import Fact, Meaning
from inertian.quantities.units import unit_of
from inertian.rink.day import day

STEADY = [k for k in SpanKind if k.steady]
EVENTS = [k for k in SpanKind if k.event]
LIMITS, LEAST = (0.0, 10.0), 0.05


@st.composite
def marked(draw):
    """Spans side by side, events and steady ones in turn, and perhaps one of one's own over
    them.
    """
    cuts = sorted(draw(st.lists(st.floats(0.1, 9.9), min_size=2, max_size=7, unique=True)))
    cuts = [c for k, c in enumerate(cuts) if k == 0 or c - cuts[k - 1] > 2 * LEAST]
    edges = [0.0, *cuts, 10.0]
    spans = []
    for k, (a, b) in enumerate(pairwise(edges)):
        kind = draw(st.sampled_from(EVENTS if k % 2 else STEADY))
        bodies = draw(st.sampled_from([(), ("a",), ("b",)])) if k % 2 == 0 else ()
        if b - a > 2 * LEAST:
            spans.append(Span(f"s{k}", kind, a, b, bodies))
    return Spans(spans)


def broken(spans):
    """What is wrong with spans: too short, outside, or a steady one that reaches into an event of
    its body.
    """
    for s in spans:
        if s.stop - s.start < LEAST - 1e-9 or s.start < LIMITS[0] or s.stop > LIMITS[1]:
            return s
        for e in (e for e in spans if e.kind.event and s.kind.steady):
            if s.start < e.stop - 1e-12 and e.start < s.stop - 1e-12:
                return s, e
    return None


@given(marked(), st.data())
@settings(max_examples=150)
def test_no_drag_breaks_a_span(spans, data):
    assert broken(spans) is None
    for _ in range(4):
        name = data.draw(st.sampled_from([s.name for s in spans]))
        time = data.draw(st.floats(-3.0, 13.0))
        if data.draw(st.booleans()):
            spans = move_edge(
                spans, name, data.draw(st.sampled_from(["start", "stop"])), time, LEAST, LIMITS
            )
        else:
            length = spans.named(name).length
            moved = move_span(spans, name, time, LEAST, LIMITS)
            if spans.named(name).kind.steady:
                assert moved.named(name).length <= length + 1e-9
            spans = moved
        assert broken(spans) is None
        assert spans.named(name).why == ""


@given(marked())
def test_flags_in_one_lane_never_cover_one_another(spans):
    lanes = lanes_of(spans)
    for a in spans:
        for b in spans:
            if a is not b and lanes[a.name] == lanes[b.name]:
                assert a.stop <= b.start + 1e-6 or b.stop <= a.start + 1e-6
    assert max(lanes.values(), default=0) < max(len(spans), 1)


@given(st.floats(1e-6, 1e6), st.floats(100, 3000))
def test_ruler_marks_stand_on_round_times_with_room_for_their_labels(seconds, pixels):
    step = ruler_step(seconds, pixels)
    assert step / seconds * pixels >= 64.0 * (1 - 1e-9)
    mantissa = step / 10.0 ** np.floor(np.log10(step) + 1e-9)
    assert min(abs(mantissa - m) for m in (1, 2, 5, 10)) < 1e-6


def test_a_span_must_have_length_and_a_free_name_is_found():
    for start, stop in ((1.0, 1.0), (2.0, 1.0), (float("nan"), 1.0)):
        with pytest.raises(SpanError, match="start at"):
            Span("x", SpanKind.FREE, start, stop)
    spans = Spans([Span("x", SpanKind.FREE, 0, 1), Span("x 2", SpanKind.FREE, 0, 1)])
    assert (spans.free_name("x"), spans.free_name("y")) == ("x 3", "y")
    assert spans.contact is spans.before is spans.after is None


def test_an_interaction_is_the_event_of_a_trial_without_a_contact_and_has_no_walls():
    spans = Spans(
        [
            Span("before", SpanKind.VELOCITY, 0, 1),
            Span("slow", SpanKind.INTERACTION, 1, 2),
            Span("after", SpanKind.REST, 2, 3),
        ]
    )
    assert (spans.before.name, spans.contact.name, spans.after.name) == ("before", "slow", "after")
    assert spans.walls() == ()
    hit = Spans([*spans, Span("end", SpanKind.END_STOP, 3, 3.1, ("a",))])
    assert hit.walls() == (3, 3.1)
    assert hit.of("b").walls() == ()


def test_found_spans_are_shared_where_the_bodies_agree_and_split_where_they_do_not():
    found = [
        FoundSpan(SpanKind.REST, "before", 0.0, 1.0, ("a",), "it rests"),
        FoundSpan(SpanKind.VELOCITY, "before", 0.1, 1.0, ("b",), "it glides"),
        FoundSpan(SpanKind.CONTACT, "contact", 1.0, 1.1, ("a", "b"), "they meet"),
        FoundSpan(SpanKind.VELOCITY, "after", 1.1, 1.3, ("a",), "then it stops"),
        FoundSpan(SpanKind.VELOCITY, "after", 1.1, 3.0, ("b",), "it goes on"),
    ]
    spans = shared_spans(found, ("a", "b"))
    assert [(s.name, str(s.kind), s.bodies) for s in spans] == [
        ("before", "free", ()),
        ("contact", "contact", ()),
        ("after (a)", "steady velocity", ("a",)),
        ("after (b)", "steady velocity", ("b",)),
    ]
    assert spans.named("before").why == "it rests; it glides"
    assert (spans.named("before").start, spans.of("a").after.stop, spans.of("b").after.stop) == (
        0.1,
        1.3,
        3.0,
    )


def many(seeds=(21, 22, 23)):
    """Thirty in-line hits of the rink, from files as a class would bring them."""
    files = [f for seed in seeds for f in day(seed=seed) if f.series == "in line"]
    trials = [
        replace(t, name=f"t{k}")
        for k, f in enumerate(files)
        for t in trials_of(read_bytes(f.name, f.content))
    ]
    return with_trials(Project("many", series=(Series("s"),)), trials, "s")


def test_of_many_good_trials_few_need_a_look_and_their_edges_are_at_their_own_hits():
    project = many()
    pattern = project.entries[0]
    own = marking.span_added(
        project, pattern.trial.id, pattern.spans.contact.start - 0.3, 0.0, "late"
    ).project
    spans = own.entries[0].spans
    assert spans.contact is not None
    treated = treat_alike(own, pattern.trial.id, [e.trial.id for e in project.entries])
    assert len(treated.doubts) == 29  # not the pattern itself
    need = [d for d in treated.doubts if d.reasons]
    assert len(need) <= 3, need
    for before, after in zip(project.entries[1:], treated.edit.project.entries[1:], strict=True):
        if before.spans.contact and after.spans.contact:
            assert after.spans.contact.start == pytest.approx(before.spans.contact.start, abs=1e-9)
        assert after.trial is before.trial
    assert treated.edit.name == "Treat 29 trials like “t0”"


def test_a_rough_trial_among_good_ones_is_told(demo):
    rough = demo.entries[3]
    x = {
        b.name: {
            "x": b.channel("x").si + np.random.default_rng(2).normal(0, 0.02, len(rough.trial.t))
        }
        for b in rough.trial.bodies
    }
    project = with_trials(demo, [recording(rough.trial.t, x, name="rough")], "in line")
    targets = [e.trial.id for e in project.entries_of("in line")]
    doubts = {d.trial: d.reasons for d in treat_alike(project, targets[0], targets).doubts}
    assert any("scatters much more" in reason for reason in doubts["rough"])
    assert sum(bool(r) for r in doubts.values()) <= 2


def test_a_series_is_marked_in_one_edit_and_what_is_not_found_is_left_alone(demo):
    trial = demo.entries[0].trial
    bare = marking.span_removed(demo, trial.id, "before").project
    edit = series_marked(bare, "in line", {trial.id: suggest_spans(trial)})
    assert edit.project.entries[0].spans == demo.entries[0].spans
    assert edit.project.entries[1] is demo.entries[1]
    assert edit.name == "Mark spans in 1 trials"


def test_joining_keeps_what_was_set_aside_at_its_samples():
    t = np.arange(100) * 0.02
    rng = np.random.default_rng(3)
    left = recording(
        t, {"heavy": {"x": np.where(t < 1, t, 1.0) + rng.normal(0, 1e-3, 100)}}, name="left"
    )
    u = np.arange(120) * 0.017
    right = recording(
        u, {"light": {"x": np.where(u < 1, 2.0, 1.0 + u) + rng.normal(0, 1e-3, 120)}}, name="right"
    )
    project = with_trials(Project("p", series=(Series("s"),)), [left, right], "s")
    project = rows_set_aside(project, "left", "heavy", [10, 11, 40], "blurred").project
    offset = Fact(0.0, 0.0, Meaning.EXACT, unit_of("time", "s"))
    entry = trials_joined(project, "left", "right", offset, None).project.entries[0]
    assert len(entry.trial.t) > 200
    assert entry.trial.t[entry.prepared.aside["heavy"]].tolist() == t[[10, 11, 40]].tolist()
    assert np.isfinite(entry.used_trial.body("light").channel("x").si).sum() == 120


@st.composite
def ugly(draw):
    """Recordings as they come at worst: gaps, blanks, steps, stuck or wild channels, two to sixty
    samples.
    """
    n = draw(st.integers(2, 60))
    rng = np.random.default_rng(draw(st.integers(0, 10_000)))
    t = np.cumsum(rng.choice([0.01, 0.02, 1.5], n, p=[0.5, 0.45, 0.05])) + draw(
        st.sampled_from([0.0, -50.0, 1.7e9])
    )
    bodies = {}
    for name in draw(st.sampled_from([("a",), ("a", "b"), ("a", "b", "c")])):
        kind = draw(st.sampled_from(["still", "glide", "wild", "steps", "kick"]))
        local = t - t[0]
        x = {
            "still": np.full(n, 3.7),
            "glide": 0.5 * local,
            "wild": rng.normal(0, 1e3, n),
            "steps": np.round(0.3 * local, 1),
            "kick": np.abs(local - 0.3) + rng.normal(0, 1e-4, n),
        }[kind].copy()
        x[rng.random(n) < draw(st.sampled_from([0.0, 0.1, 0.6]))] = np.nan
        bodies[name] = {axis: x.copy() for axis in draw(st.sampled_from(["x", "xy"]))}
    return recording(t, bodies, name="ugly")


@given(ugly())
@settings(max_examples=80)
def test_nothing_in_an_ugly_recording_stops_the_bench(trial):
    project = with_trials(Project("p", series=(Series("s"),)), [trial], "s")
    project = jumps_set_aside(project, "ugly", 6.0).project
    entry = project.entries[0]
    assert all(s.start < s.stop for s in entry.spans)
    evaluator = Evaluator()
    seen = evaluator.trial_context(project, entry)
    for body in entry.trial.bodies:
        for shown in (
            QuantityRef(Quantity.POSITION, body.axes[0]),
            QuantityRef(Quantity.SPEED),
            QuantityRef(Quantity.KINETIC),
        ):
            band = evaluator.band(project, entry, shown, body.name)
            assert isinstance(band, InertianError) or len(band[0]) == len(trial.t)
        for span in entry.spans:
            for kind in OVER_SPAN:
                try:
                    over_span(
                        seen, QuantityRef(Quantity.VELOCITY, body.axes[0]), body.name, span, kind
                    )
                except InertianError:
                    continue
    assert isinstance(evaluator.accounts(project, "ugly"), InertianError | Accounts)
    for text in ("mass of a = 1 ± 0.1 kg", "incline = 5 ± 1 °", "gravity = 9.81 ± 0.01 m/s²"):
        project = with_typed_fact(project, text)
    assert all(note.text for own in second_look(project, evaluator).values() for note in own)
