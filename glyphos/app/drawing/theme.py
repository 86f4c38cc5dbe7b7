"""The printed page and its night version: colours, fonts and the style sheet."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import as_file, files

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette, QPen
from PySide6.QtWidgets import QApplication, QWidget

SERIF = "Gentium Plus"
SANS = "Inter"
FONT_FILES = (
    "GentiumPlus-Regular.ttf", "GentiumPlus-Italic.ttf", "Inter-Regular.otf", "Inter-SemiBold.otf",
)  # fmt: skip


@cache
def _color(text: str) -> QColor:
    return QColor(text)


@cache
def _faded(text: str, alpha: int) -> QColor:
    color = QColor(text)
    color.setAlpha(alpha)
    return color


@dataclass(frozen=True)
class Theme:
    """Colours by what they mean."""

    name: str
    page: str
    panel: str
    ink: str
    faint: str
    rule: str
    playhead: str
    chosen: str
    doubt: str
    teeth: str
    gesture: tuple[tuple[str, str], ...]

    def color(self, name: str) -> QColor:
        """A colour by its name; shared, so `faded` makes one transparent."""
        return _color(getattr(self, name))

    def faded(self, name: str, alpha: int) -> QColor:
        """A colour that what is under it shines through (0 unseen .. 255)."""
        return _faded(getattr(self, name), alpha)

    def kind(self, kind: str) -> QColor:
        """Colour of a kind of gesture."""
        return _color(self.gesture[KINDS.index(kind)][1])

    def with_gestures(self, kind: str) -> Theme:
        """The theme with another set of colours for kinds of gesture."""
        return replace(self, gesture=_gestures(kind, self.name))


# Colours for kinds of gesture. “safe” keeps them apart for all kinds of sight: hues after Okabe &
# Ito's colour universal design, lightness all different. “warm” is the page's own, “ink” is grey.
KINDS = ("closed", "teeth", "round", "spread", "open", "narrow")
GESTURES = {
    ("safe", "paper"): ("#123C73", "#A0527F", "#3F93C4", "#86B85A", "#C9602E", "#A9A79E"),
    ("safe", "night"): ("#B4C4FF", "#D0729F", "#2F9AD6", "#9BD06A", "#DE7445", "#6F7780"),
    ("warm", "paper"): ("#1F3E78", "#7D4E9E", "#2A8C82", "#86A844", "#D8694F", "#93989C"),
    ("warm", "night"): ("#7FA0E0", "#B58BD6", "#4FB8AA", "#A5C75A", "#E58369", "#7B838B"),
    ("ink", "paper"): ("#1F2B36", "#4A5157", "#6B7075", "#8E9194", "#ABABA6", "#C3C0B6"),
    ("ink", "night"): ("#F2EBDC", "#CFCABD", "#AEABA2", "#8E8D88", "#73757A", "#575C63"),
}
GESTURE_SETS = ("safe", "warm", "ink")


def _gestures(kind: str, theme: str) -> tuple[tuple[str, str], ...]:
    return tuple(zip(KINDS, GESTURES[kind, theme], strict=True))


PAPER = Theme(
    "paper", "#F5F0E4", "#EAE2D2", "#1F2B36", "#6B6A64", "#CFC5B0", "#C8452B", "#1B6E72", "#A87708",
    "#FFFAF0", _gestures("safe", "paper"),
)  # fmt: skip
NIGHT = Theme(
    "night", "#14181D", "#1D232A", "#ECE4D3", "#9A978C", "#353D46", "#E8694C", "#52B5B4", "#D9AA3F",
    "#F4EFE3", _gestures("safe", "night"),
)  # fmt: skip
THEMES = {"paper": PAPER, "night": NIGHT}


def dressed(name: str, gestures: str) -> Theme:
    """A theme by name with a set of gesture colours; paper for an unknown name."""
    return THEMES.get(name, PAPER).with_gestures(gestures if gestures in GESTURE_SETS else "safe")


@cache
def load_fonts() -> None:
    """Register the shipped fonts, once."""
    for name in FONT_FILES:
        with as_file(files("glyphos.data") / "fonts" / name) as path:
            QFontDatabase.addApplicationFont(str(path))


def round_pen(color: QColor, width: float) -> QPen:
    """A pen with round ends."""
    pen = QPen(color, width)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    return pen


def serif(points: float, *, italic: bool = False) -> QFont:
    """The face for words and phonetic letters, scaled with the application's font."""
    font = QFont(SERIF)
    font.setPointSizeF(points * scale())
    font.setItalic(italic)
    return font


def sans(points: float, *, bold: bool = False) -> QFont:
    """The face of the interface."""
    font = QFont(SANS)
    font.setPointSizeF(points * scale())
    if bold:
        font.setWeight(QFont.Weight.DemiBold)
    return font


def scale() -> float:
    """Size of text relative to the design's 10 points."""
    application = QApplication.instance()
    return QApplication.font().pointSizeF() / 10.0 if application else 1.0


def resized(points: float) -> bool:
    """Give the application's text another size; whether it had not that already."""
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    font = application.font()
    if font.pointSizeF() == points:
        return False
    font.setPointSizeF(points)
    application.setFont(font)
    return True


def dress(window: QWidget, theme: Theme) -> None:
    """Dress a window with all that is in it, and its dialogs.

    A sheet of the whole application would be worked out again for each widget at every place that it
    passes on its way into the window, which takes as long as all the rest of making it.
    """
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    _paint_palette(application, theme)
    sheet = style_sheet(theme)
    if window.styleSheet() != sheet:
        window.setStyleSheet(sheet)


def _paint_palette(application: QApplication, theme: Theme) -> None:
    """Colours of what has no window yet."""
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, name in (
        (roles.Window, "page"), (roles.Base, "page"), (roles.Button, "panel"),
        (roles.WindowText, "ink"), (roles.Text, "ink"), (roles.ButtonText, "ink"),
        (roles.Highlight, "chosen"), (roles.HighlightedText, "page"),
        (roles.PlaceholderText, "faint"), (roles.ToolTipBase, "panel"), (roles.ToolTipText, "ink"),
    ):  # fmt: skip
        palette.setColor(role, theme.color(name))
    if application.palette() != palette:
        application.setPalette(palette)


def style_sheet(theme: Theme) -> str:
    """Widgets that the painter does not draw itself."""
    t = theme
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QDialog, QMessageBox {{ background: {t.page}; }}
    #panel, #lines, #top {{ background: {t.panel}; }}
    #top {{ border-bottom: 2px solid {t.ink}; }}
    #brand {{ font-family: "{SERIF}"; font-style: italic; font-size: {15 * scale():.1f}pt; }}
    #heading {{ color: {t.faint}; font-weight: 600; }}
    QPushButton#tab {{ border: 2px solid transparent; border-bottom: 3px solid transparent;
        border-radius: 0; padding: 3px 7px; color: {t.faint}; font-weight: 600; }}
    QPushButton#tab:hover {{ color: {t.ink}; }}
    QPushButton#tab:checked {{ background: transparent; color: {t.ink};
        border-bottom: 3px solid {t.playhead}; }}
    QPushButton#tab:focus {{ border-color: {t.chosen}; }}
    QPushButton#tab:checked:focus {{ border-bottom-color: {t.playhead}; }}
    QPushButton#section {{ border: none; border-radius: 0; border-top: 1px solid {t.rule};
        text-align: left; padding: 6px 16px; color: {t.faint}; font-weight: 600; }}
    QPushButton#section:checked {{ background: transparent; color: {t.ink}; }}
    QPushButton#section:focus {{ border: 2px solid {t.chosen}; }}
    #production {{ color: {t.faint}; }}
    #status {{ color: {t.faint}; }}
    #now {{ font-family: "{SERIF}"; font-size: {13 * scale():.1f}pt; }}
    QPushButton, QToolButton, QComboBox {{
        background: transparent; border: 1px solid {t.rule}; border-radius: 3px;
        padding: 4px 10px; }}
    QFileDialog QToolButton {{ padding: 2px; }}
    QPushButton:hover, QToolButton:hover, QComboBox:hover {{ border-color: {t.ink}; }}
    QPushButton:focus, QToolButton:focus, QComboBox:focus, QListView:focus, QPlainTextEdit:focus {{
        border: 2px solid {t.chosen}; }}
    QPushButton:checked {{ background: {t.chosen}; color: {t.page}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.faint}; border-style: dashed; }}
    QAbstractSpinBox:disabled, QComboBox:disabled {{ color: {t.faint}; border: 1px dashed {t.rule}; }}
    QPushButton#small, QToolButton#small {{ padding: 3px 7px; border-radius: 3px; }}
    QPushButton#tiny {{ padding: 2px 5px; border-radius: 3px; font-size: {8.5 * scale():.1f}pt; }}
    #faint {{ color: {t.faint}; }}
    QPushButton#go {{ background: {t.ink}; color: {t.page}; font-weight: 600; }}
    QPushButton#go:disabled {{ background: {t.rule}; color: {t.faint}; }}
    QPlainTextEdit {{ background: {t.page}; border: 1px solid {t.rule}; padding: 4px;
        font-family: "{SERIF}"; font-size: {13 * scale():.1f}pt; selection-background-color: {t.chosen}; }}
    QLineEdit, QTreeWidget, QTableWidget, QListWidget, QDoubleSpinBox, QSpinBox {{ background: {t.page}; border: 1px solid {t.rule};
        padding: 3px; selection-background-color: {t.chosen}; selection-color: {t.page};
        alternate-background-color: {t.panel}; }}
    QLineEdit:focus, QTreeWidget:focus, QTableWidget:focus, QListWidget:focus {{ border: 2px solid {t.chosen}; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.faint}; border: none;
        border-bottom: 1px solid {t.rule}; padding: 4px; }}
    QComboBox QAbstractItemView {{ background: {t.page}; selection-background-color: {t.chosen};
        selection-color: {t.page}; }}
    QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QMenuBar {{ background: transparent; }}
    QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
    QMenu::item:disabled {{ color: {t.faint}; }}
    #notice {{ background: {t.panel}; border-top: 1px solid {t.doubt}; border-bottom: 1px solid {t.doubt}; }}
    #loupehead {{ color: {t.faint}; }}
    QListView {{ background: {t.panel}; border: none; outline: none; }}
    QScrollArea {{ border: none; background: {t.page}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.rule}; min-height: 30px; border-radius: 4px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
    QSlider::groove:horizontal {{ height: 3px; background: {t.rule}; }}
    QSlider::sub-page:horizontal {{ background: {t.chosen}; }}
    QSlider::handle:horizontal {{ background: {t.page}; border: 2px solid {t.chosen};
        width: 10px; height: 10px; margin: -6px 0; border-radius: 7px; }}
    QSlider::sub-page:horizontal:disabled {{ background: {t.rule}; }}
    QSlider::handle:horizontal:disabled {{ border-color: {t.rule}; }}
    QSlider:focus {{ border: 1px dotted {t.chosen}; }}
    QProgressBar {{ border: 1px solid {t.rule}; background: {t.page}; height: 8px;
        text-align: center; }}
    QProgressBar::chunk {{ background: {t.chosen}; }}
    QMenu {{ background: {t.panel}; border: 1px solid {t.rule}; }}
    QMenu::item:selected {{ background: {t.chosen}; color: {t.page}; }}
    QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.rule}; }}
    """
