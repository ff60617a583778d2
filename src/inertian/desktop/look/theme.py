"""From tokens to a palette, a style sheet and fonts."""

from pathlib import Path

from PyQt6.QtCore import QLocale, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PyQt6.QtWidgets import QApplication

from inertian.desktop.look import tokens
from inertian.desktop.look.tokens import DARK, LIGHT, Theme

FAMILY = "IBM Plex Sans"
_loaded: list[int] = []


def load_fonts() -> None:
    """Make the shipped typeface known to Qt, once."""
    if not _loaded:
        for path in sorted((Path(__file__).parent / "fonts").glob("*.ttf")):
            _loaded.append(QFontDatabase.addApplicationFont(str(path)))


def font(size: int = tokens.BASE, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Return the typeface at a size in px."""
    made = QFont(FAMILY)
    made.setPixelSize(size)
    made.setWeight(weight)
    return made


def desktop_theme() -> Theme:
    """Return the theme that the desktop asks for."""
    dark = QGuiApplication.styleHints().colorScheme() is Qt.ColorScheme.Dark
    return DARK if dark else LIGHT


def decimal_mark() -> str:
    """Return the decimal mark of the person's locale."""
    return QLocale().decimalPoint()


def apply_theme(application: QApplication, theme: Theme) -> None:
    """Dress the whole application in a theme."""
    load_fonts()
    if application.style().objectName() != "fusion":
        application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    role = QPalette.ColorRole
    for name, colour in {
        role.Window: theme.paper,
        role.WindowText: theme.ink,
        role.Base: theme.sheet,
        role.AlternateBase: theme.paper,
        role.Text: theme.ink,
        role.Button: theme.paper,
        role.ButtonText: theme.ink,
        role.ToolTipBase: theme.sheet,
        role.ToolTipText: theme.ink,
        role.Highlight: theme.selection,
        role.HighlightedText: theme.ink,
        role.PlaceholderText: theme.soft_ink,
        role.Accent: theme.brass,
        role.Link: theme.brass,
    }.items():
        palette.setColor(name, QColor(colour))
    for name in (role.Text, role.WindowText, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, name, QColor(theme.disabled))
    application.setPalette(palette)
    application.setStyleSheet(style_sheet(theme))


def style_sheet(t: Theme) -> str:
    """Return the style sheet of a theme."""
    return f"""
QMainWindow, QDialog {{ background: {t.paper}; }}
QMessageBox {{ border: 1px solid {t.edge}; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QToolTip {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge}; padding: 4px; }}
QMenuBar {{ background: {t.paper}; color: {t.ink}; border-bottom: 1px solid {t.rule}; padding: 0 4px; }}
QMenuBar::item {{ padding: 4px 8px; background: transparent; }}
QMenuBar::item:selected {{ background: {t.hover}; border-bottom: 2px solid {t.brass}; }}
QMenu {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px 0; }}
QMenu::item {{ padding: 4px 28px 4px 24px; }}
QMenu::item:selected {{ background: {t.selection}; }}
QMenu::item:disabled {{ color: {t.disabled}; }}
QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
QStatusBar {{ background: {t.paper}; color: {t.soft_ink}; border-top: 1px solid {t.rule}; }}
QStatusBar::item {{ border: none; }}
QStatusBar QLabel {{ color: {t.soft_ink}; padding: 0 8px; }}
#stageStrip {{ background: {t.paper}; border-bottom: 1px solid {t.rule}; }}
#stageStrip QToolButton {{ border: none; padding: 8px 16px 6px 16px; color: {t.soft_ink}; font-size: {tokens.LARGE}px;
  border-bottom: 2px solid transparent; }}
#stageStrip QToolButton:checked {{ color: {t.ink}; border-bottom: 2px solid {t.brass}; }}
#stageStrip QToolButton:hover {{ color: {t.ink}; background: {t.hover}; }}
#stageStrip QToolButton:focus {{ background: {t.selection}; }}
#stage {{ background: {t.sheet}; }}
#shelf {{ background: {t.paper}; border: none; border-right: 1px solid {t.rule}; outline: none; }}
#margin, #marginBody {{ background: {t.paper}; border: none; }}
#margin {{ border-left: 1px solid {t.rule}; }}
QScrollArea {{ border: none; background: {t.sheet}; }}
#ledgerBody {{ background: {t.sheet}; }}
QLabel {{ color: {t.ink}; background: transparent; }}
QLabel[role="heading"] {{ font-size: {tokens.LARGE}px; font-weight: 600; }}
QLabel[role="title"] {{ font-size: {tokens.TITLE}px; font-weight: 500; }}
QLabel[role="soft"] {{ color: {t.soft_ink}; }}
QLabel[role="small"] {{ color: {t.soft_ink}; font-size: {tokens.SMALL}px; }}
QLabel[role="alarm"] {{ color: {t.alarm}; font-size: {tokens.SMALL}px; }}
QLabel[role="verdict"] {{ font-size: {tokens.LARGE}px; font-weight: 600; }}
QToolButton[role="title"] {{ border: none; font-weight: 600; padding: 1px 4px; }}
QToolButton[role="unit"] {{ border: none; color: {t.soft_ink}; padding: 1px 4px; }}
QToolButton[role="title"]:hover, QToolButton[role="unit"]:hover {{ background: {t.hover}; }}
QToolButton[role="title"]:focus, QToolButton[role="unit"]:focus {{ background: {t.selection}; }}
QToolButton[role="small"] {{ border: none; color: {t.soft_ink}; padding: 0 4px; }}
QToolButton[role="small"]:hover {{ color: {t.ink}; background: {t.hover}; }}
QToolButton[role="small"]:focus {{ color: {t.ink}; background: {t.selection}; }}
#plumbFlag {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.brass}; border-radius: 2px; padding: 1px 5px;
  font-size: {tokens.SMALL}px; }}
#rubber {{ background: transparent; border: 1px dashed {t.brass}; }}
#marginStrip QToolButton {{ border: none; padding: 6px 5px 4px 5px; color: {t.soft_ink};
  border-bottom: 2px solid transparent; }}
#marginStrip QToolButton:checked {{ color: {t.ink}; border-bottom: 2px solid {t.brass}; }}
#marginStrip QToolButton:hover {{ color: {t.ink}; background: {t.hover}; }}
#marginStrip QToolButton:focus {{ background: {t.selection}; }}
#marginStrip {{ background: {t.paper}; border-left: 1px solid {t.rule}; border-bottom: 1px solid {t.rule}; }}
QCheckBox {{ color: {t.ink}; spacing: 6px; }}
QCheckBox::indicator, QListView::indicator {{ width: 11px; height: 11px; border: 1px solid {t.edge};
  border-radius: 2px; background: {t.sheet}; }}
QCheckBox::indicator:checked, QListView::indicator:checked {{ background: qradialgradient(cx: 0.5, cy: 0.5, radius: 0.5,
  fx: 0.5, fy: 0.5, stop: 0 {t.ink}, stop: 0.62 {t.ink}, stop: 0.68 {t.sheet}, stop: 1 {t.sheet}); }}
QCheckBox::indicator:focus {{ border: 1px solid {t.brass}; }}
QSplitter::handle:horizontal {{ background: {t.sheet}; border-left: 1px solid {t.rule}; }}
QFrame[role="rule"] {{ background: {t.rule}; max-height: 1px; min-height: 1px; border: none; }}
QLineEdit, QComboBox {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 2px;
  padding: 3px 6px; min-height: 18px; selection-background-color: {t.selection}; selection-color: {t.ink}; }}
QLineEdit:focus, QComboBox:focus {{ border: 1px solid {t.brass};
  border-bottom: 2px solid {t.brass}; padding-bottom: 2px; }}
QLineEdit[wrong="true"] {{ border: 1px solid {t.alarm}; }}
QComboBox[role="quiet"] {{ border: 1px solid transparent; background: transparent; color: {t.soft_ink};
  font-size: {tokens.SMALL}px; padding: 0 4px; min-height: 18px; }}
QComboBox[role="quiet"]:hover, QComboBox[role="quiet"]:focus {{ border: 1px solid {t.edge}; color: {t.ink}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox QAbstractItemView {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge};
  selection-background-color: {t.selection}; selection-color: {t.ink}; outline: none; }}
QPushButton {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 2px;
  padding: 5px 14px; }}
QPushButton:hover {{ background: {t.hover}; }}
QPushButton:focus {{ border: 1px solid {t.brass}; border-bottom: 2px solid {t.brass}; padding-bottom: 4px; }}
QPushButton:default {{ border: 1px solid {t.brass}; }}
QPushButton:disabled {{ color: {t.disabled}; border-color: {t.rule}; }}
#bringIn {{ font-size: {tokens.LARGE}px; padding: 7px 20px; border: 1px solid {t.brass}; }}
#bringIn:disabled {{ border: 1px solid {t.rule}; }}
#fileView {{ background: {t.sheet}; color: {t.ink}; border: none;
  selection-background-color: {t.selection}; selection-color: {t.ink}; }}
#problem {{ text-align: left; border: none; background: transparent; padding: 0; }}
#problem:hover {{ background: {t.hover}; }}
#problem:focus {{ background: {t.selection}; border: none; }}
QSplitter::handle:vertical {{ background: {t.sheet}; border-top: 1px solid {t.rule}; }}
QProgressBar {{ background: {t.paper}; border: 1px solid {t.rule}; border-radius: 3px; }}
QProgressBar::chunk {{ background: {t.brass}; border-radius: 3px; }}
#account {{ background: {t.sheet}; border: none; border-left: 2px solid transparent; }}
#account[selected="true"] {{ border-left: 2px solid {t.brass}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.rule}; min-height: 24px; border-radius: 3px; margin: 2px; }}
QScrollBar::handle:vertical:hover {{ background: {t.edge}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
#findList {{ background: {t.sheet}; border: 1px solid {t.rule}; outline: none; }}
#findList::item {{ padding: 4px 8px; color: {t.ink}; }}
#findList::item:selected {{ background: {t.selection}; }}
"""
