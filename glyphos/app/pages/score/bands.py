"""Heights and fonts of a row's bands on the score, from the size of the text."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont, QFontMetricsF, QStaticText, QTransform

from ...drawing import theme as themes

MARGIN = 26
ROUNDED = 3.0  # pixels that heights of letters may be rounded by


class Bands:
    """From top to bottom: ruler, waveform, pitch, words, sounds, lip ribbon, glyphs, exposures, life, a gap."""

    @classmethod
    def of(
        cls, zoom: float, *, plain: bool = False, drawn: bool = False, lives: bool = False, voiced: bool = False
    ) -> Bands:  # fmt: skip
        """Bands of a size, made once for a size of the application's text."""
        return _made(cls, zoom, plain, drawn, lives, voiced, themes.scale())

    def __init__(
        self, zoom: float = 1.0, *, plain: bool = False, drawn: bool = False, lives: bool = False, voiced: bool = False
    ) -> None:  # fmt: skip
        self.zoom = zoom
        self.words_font = themes.serif(15 * zoom)
        self.sounds_font = themes.serif(11.5 * zoom)
        self.ruler_font = themes.sans(7.5 * (zoom + 1) / 2)
        word, sound = QFontMetricsF(self.words_font), QFontMetricsF(self.sounds_font)
        ruler = QFontMetricsF(self.ruler_font)
        self.ruler = ruler.height() + 3
        self.wave = 27.0 * zoom
        self.pitch = 20.0 * (zoom + 1) / 2 if voiced else 0.0
        self.words = word.height() + 2
        self.sounds = sound.height() + 2
        self.ribbon = 32.0 * zoom
        self.glyphs = 21.0 * (zoom + 1) / 2
        self.exposures = 34.0 * (zoom + 1) / 2 if drawn else 0.0
        self.life = QFontMetricsF(self.ruler_font).height() + 4 if lives else 0.0
        self.gap = 9.0
        if plain:  # nothing was listened to yet: the waveform alone
            self.wave, self.gap = 58.0 * zoom, 12.0
            self.pitch = self.words = self.sounds = self.ribbon = self.glyphs = self.exposures = (
                self.life
            ) = 0.0
        self.height = (
            self.ruler + self.wave + self.pitch + self.words + self.sounds + self.ribbon + self.glyphs
            + self.exposures + self.life + self.gap
        )  # fmt: skip
        # Lambdas: to wrap Qt's own functions loads all its signatures, a tenth of a second.
        self.word_width = lru_cache(4096)(lambda text: word.horizontalAdvance(text))
        self.letter_width = lru_cache(512)(lambda text: sound.horizontalAdvance(text) + 3.0)
        self.ruler_width = lru_cache(512)(lambda text: ruler.horizontalAdvance(text))
        self.letter = lru_cache(512)(lambda text: _laid(text, self.sounds_font))

    def at_least(self, larger: float) -> float:
        """A height that bands of larger text have at least: some of them grow with it, some with half of it."""
        return (self.height - self.gap) * (self.zoom * larger + 1) / (self.zoom + 1) - ROUNDED

    def highlight(self, level: str) -> tuple[float, float]:
        """Top and bottom of what is highlighted of a chosen part, within a row."""
        return self.sounds_top if level == "sound" else self.ruler, self.height - self.gap

    @property
    def pitch_top(self) -> float:
        return self.ruler + self.wave

    @property
    def words_top(self) -> float:
        return self.pitch_top + self.pitch

    @property
    def sounds_top(self) -> float:
        return self.words_top + self.words

    @property
    def ribbon_top(self) -> float:
        return self.sounds_top + self.sounds

    @property
    def glyphs_top(self) -> float:
        return self.ribbon_top + self.ribbon

    @property
    def exposures_top(self) -> float:
        return self.glyphs_top + self.glyphs

    @property
    def life_top(self) -> float:
        return self.exposures_top + self.exposures


def _laid(text: str, font: QFont) -> QStaticText:
    """A text that is painted again and again, laid out once."""
    made = QStaticText(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.prepare(QTransform(), font)
    return made


@lru_cache(64)
def _made(
    cls: type[Bands], zoom: float, plain: bool, drawn: bool, lives: bool, voiced: bool, _: float
) -> Bands:
    return cls(zoom, plain=plain, drawn=drawn, lives=lives, voiced=voiced)
