"""The pages at the right: the account, tidy steps and frame, and readings; one at a time."""

from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QStackedWidget,
    QToolButton,
    QWidget,
)

from inertian.desktop.look.labels import tight_column
from inertian.desktop.look.tokens import MARGIN_WIDTH


class MarginColumn(QWidget):
    """What stands above all pages, a strip of their names, and the page that is in front."""

    def __init__(self, above: QWidget, pages: dict[str, QWidget]) -> None:
        super().__init__()
        self.setFixedWidth(MARGIN_WIDTH)
        strip = QWidget()
        strip.setObjectName("marginStrip")
        row = QHBoxLayout(strip)
        row.setContentsMargins(4, 0, 4, 0)
        row.setSpacing(0)
        self.stack, self.buttons = QStackedWidget(), {}
        group = QButtonGroup(self)
        for name, page in pages.items():
            button = QToolButton()
            button.setText(name)
            button.setCheckable(True)
            button.clicked.connect(lambda _checked, name=name: self.show_page(name))
            group.addButton(button)
            row.addWidget(button)
            self.buttons[name] = button
            self.stack.addWidget(page)
        row.addStretch(1)
        self._pages = pages
        column = tight_column(self)
        column.addWidget(above)
        column.addWidget(strip)
        column.addWidget(self.stack, 1)
        self.strip = strip
        self.show_page(next(iter(pages)))

    def show_page(self, name: str) -> None:
        """Put one page in front."""
        self.buttons[name].setChecked(True)
        self.stack.setCurrentWidget(self._pages[name])

    @property
    def page(self) -> QWidget:
        """The page in front."""
        return self.stack.currentWidget()
