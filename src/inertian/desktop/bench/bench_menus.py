"""The menus of a strip and of a span."""

from typing import TYPE_CHECKING, cast

import numpy as np
from PyQt6.QtWidgets import QApplication, QMenu, QWidget

from inertian.desktop.bench.bench_parts import BenchInterface, StripInterface
from inertian.desktop.look import words
from inertian.desktop.look.theme import decimal_mark
from inertian.desktop.state.document import Document
from inertian.desktop.state.view_state import (
    LOCAL,
    METHODS,
    has_methods,
    possible_quantities,
)
from inertian.motion.spans.spans import SpanKind
from inertian.physics.definitions.requests import QuantityRef
from inertian.project.marking_edits import span_copied, span_kind_set, span_removed, span_split
from inertian.quantities.estimates import Array
from inertian.quantities.units import symbols, unit_of

if TYPE_CHECKING:
    from inertian.desktop.figures.present_dialog import PresentDialog

KINDS = {"m": "length", "m/s": "speed", "m/s²": "acceleration", "N": "force", "rad": "angle"}
OFFERED = (
    "m",
    "cm",
    "mm",
    "km",
    "m/s",
    "cm/s",
    "km/h",
    "m/s²",
    "cm/s²",
    "gₙ",
    "N",
    "mN",
    "kN",
    "rad",
    "°",
)


def _menu(bench: BenchInterface, title: str = "") -> QMenu:
    return QMenu(title, cast(QWidget, bench))


def strip_menu(bench: BenchInterface, document: Document, strip: StripInterface) -> QMenu:
    """Return what can be done with one strip."""
    menu, view, entry = _menu(bench), bench.view, document.entry
    shown = view.shown_strips()
    if entry is None or strip.residuals:
        return menu
    others = [one for one in possible_quantities(document.project, entry) if one not in shown]
    place = shown.index(strip.shown) if strip.shown in shown else 0
    for title, arrange in (
        (words.ADD_STRIP, lambda one: [*shown[: place + 1], one, *shown[place + 1 :]]),
        (words.INSTEAD, lambda one: [one if s == strip.shown else s for s in shown]),
    ):
        inner = menu.addMenu(title)
        inner.setEnabled(bool(others))
        for group, members in words.grouped(others).items():
            subject = inner.addMenu(group)
            for one in members:
                action = subject.addAction(words.strip_title(one))
                action.triggered.connect(
                    lambda _c, one=one, arrange=arrange: view.choose_strips(arrange(one))
                )
    if has_methods(strip.shown):
        methods = menu.addMenu(words.METHOD_MENU)
        for method in METHODS:
            action = methods.addAction(words.METHOD_NAMES[method])
            action.setCheckable(True)
            action.setChecked(method == view.methods.get(strip.shown, LOCAL))
            action.triggered.connect(lambda _c, m=method: view.use_method(strip.shown, m))
    menu.addSeparator()
    for title, to in ((words.STRIP_UP, place - 1), (words.STRIP_DOWN, place + 1)):
        action = menu.addAction(title)
        action.setEnabled(0 <= to < len(shown))
        action.triggered.connect(lambda _c, to=to: view.choose_strips(_moved(shown, place, to)))
    gone = menu.addAction(words.STRIP_REMOVE)
    gone.setEnabled(len(shown) > 1)
    gone.triggered.connect(lambda: view.choose_strips([s for s in shown if s != strip.shown]))
    menu.addSeparator()
    menu.addAction(words.PRESENT_STRIP).triggered.connect(lambda: present(bench, document, strip))
    menu.addAction(words.STRIP_PICTURE).triggered.connect(lambda: copy_picture(bench, strip))
    menu.addAction(words.STRIP_NUMBERS).triggered.connect(lambda: copy_numbers(bench, strip))
    return menu


def _moved(shown: list[QuantityRef], place: int, to: int) -> list[QuantityRef]:
    left = [s for k, s in enumerate(shown) if k != place]
    return [*left[:to], shown[place], *left[to:]]


def present(bench: BenchInterface, document: Document, strip: StripInterface) -> None:
    """Make a strip, as far as it is seen, ready to show."""
    dialog = presented(bench, document, strip)
    if dialog is not None:
        dialog.exec()


def presented(
    bench: BenchInterface, document: Document, strip: StripInterface
) -> "PresentDialog | None":
    """Return the window in which a strip is made ready to show; None where it shows nothing."""
    from inertian.desktop.bench.strip_figure import strip_figure
    from inertian.desktop.figures.present_dialog import PresentDialog

    entry = document.entry
    if entry is None or not strip.traces:
        bench.say(words.PRESENT_NOTHING)
        return None
    unit = bench.view.unit(strip.shown.unit)
    title = words.strip_title(strip.shown)
    figure = strip_figure(entry, title, unit, strip.traces, strip.seen)
    return PresentDialog(cast(QWidget, bench), strip.theme, figure)


def copy_picture(bench: BenchInterface, strip: StripInterface) -> None:
    """Put a strip on the clipboard as a picture."""
    QApplication.clipboard().setPixmap(strip.grab())
    bench.say(words.COPIED_PICTURE)


def copy_numbers(bench: BenchInterface, strip: StripInterface) -> None:
    """Put the numbers of a strip on the clipboard as a table: time, then value and u of each
    body.
    """
    unit = bench.view.unit(strip.shown.unit)
    columns: list[Array] = []
    titles: list[str] = []
    for trace in strip.traces:
        if not columns:
            columns, titles = [trace.t], ["time (s)"]
        if len(trace.t) != len(columns[0]):
            continue  # residuals over another span
        columns.append(trace.y)
        titles.append(f"{trace.body} ({unit})")
        if trace.u is not None:
            columns.append(trace.u)
            titles.append(f"u {trace.body} ({unit})")
    if not columns:
        return
    mark = decimal_mark()
    rows = ["\t".join(titles)]
    rows += [
        "\t".join("" if np.isnan(v) else repr(float(v)).replace(".", mark) for v in row)
        for row in zip(*columns, strict=True)
    ]
    QApplication.clipboard().setText("\n".join(rows))
    bench.say(words.COPIED_NUMBERS.format(count=len(rows) - 1))


def unit_menu(bench: BenchInterface, si: str) -> QMenu:
    """Return the units that a quantity of this SI unit can be shown in."""
    menu, kind = _menu(bench), KINDS.get(si)
    for symbol in symbols(kind) if kind else ():
        if symbol in OFFERED:
            action = menu.addAction(symbol)
            action.setCheckable(True)
            action.setChecked(symbol == bench.view.unit(si))
            unit = unit_of(kind, symbol)
            action.triggered.connect(lambda _c, unit=unit: bench.view.use_unit(unit, si))
    return menu


def span_menu(bench: BenchInterface, document: Document, name: str) -> QMenu:
    """Return what can be done with one span."""
    entry = document.entry
    menu = _menu(bench, name)
    if entry is None or not any(s.name == name for s in entry.spans):
        return menu
    span, trial = entry.spans.named(name), entry.trial.id
    menu.addAction(words.SPAN_ZOOM).triggered.connect(lambda: bench.show_span(name))
    menu.addAction(words.SPAN_RENAME).triggered.connect(lambda: bench.rail.type_name(name))
    kinds = menu.addMenu(words.SPAN_IS.format(name=name))
    for kind in SpanKind:
        action = kinds.addAction(words.SPAN_KINDS[kind])
        action.setCheckable(True)
        action.setChecked(kind is span.kind)
        action.triggered.connect(
            lambda _c, kind=kind: document.do(span_kind_set(document.committed, trial, name, kind))
        )
    split = menu.addAction(words.SPAN_SPLIT)
    split.setEnabled(not span.bodies and len(entry.trial.followed) > 1)
    split.triggered.connect(lambda: document.do(span_split(document.committed, trial, name)))
    others = [e.trial.id for e in document.project.entries_of(entry.series) if e.trial.id != trial]
    copy = menu.addAction(words.SPAN_COPY)
    copy.setEnabled(bool(others))
    copy.triggered.connect(
        lambda: document.do(span_copied(document.committed, trial, name, others))
    )
    menu.addSeparator()
    menu.addAction(words.SPAN_REMOVE.format(name=name)).triggered.connect(
        lambda: document.do(span_removed(document.committed, trial, name))
    )
    return menu
