"""What the keys and the menu of the bench do."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject

from inertian.desktop.bench.bench import BenchStage
from inertian.desktop.bench.gestures import Handle
from inertian.desktop.bench.sample_exclusion import REACH, nearest_sample, toggle_sample
from inertian.desktop.look import words
from inertian.desktop.look.number_format import format_time
from inertian.desktop.state.document import Document
from inertian.desktop.state.worker import Worker
from inertian.motion.numerics.window_selection import LONG_RECORDING
from inertian.motion.recording.tidying import Reason, StepKind
from inertian.motion.spans.span_suggestion import suggest_spans
from inertian.motion.spans.spans import Spans
from inertian.project.edits import edge_moved, series_marked, spans_suggested
from inertian.project.history import Edit
from inertian.project.marking_edits import curves_removed, span_added, span_removed
from inertian.project.tidying_edits import rows_set_aside, step_removed
from inertian.quantities.errors import InertianError


class BenchActions(QObject):
    """Acts on the trial in hand through the view of the bench; each function is one entry of the
    menu.
    """

    def __init__(
        self, document: Document, bench: BenchStage, worker: Worker, show_bench: Callable[[], None]
    ) -> None:
        super().__init__(bench)
        self._document, self._bench, self._view, self._worker = document, bench, bench.view, worker
        self._show_bench = show_bench

    def _do(self, make: Callable[[], Edit]) -> None:
        try:
            edit = make()
        except InertianError as error:
            self._bench.say(str(error))
        else:
            self._document.do(edit)

    def _failed(self, error: BaseException) -> None:
        if not isinstance(error, InertianError):
            raise error
        self._bench.say(str(error))

    # -- spans -------------------------------------------------------------------------------------

    def mark_spans(self) -> None:
        """Mark the spans that the finder suggests in the trial in hand; of a long recording, it
        searches on the worker.
        """
        entry, project = self._document.entry, self._document.committed
        if entry is None:
            return
        search = partial(spans_suggested, project, entry.trial.id)
        if len(entry.trial.t) <= LONG_RECORDING:
            self._document.do(search())
            return

        def mark(edit: Edit) -> None:
            if self._document.committed is project:
                self._document.do(edit)
                self._bench.say("")

        self._bench.say(words.SEARCHING_ONE)
        self._worker.run("mark spans", search, mark, self._failed)

    def mark_series(self) -> None:
        """Mark what the finder finds in all trials of the series in hand; it searches on the
        worker.
        """
        entry = self._document.entry
        if entry is None:
            return
        project, series = self._document.committed, entry.series
        trials = {e.trial.id: e.used_trial for e in project.entries_of(series)}

        def search() -> dict[str, Spans]:
            return {trial_id: suggest_spans(trial) for trial_id, trial in trials.items()}

        def mark(found: dict[str, Spans]) -> None:
            if self._document.committed is project:
                self._document.do(series_marked(project, series, found))
                self._bench.say(words.SERIES_MARKED.format(count=len(found)))

        self._bench.say(words.SEARCHING.format(count=len(trials)))
        self._worker.run("mark series", search, mark, self._failed)

    def begin_span(self) -> None:
        """Begin a span at the plumb line, or end the one that was begun."""
        entry, line = self._document.entry, self._view.line
        if entry is None or line is None:
            self._bench.say(words.NO_LINE)
        elif self._view.begun is None or self._view.begun == line:
            self._view.begun = line
            time = format_time(line - entry.frame.time_zero, entry.trial.step())
            self._bench.say(words.SPAN_BEGUN.format(time=time))
            self._bench.rail.update()
        else:
            begun, self._view.begun = self._view.begun, None
            name = entry.spans.free_name("span")
            self._do(
                lambda: span_added(self._document.committed, entry.trial.id, begun, line, name)
            )
            self._bench.say("")
            self._bench.rail.type_name(name)

    def rename_span(self) -> None:
        """Ask for the name of the span in hand."""
        self._bench.rail.type_name(self._bench.rail.span_in_hand())

    def remove_span(self) -> None:
        """Take the span in hand away."""
        entry, active = self._document.entry, self._bench.rail.active
        if entry is None or active is None or not any(s.name == active.span for s in entry.spans):
            self._bench.say(words.NOT_A_SPAN)
            return
        self._bench.rail.activate(None)
        self._document.do(span_removed(self._document.committed, entry.trial.id, active.span))

    def edge_to_line(self, edge: str) -> None:
        """Move the start or stop of the span in hand to the plumb line."""
        entry, line, name = self._document.entry, self._view.line, self._bench.rail.span_in_hand()
        if entry is None or line is None or not name:
            self._bench.say(words.NO_LINE if line is None else words.NOT_A_SPAN)
            return
        self._bench.rail.activate(Handle(name, edge))
        self._do(lambda: edge_moved(self._document.committed, entry.trial.id, name, edge, line))

    # -- tidying -----------------------------------------------------------------------------------

    def set_aside_mode(self) -> None:
        """Let the mouse set aside without Ctrl, or not."""
        self._view.setting_aside = not self._view.setting_aside
        self._view.turned.emit()

    def set_aside_at_line(self) -> None:
        """Set the sample of the body in hand at the plumb line aside, or let it count again."""
        entry, line = self._document.entry, self._view.line
        shown, body = self._view.in_hand()
        if entry is None or line is None or shown is None:
            self._bench.say(words.NO_LINE)
            return
        strip = next(
            (s for s in self._bench.strips() if s.shown == shown and not s.residuals), None
        )
        traces = [t for t in strip.traces if t.body == body] if strip else []
        reach = entry.trial.step() / REACH
        hit = nearest_sample(traces, line, 0.0, (reach, float("inf")))
        if hit is not None:
            self._do(lambda: toggle_sample(self._document, self._view, *hit))

    def give_reason(self, number: int) -> None:
        """Choose a reason; what was set aside last, by the last edit, is then set aside for this
        one.
        """
        entry, reason = self._document.entry, list(Reason)[number - 1]
        old, self._view.reason = self._view.reason, reason
        self._view.turned.emit()
        undo = self._document.history.undo_name or ""
        if entry is None or not entry.steps or not undo.endswith(f"aside: {old}") or old == reason:
            return
        project = self._document.committed
        last = project.entry(entry.trial.id).steps[-1]
        if last.kind is StepKind.SET_ASIDE and last.reason == old:
            rows = last.rows(len(entry.trial.t)).tolist()
            without = step_removed(project, entry.trial.id, len(entry.steps) - 1).project
            for body in (last.body,) if last.body else tuple(b.name for b in entry.trial.bodies):
                without = rows_set_aside(without, entry.trial.id, body, rows, reason).project
            self._document.do(Edit(f"Set {len(rows)} aside: {reason}", without))

    # -- fits, others ------------------------------------------------------------------------------

    def clear_curves(self) -> None:
        """Take all fits of the trial away."""
        entry = self._document.entry
        if entry is not None and entry.curves:
            self._document.do(curves_removed(self._document.committed, entry.trial.id))

    def treat_others(self) -> None:
        """Ask which other trials to treat like this one, and do it in one edit."""
        from inertian.desktop.bench.batch_dialog import BatchDialog

        entry = self._document.entry
        if entry is None or len(self._document.project.entries_of(entry.series)) < 2:
            self._bench.say(words.NO_OTHERS)
            return
        dialog = BatchDialog(self._bench.window(), self._document, self._worker)
        dialog.exec()
        if dialog.treated is None:
            self._bench.say(words.TREAT_STOPPED)
            return
        treated = dialog.treated
        self._document.doubts = {d.trial: d.reasons for d in treated.doubts if d.reasons}
        self._document.do(treated.edit)
        look = len(self._document.doubts)
        text = words.TREATED_LOOK if look else words.TREATED
        self._bench.say(text.format(count=len(treated.doubts), look=look))

    def next_look(self) -> None:
        """Take the next trial in hand that needs a look; one that was looked at needs none any
        more.
        """
        document = self._document
        ids = [e.trial.id for e in document.project.entries if e.trial.id in document.doubts]
        now = document.entry.trial.id if document.entry else ""
        if now in ids and document.seen_doubt == now:
            ids = ids[ids.index(now) + 1 :] + ids[: ids.index(now)]
            del document.doubts[now]
        if not ids:
            document.seen_doubt = ""
            self._bench.say(words.NOTHING_TO_LOOK_AT)
            document.changed.emit()
            return
        document.seen_doubt = ids[0]
        self._show_bench()
        document.select(ids[0])
        document.changed.emit()
        self._bench.say(words.LOOK_AT.format(why="; ".join(document.doubts[ids[0]])))
