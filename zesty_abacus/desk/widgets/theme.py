"""Colours, type and the style sheet: *Peel* by day, *Night peel* after dark."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

# chosen by search: as far apart as can be for all eyes, also those without red or green receptors, by lightness as much
# as by hue, at least 3:1 on every ground, and apart from brown and zest; a test measures them
_FIELD_HUES_PEEL = ("#005249", "#0047A1", "#513D71", "#B6718C", "#3D4C22", "#7E8651", "#3C85E9", "#A074B6")
_FIELD_HUES_NIGHT = ("#00ADA6", "#92B0FF", "#8D72B4", "#D64C7A", "#BECC90", "#A2764C", "#0B82E4", "#F9B8E6")
_TEXT_CONTRAST = 4.5


@dataclass(frozen=True, slots=True)
class Theme:
    """A set of colours, as ``#rrggbb``.

    Attributes
    ----------
    paper, panel, ink, quiet, line, rod
        Ground, raised ground, text, less important text, hairlines, abacus rods.
    edge
        Borders of what can be pressed or typed into.
    zest
        Selection and the one action that matters.
    unexplained, wrong, good
        Moving bits without a field; errors; done.
    selected
        Ground behind what is selected.
    fields
        Colours that tell fields apart, used in turn.
    """

    name: str
    paper: str
    panel: str
    ink: str
    quiet: str
    line: str
    rod: str
    edge: str
    zest: str
    zest_text: str
    unexplained: str
    wrong: str
    good: str
    selected: str
    chip: str
    fields: tuple[str, ...]

    def field(self, number: int) -> QColor:
        """Return the colour of the n-th field of a message."""
        return QColor(self.fields[number % len(self.fields)])

    def field_text(self, number: int) -> QColor:
        """Return the colour of the n-th field for words, which need more contrast than lines."""
        return _readable(self.fields[number % len(self.fields)], (self.paper, self.panel, self.selected))


PEEL = Theme(
    name="Peel", paper="#FAF6EC", panel="#FFFDF7", ink="#22303C", quiet="#58626B", line="#E3DAC6", rod="#CBBFA5",
    edge="#8C8169", zest="#D2561C", zest_text="#A83F12", unexplained="#8A5415", wrong="#B0303A", good="#42700F",
    selected="#FCE7DC", chip="#F1EAD9", fields=_FIELD_HUES_PEEL,
)  # fmt: skip
NIGHT = Theme(
    name="Night peel", paper="#171D23", panel="#1F272E", ink="#E6E1D5", quiet="#9AA5AD", line="#34404A", rod="#55616B",
    edge="#7F8C97", zest="#F08048", zest_text="#F59A6C", unexplained="#D99A55", wrong="#F07C84", good="#93C756",
    selected="#43302A", chip="#2A343D", fields=_FIELD_HUES_NIGHT,
)  # fmt: skip

_ICONS = (Path(__file__).parent.parent / "icons").as_posix()

TEXT_PX = 13
SMALL_PX = 12
TINY_PX = 11


class Look(QObject):
    """The theme in use; views repaint on :attr:`changed`.

    Events
    ------
    changed
        After another theme was put on.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.theme = PEEL
        self._worn: Theme | None = None
        self._dressed: dict[int, QWidget] = {}

    def put_on(self, theme: Theme) -> None:
        """Change the theme of the whole application; one that is on already costs nothing."""
        if theme is self._worn:
            return
        self.theme = theme
        application = QApplication.instance()
        if isinstance(application, QApplication):
            self._worn = theme
            application.setFont(text_font())
            application.setPalette(_palette(theme))
        for window in self._dressed.values():
            window.setStyleSheet(_style_sheet(theme))
        self.changed.emit()

    def dress(self, window: QWidget) -> None:
        """Give a window the style sheet of the theme, now and whenever another one is put on.

        Not the application: Qt works a sheet out anew for all that a widget holds each time it is put into another one,
        and most of a window is put together before it stands in it. What opens out of the window wears its sheet too.
        """
        key = id(window)
        # held until Qt lets go of it: what only Qt holds, as the list of a completer, Python would forget at once
        self._dressed[key] = window
        window.destroyed.connect(lambda: self._dressed.pop(key, None))
        window.setStyleSheet(_style_sheet(self.theme))


def contrast(one: str, two: str) -> float:
    """Return the contrast ratio of two colours, as WCAG 2 defines it."""
    light, dark = sorted((_luminance(QColor(one)), _luminance(QColor(two))), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def _luminance(color: QColor) -> float:
    parts = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4
             for part in (color.redF(), color.greenF(), color.blueF()))  # fmt: skip
    return sum(share * part for share, part in zip((0.2126, 0.7152, 0.0722), parts, strict=True))


@cache
def _readable(color: str, grounds: tuple[str, ...]) -> QColor:
    """Return a colour, darker or lighter until it can be read as text on all of some grounds."""
    made, is_day = QColor(color), _luminance(QColor(grounds[0])) > 0.5
    for _ in range(40):
        if min(contrast(made.name(), ground) for ground in grounds) >= _TEXT_CONTRAST:
            break
        made = made.darker(104) if is_day else made.lighter(104)
    return made


look = Look()
"""The one look of the application, a matter of the screen and not of any model."""


@cache
def text_font(px: int = TEXT_PX, *, bold: bool = False, italic: bool = False) -> QFont:
    """Return the font of words; one object a style, since naming families is slow."""
    font = QFont()
    font.setFamilies(["Inter", "Inter Variable", "DejaVu Sans"])
    font.setPixelSize(px)
    font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    font.setItalic(italic)
    # Inter writes 0x5A with a sign for times, which nobody can type again
    font.setFeature(QFont.Tag("calt"), 0)
    return font


@cache
def figure_font(px: int = TEXT_PX, *, bold: bool = False) -> QFont:
    """Return the font of figures and bits: fixed width, no ligatures."""
    font = QFont()
    font.setFamilies(["JetBrains Mono", "DejaVu Sans Mono"])
    font.setStyleHint(QFont.StyleHint.Monospace)
    font.setPixelSize(px)
    font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    if hasattr(font, "setFeature"):
        for tag in ("liga", "calt"):
            font.setFeature(QFont.Tag(tag.encode()), 0)
    return font


def faded(color: QColor | str, alpha: float) -> QColor:
    """Return a colour with an opacity in 0..1."""
    result = QColor(color)
    result.setAlphaF(alpha)
    return result


def _palette(theme: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, color in (
        (roles.Window, theme.paper),
        (roles.Base, theme.panel),
        (roles.AlternateBase, theme.paper),
        (roles.Text, theme.ink),
        (roles.WindowText, theme.ink),
        (roles.ButtonText, theme.ink),
        (roles.Button, theme.panel),
        (roles.PlaceholderText, theme.quiet),
        (roles.Highlight, theme.selected),
        (roles.HighlightedText, theme.ink),
        (roles.ToolTipBase, theme.panel),
        (roles.ToolTipText, theme.ink),
        (roles.Link, theme.zest_text),
    ):
        palette.setColor(role, QColor(color))
    return palette


def _style_sheet(t: Theme) -> str:
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QDialog {{ background: {t.paper}; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px 6px; }}
    #panel, #header, #foot {{ background: {t.panel}; }}
    #header {{ border-bottom: 1px solid {t.line}; }}
    #foot {{ border-top: 1px solid {t.line}; }}
    #paper {{ background: {t.paper}; }}
    QLabel#title {{ font-weight: 600; }}
    QLabel#quiet {{ color: {t.quiet}; }}
    QLabel#wrong {{ color: {t.wrong}; }}
    QLabel#good {{ color: {t.good}; }}
    QLabel#unexplained {{ color: {t.unexplained}; }}
    QCheckBox::indicator, QListView::indicator {{ width: 15px; height: 15px; border: 1px solid {t.edge};
        border-radius: 4px; background: {t.panel}; }}
    QCheckBox::indicator:checked, QListView::indicator:checked {{ background: {t.zest}; border-color: {t.zest}; }}
    QCheckBox::indicator:focus {{ border-color: {t.zest}; }}
    QLabel#section {{ color: {t.quiet}; font-size: {TINY_PX}px; }}
    QLabel#chip {{ background: {t.chip}; border-radius: 8px; padding: 1px 8px; font-size: {TINY_PX}px; }}
    QLineEdit, QPlainTextEdit, QComboBox, QSpinBox {{
        background: {t.panel}; border: 1px solid {t.edge}; border-radius: 6px; padding: 3px 7px;
        selection-background-color: {t.zest}; selection-color: {t.panel}; min-height: 20px; }}
    QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus {{ border: 1px solid {t.zest}; }}
    QLineEdit[wrong="true"] {{ border: 1px solid {t.wrong}; }}
    QLineEdit#find {{ background: {t.paper}; border-radius: 8px; padding: 5px 10px; }}
    QComboBox::drop-down {{ border: 0; width: 18px; }}
    QComboBox::down-arrow {{ image: url({_ICONS}/down.png); width: 9px; height: 6px; }}
    QCheckBox::indicator:checked, QListView::indicator:checked {{ image: url({_ICONS}/tick.png); }}
    QTabBar::tab {{ background: transparent; border: 0; border-bottom: 2px solid transparent; color: {t.quiet};
        padding: 4px 9px; margin-right: 4px; }}
    QTabBar::tab:selected {{ color: {t.ink}; border-bottom-color: {t.zest}; font-weight: 600; }}
    QTabBar::tab:hover {{ color: {t.ink}; }}
    QTabBar:focus {{ outline: 0; }}
    QHeaderView::section {{ background: {t.chip}; color: {t.quiet}; border: 0; border-right: 1px solid {t.line};
        padding: 3px 7px; font-size: {TINY_PX}px; }}
    QTableView {{ background: {t.panel}; border: 1px solid {t.line}; gridline-color: {t.line}; }}
    QTableCornerButton::section {{ background: {t.chip}; border: 0; }}
    QComboBox QAbstractItemView {{ background: {t.panel}; border: 1px solid {t.line}; outline: 0;
        selection-background-color: {t.selected}; selection-color: {t.ink}; }}
    QListView#offered {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.edge};
        selection-background-color: {t.selected}; selection-color: {t.ink}; }}
    QPushButton {{ background: {t.panel}; border: 1px solid {t.edge}; border-radius: 7px; padding: 3px 11px; }}
    QPushButton:hover {{ border-color: {t.zest}; }}
    QPushButton:focus {{ border-color: {t.zest}; }}
    QPushButton:disabled {{ color: {t.quiet}; border-color: {t.line}; }}
    QPushButton#main {{ background: {t.zest}; border-color: {t.zest}; color: {_on(t.zest)}; font-weight: 600; }}
    QPushButton#main:disabled {{ background: {t.chip}; border-color: {t.line}; color: {t.quiet}; }}
    QPushButton#leave {{ padding: 0 8px; }}
    QPushButton#link {{ border: 0; background: transparent; color: {t.zest_text}; padding: 0 2px; text-align: left; }}
    QPushButton#trial {{ border: 0; background: transparent; padding: 0 4px; text-align: left; }}
    QPushButton#trial:hover, QPushButton#trial:focus {{ color: {t.zest_text}; }}
    QPushButton#link:focus {{ text-decoration: underline; }}
    QPushButton:checked {{ background: {t.selected}; border-color: {t.zest}; }}
    QScrollArea, QListView {{ background: transparent; border: 0; outline: 0; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.edge}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {t.quiet}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QSplitter::handle {{ background: {t.line}; }}
    QProgressBar {{ background: {t.chip}; border: 0; border-radius: 3px; max-height: 6px; min-height: 6px; }}
    QProgressBar::chunk {{ background: {t.zest}; border-radius: 3px; }}
    QProgressBar#explained::chunk {{ background: {t.good}; }}
    QFrame#card {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 8px; }}
    QFrame#hairline {{ background: {t.line}; border: 0; max-height: 1px; min-height: 1px; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 4px 18px; }}
    QMenu::item:selected {{ background: {t.selected}; color: {t.ink}; }}
    """


def _on(color: str) -> str:
    """Return the text colour that is readable on a filled button."""
    # dark text reaches 4.5:1 on both themes' zest, white does not
    return "#1B1208" if QColor(color).lightnessF() > 0.3 else "#FFFFFF"
