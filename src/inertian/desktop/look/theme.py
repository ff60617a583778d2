"""From tokens to a palette, a style sheet and fonts."""

from dataclasses import fields
from importlib.resources import files
from pathlib import Path
from string import Template

from PyQt6.QtCore import QLocale, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PyQt6.QtWidgets import QApplication

from inertian.desktop.look import tokens
from inertian.desktop.look.tokens import DARK, LIGHT, Theme

FAMILY = "IBM Plex Sans"
FONTS = Path(str(files("inertian.report.figures"))) / "fonts"
_loaded: list[int] = []


def load_fonts() -> None:
    """Make the shipped typeface known to Qt, once."""
    if not _loaded:
        for path in sorted(FONTS.glob("*.ttf")):
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
    """Return the style sheet of a theme: `window.qss` with the tokens put in."""
    sizes = {"small": tokens.SMALL, "large": tokens.LARGE, "title": tokens.TITLE}
    colours = {field.name: getattr(t, field.name) for field in fields(Theme)}
    text = (Path(__file__).parent / "window.qss").read_text(encoding="utf-8")
    return Template(text).substitute(colours, **sizes)
