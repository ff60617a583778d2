"""Every action, reachable by menu, by key and by typing its name (Ctrl+K)."""

from collections.abc import Callable
from functools import partial
from typing import cast

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QAction, QActionGroup, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QMessageBox,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from inertian import __version__
from inertian.desktop.look import words
from inertian.desktop.look.messages import sized_within
from inertian.desktop.look.theme import desktop_theme
from inertian.desktop.look.tokens import DARK, LIGHT, Theme
from inertian.desktop.shell.window import MainWindow
from inertian.motion.fits.curve_shapes import SHAPE_DEFINITIONS, CurveShape
from inertian.motion.recording.tidying import Reason
from inertian.project.edits import trial_removed
from inertian.project.ready_projects import ready_names


class Actions(QObject):
    """Makes the menus and keeps them true."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.all: list[QAction] = []
        self._file_menu()
        self._edit_menu()
        self._view_menu()
        self._intake_menu()
        self._bench_menu()
        self._trends_menu()
        self._models_menu()
        self._help_menu()
        document = window.document
        for signal in (document.changed, document.selected, document.saved):
            signal.connect(self.follow)
        self.follow()

    def _add(self, menu: QMenu, text: str, key: str, then: Callable[[], object]) -> QAction:
        action = QAction(text, self._window)
        if key:
            action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda _checked: then())
        menu.addAction(action)
        self.all.append(action)
        return action

    def _file_menu(self) -> None:
        menu, project_files = (
            self._window.menuBar().addMenu(words.MENU_FILE),
            self._window.project_files,
        )
        self._add(menu, words.NEW, "Ctrl+N", project_files.new)
        self._add(menu, words.OPEN, "Ctrl+O", project_files.ask_open)
        self._add(menu, words.OPEN_RECORDINGS, "Ctrl+I", self._window.import_controller.ask_open)
        self._add(menu, words.OPEN_DEMO, "", project_files.open_demo)
        self.ready = menu.addMenu(words.READY_PROJECTS)
        for name in ready_names():
            self._add(self.ready, name, "", partial(project_files.open_ready, name))
        menu.addSeparator()
        self.save = self._add(menu, words.SAVE, "Ctrl+S", project_files.save)
        self._add(menu, words.SAVE_AS, "Ctrl+Shift+S", project_files.save_as)
        menu.addSeparator()
        self._add(menu, words.CLOSE, "Ctrl+Q", self._window.close)

    def _edit_menu(self) -> None:
        menu, document = self._window.menuBar().addMenu(words.MENU_EDIT), self._window.document
        self.undo = self._add(menu, words.UNDO, "Ctrl+Z", document.undo)
        self.redo = self._add(menu, words.REDO, "Ctrl+Shift+Z", document.redo)
        menu.addSeparator()
        self.remove = self._add(menu, words.REMOVE_TRIAL, "Ctrl+Delete", self._remove_trial)
        menu.addSeparator()
        self._add(menu, words.FIND_ACTION, "Ctrl+K", self.find)

    def _view_menu(self) -> None:
        menu, window = self._window.menuBar().addMenu(words.MENU_VIEW), self._window
        self._add(menu, words.INTAKE, "Alt+1", lambda: window.show_stage(words.INTAKE))
        self._add(menu, words.BENCH, "Alt+2", lambda: window.show_stage(words.BENCH))
        self._add(menu, words.LEDGER, "Alt+3", lambda: window.show_stage(words.LEDGER))
        self._add(menu, words.TRENDS, "Alt+4", lambda: window.show_stage(words.TRENDS))
        self._add(menu, words.MODELS, "Alt+5", lambda: window.show_stage(words.MODELS))
        window.stage_shown.connect(self._give_keys_to_table)
        menu.addSeparator()
        self._add(menu, words.NEXT_TRIAL, "Ctrl+PgDown", lambda: window.shelf.step(1))
        self._add(menu, words.PREVIOUS_TRIAL, "Ctrl+PgUp", lambda: window.shelf.step(-1))
        self._add(menu, words.NEXT_PANE, "F6", self._next_pane)
        menu.addSeparator()
        self._panes = {
            "shelf": self._add(menu, words.FOLD_SHELF, "F9", self._show_panes),
            "margin": self._add(menu, words.HIDE_MARGIN, "F10", self._show_panes),
        }
        for action in self._panes.values():
            action.setCheckable(True)
            action.setChecked(True)
        window.panes_changed.connect(self._tick_panes)
        menu.addSeparator()
        group = QActionGroup(self)
        for text, pick in (
            (words.THEME_SYSTEM, desktop_theme),
            (words.THEME_LIGHT, lambda: LIGHT),
            (words.THEME_DARK, lambda: DARK),
        ):
            action = self._add(menu, text, "", partial(self._wear, pick))
            action.setCheckable(True)
            group.addAction(action)
        group.actions()[0].setChecked(True)

    def _intake_menu(self) -> None:
        menu, import_controller = (
            self._window.menuBar().addMenu(words.MENU_INTAKE),
            self._window.import_controller,
        )
        self._add(menu, words.BRING_IN_ACTION, "Ctrl+Return", import_controller.bring_in)
        menu.addSeparator()
        self._add(menu, words.PASTE_TABLE, "Ctrl+Shift+V", import_controller.paste)
        self._add(menu, words.TYPE_TABLE, "Ctrl+T", import_controller.type_table)
        menu.addSeparator()
        self._add(menu, words.IMPORT_RECIPE, "", import_controller.use_recipe)
        self._add(menu, words.EXPORT_RECIPE, "", import_controller.export_recipe)
        menu.addSeparator()
        self.again = self._add(menu, words.READ_AGAIN, "", import_controller.read_again)
        self.join = self._add(menu, words.JOIN_TRIALS, "Ctrl+J", import_controller.join)
        menu.addSeparator()
        self._add(menu, words.CLEAR_DESK, "", import_controller.clear)

    def _bench_menu(self) -> None:
        menu, window = self._window.menuBar().addMenu(words.MENU_BENCH), self._window
        bench, does = window.bench, window.bench_actions
        self.mark = self._add(menu, words.MARK_SPANS, "Ctrl+M", does.mark_spans)
        self._add(menu, words.MARK_SERIES, "Ctrl+Shift+M", does.mark_series)
        self._add(menu, words.TREAT_OTHERS, "Ctrl+L", does.treat_others)
        pattern = window.pattern_controller
        self._add(menu, words.MAKE_PATTERN, "", pattern.make_pattern)
        self._add(menu, words.TREAT_FILES, "Ctrl+Shift+L", pattern.ask_files)
        self._add(menu, words.FOLLOW_FOLDER, "", pattern.ask_folder)
        self._add(menu, words.FOLLOW_STOP, "", pattern.stop_following)
        self._add(menu, words.NEXT_LOOK, "F3", does.next_look)
        menu.addSeparator()
        self._on_bench(menu, words.BEGIN_SPAN, "N", does.begin_span)
        self._on_bench(menu, words.NEW_SPAN_TYPED, "Shift+N", bench.rail.type_span)
        self._on_bench(menu, words.RENAME_SPAN, "F2", does.rename_span)
        self._on_bench(menu, words.REMOVE_SPAN, "Del", does.remove_span)
        for text, key, edge in zip(words.EDGE_TO_LINE, ("[", "]"), ("start", "stop"), strict=True):
            self._on_bench(menu, text, key, partial(does.edge_to_line, edge))
        menu.addSeparator()
        self._on_bench(menu, words.TO_LINE, "L", bench.rail.take_line)
        self._on_bench(menu, words.PIN, "P", bench.view.pin)
        menu.addSeparator()
        self._on_bench(menu, words.SET_ASIDE_MODE, "S", does.set_aside_mode)
        self._on_bench(menu, words.SET_ASIDE_AT_LINE, "X", does.set_aside_at_line)
        reasons = menu.addMenu(words.REASON_MENU)
        for number, reason in enumerate(Reason, 1):
            self._on_bench(
                reasons,
                words.REASON_ACTION.format(reason=reason),
                str(number),
                partial(does.give_reason, number),
            )
        self._on_bench(menu, words.BRIDGE_GAP, "G", window.tidy.bridge_gap)
        menu.addSeparator()
        self._fit_menu(menu)
        menu.addSeparator()
        self._view_of_bench(menu)

    def _wear(self, pick: Callable[[], Theme]) -> None:
        self._window.use_theme(pick())

    def _fit_menu(self, menu: QMenu) -> None:
        does = self._window.bench_actions
        fits = menu.addMenu(words.FIT_MENU)
        for shape in SHAPE_DEFINITIONS:
            self._add(fits, words.FIT_ACTION.format(shape=shape), "", partial(self._fit, shape))
        self._add(fits, words.OWN_FORMULA, "", self._type_formula)
        self._on_bench(menu, words.CLEAR_CURVES, "Backspace", does.clear_curves)

    def _view_of_bench(self, menu: QMenu) -> None:
        window, bench = self._window, self._window.bench
        self._add(menu, words.SHOW_ALL, "Ctrl+0", bench.show_all)
        self._add(menu, words.SHOW_CONTACT, "Ctrl+1", bench.show_contact)
        self._on_bench(menu, words.ZOOM_SPAN, "Z", bench.show_span)
        self._on_bench(menu, words.ZOOM_BACK, "Shift+Z", bench.zoom_back)
        menu.addSeparator()
        self._add(menu, words.USUAL_STRIPS, "", lambda: bench.view.choose_strips([]))
        side = self._add(
            menu, words.SIDE_VIEW, "Ctrl+2", lambda: bench.toggle_side(side.isChecked())
        )
        side.setCheckable(True)
        menu.addSeparator()
        pages = (
            (words.PAGE_ACCOUNT, "F5"),
            (words.PAGE_TIDY, "F7"),
            (words.PAGE_READINGS, "F8"),
            (words.PAGE_FORMULAS, "F4"),
        )
        for name, key in pages:
            self._add(
                menu,
                words.SHOW_PAGE.format(name=name.lower()),
                key,
                partial(window.show_page, name),
            )

    def _trends_menu(self) -> None:
        menu, window = self._window.menuBar().addMenu(words.MENU_TRENDS), self._window
        self._for_table: list[QAction] = []
        self._on_table(
            menu, words.COLUMNS_ACTION, "", lambda: window.trends.table_actions.ask_columns()
        )
        self._on_table(
            menu, words.ADD_VARIABLE_ACTION, "", lambda: window.trends.table_actions.ask_variable()
        )
        self._on_table(
            menu, words.ADD_FORMULA_ACTION, "", lambda: window.trends.table_actions.ask_formula()
        )
        menu.addSeparator()
        for text, key, then in (
            (words.COPY_TABLE, "Ctrl+C", lambda: window.trends.table.copy()),
            (words.PASTE_CELLS, "Ctrl+V", lambda: window.trends.table.paste()),
            (words.FILL_DOWN, "Ctrl+D", lambda: window.trends.table.fill_down()),
            (words.COLUMN_IN_HAND, "Alt+Return", lambda: window.trends.table.ask_about_column()),
            (words.SET_TRIALS_ASIDE, "Ctrl+Shift+X", lambda: window.trends.table.set_aside()),
            (words.COUNT_TRIALS, "Ctrl+Shift+C", lambda: window.trends.table.count_again()),
        ):
            self._on_table(menu, text, key, then)
        menu.addSeparator()
        self._on_table(
            menu, words.WRITE_TABLE, "", lambda: window.trends.table_actions.write_table()
        )
        self._on_table(menu, words.PRESENT_ACTION, "Ctrl+P", lambda: window.trends.present())

    def _models_menu(self) -> None:
        menu, window = self._window.menuBar().addMenu(words.MENU_MODELS), self._window

        def act(name: str) -> None:
            window.show_stage(words.MODELS)
            getattr(window.models_controller.actions, name)()

        for text, key, name in (
            (words.MODEL_NEW_ACTION, "", "new_model"),
            (words.MODEL_COPY_ACTION, "", "copy_model"),
            (words.MODEL_REMOVE_ACTION, "", "remove_model"),
            (words.MODEL_SERIES_ACTION, "", "for_series"),
            (words.WITHOUT_DATA_ACTION, "", "ask_without_data"),
            (words.MODEL_PYTHON_ACTION, "", "show_python"),
            (words.MODEL_EXPORT_ACTION, "", "export_models"),
            (words.MODEL_IMPORT_ACTION, "", "import_models"),
        ):
            self._add(menu, text, key, partial(act, name))

    def _on_table(self, menu: QMenu, text: str, key: str, then: Callable[[], object]) -> None:
        """An action whose key works while the table has the focus; by menu, the stage comes in
        front first.
        """

        def do() -> None:
            if not self._window.trends.isVisible():
                self._window.show_stage(words.TRENDS)
            then()

        action = self._add(menu, text, key, do)
        if key and key != "Ctrl+P":
            action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            self._for_table.append(action)

    def _give_keys_to_table(self) -> None:
        """Keys work in the table once it is there."""
        if self._for_table and self._window.trends_controller.built:
            self._window.trends.table.addActions(self._for_table)
            self._for_table = []

    def _type_formula(self) -> None:
        self._window.show_page(words.PAGE_READINGS)
        self._window.readings.fits.type_formula()

    def _fit(self, shape: CurveShape) -> None:
        self._window.show_page(words.PAGE_READINGS)
        self._window.readings.fits.ask(shape)

    def _on_bench(self, menu: QMenu, text: str, key: str, then: Callable[[], object]) -> QAction:
        """An action with a plain key, which works while rail or strips have the focus."""
        action = self._add(menu, text, key, then)
        action.setShortcutContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        self._window.bench.addAction(action)
        return action

    def _help_menu(self) -> None:
        menu = self._window.menuBar().addMenu(words.MENU_HELP)
        self._add(menu, words.ABOUT, "", self._about)

    def follow(self) -> None:
        """Keep names and availability true."""
        history, entry = self._window.document.history, self._window.document.entry
        for action, name, plain, named in (
            (self.undo, history.undo_name, words.UNDO, words.UNDO_NAMED),
            (self.redo, history.redo_name, words.REDO, words.REDO_NAMED),
        ):
            action.setEnabled(name is not None)
            action.setText(named.format(name=name) if name else plain)
        self.save.setEnabled(history.unsaved or self._window.document.path is None)
        for action in (self.remove, self.mark, self.again, self.join):
            action.setEnabled(entry is not None)

    def _tick_panes(self, names: set[str]) -> None:
        for name, action in self._panes.items():
            action.setChecked(name in names)

    def _show_panes(self) -> None:
        self._window.show_panes(
            {name for name, action in self._panes.items() if action.isChecked()}
        )

    def _next_pane(self) -> None:
        window = self._window
        panes: list[QWidget] = [window.shelf, window.bench.rail, window.ledger, window.pages.page]
        inner_panes: list[QWidget] = [window.margin, window.tidy, window.readings, window.ledger]
        if window.trends_controller.built:
            panes += [window.trends.table, window.trends.views, window.trend_margin]
            inner_panes.append(window.trend_margin)
        if window.models_controller.built:
            controller = window.models_controller
            panes += [controller.stage.table, controller.stage.views, controller.margin]
            inner_panes.append(controller.margin)
        if window.import_controller.built:
            panes[1:1] = [
                window.import_controller.stage.view,
                window.import_controller.stage.bring_in,
                window.import_controller.margin,
            ]
            inner_panes.append(window.import_controller.margin)
        panes = [pane for pane in panes if pane.isVisible()]
        focus = QApplication.focusWidget()
        here = next(
            (i for i, p in enumerate(panes) if focus and (p is focus or p.isAncestorOf(focus))), -1
        )
        target = panes[(here + 1) % len(panes)]
        if target in inner_panes:
            inner = cast(QScrollArea, target).widget()
            first = inner.nextInFocusChain() if inner else target
            while first is not None and first is not inner:
                if (
                    inner.isAncestorOf(first)
                    and first.focusPolicy() & Qt.FocusPolicy.TabFocus
                    and first.isVisible()
                ):
                    target = first
                    break
                first = first.nextInFocusChain()
        target.setFocus(Qt.FocusReason.TabFocusReason)

    def _remove_trial(self) -> None:
        document = self._window.document
        if document.entry is not None:
            document.do(trial_removed(document.committed, document.entry.trial.id))

    def _about(self) -> None:
        QMessageBox.about(self._window, words.PROGRAM, words.ABOUT_TEXT.format(version=__version__))

    def find(self) -> None:
        """Ask for an action by name and do it."""
        FindAction(self._window, self.all).exec()


class FindAction(QDialog):
    """A field and the actions whose names hold what is typed."""

    def __init__(self, window: MainWindow, actions: list[QAction]) -> None:
        super().__init__(window)
        self.setWindowTitle(words.FIND_ACTION.replace("&", ""))
        sized_within(self, 420, 320)
        self._actions = actions
        self.field = QLineEdit()
        self.field.setPlaceholderText(words.FIND_PLACEHOLDER)
        self.list = QListWidget()
        self.list.setObjectName("findList")
        column = QVBoxLayout(self)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._filter)
        self.field.returnPressed.connect(self._do)
        self.list.itemActivated.connect(lambda _item: self._do())
        self._filter("")

    def _filter(self, typed: str) -> None:
        self.list.clear()
        for action in self._actions:
            name = action.text().replace("&", "").rstrip("…")
            if all(part in name.lower() for part in typed.lower().split()) and action.isEnabled():
                key = action.shortcut().toString()
                item = QListWidgetItem(f"{name}    {key}".rstrip())
                item.setData(Qt.ItemDataRole.UserRole, self._actions.index(action))
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Qt: arrows move through the list while the field keeps the typing."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(
                max(0, min(self.list.count() - 1, self.list.currentRow() + step))
            )
        else:
            super().keyPressEvent(event)

    def _do(self) -> None:
        item = self.list.currentItem()
        self.accept()
        if item is not None:
            self._actions[item.data(Qt.ItemDataRole.UserRole)].trigger()
