"""Painting rows of a scene: staves as pictures that are kept, rulers and shots over them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPen, QPixmap

from ....production.documents import Line
from ....scene.documents import Clip, Lane, Move, Scene
from ....scene.editing import Where
from ....scene.mix import RATE, Sound
from ....scene.moving import until
from ....speech.reading import Word
from ...drawing import theme as themes
from ...drawing.ribbon import envelope, rgb, wave_image
from ...drawing.theme import Theme
from ...drawing.voices import voice_color
from ...drawing.words import PROOF_COLORS, PROOF_SIGNS
from .layout import Bracket, Plan, Sizes, Spot, Stave, System, laid_words

KEPT = 400  # pictures of staves
LOUD = 0.35  # of full scale, that fills a wave


@dataclass(frozen=True)
class Shown:
    """What of a scene is known beside its document."""

    scene: Scene
    whole: Callable[[Clip], float]
    line: Callable[[Clip], Line | None]
    sound: Callable[[Clip], Sound | None]
    problem: Callable[[Clip], str]
    lasts: Callable[[Move], float]
    proof: Callable[[Clip], tuple[str, int] | None] = lambda clip: None  # gravest finding, how many


def sizes(theme_scale: float) -> Sizes:
    """Pixels for the size of type that is set; a second has room for what is said in it."""
    metrics = QFontMetricsF(themes.serif(11.5))
    return Sizes(
        margin=96 * theme_scale, ruler=17 * theme_scale, shots=19 * theme_scale, wave=15 * theme_scale,
        words=metrics.height() + 1, below=9 * theme_scale, bed=28 * theme_scale, between=22 * theme_scale,
        per_second=14.5 * metrics.averageCharWidth(),
    )  # fmt: skip


class ScenePainter:
    """Paints rows; keeps a picture of every stave until something on it is another."""

    def __init__(self, theme: Theme) -> None:
        self.theme = theme
        self._kept: OrderedDict[tuple[object, ...], QPixmap] = OrderedDict()
        self._numbers: dict[str, int] = {}

    def forget(self) -> None:
        self._kept.clear()

    def color(self, scene: Scene, lane: int) -> QColor:
        """The colour of a lane."""
        own = scene.lanes[lane]
        number = scene.speakers.index(own.name) if own.speaks else 0
        return voice_color(self.theme, number, speaks=own.speaks)

    # ---- a row --------------------------------------------------------------------------------

    def system(
        self, painter: QPainter, shown: Shown, plan: Plan, system: System, size: Sizes,
        chosen: Collection[Where], shot: int | None, fps: float, part: QRectF,
    ) -> None:  # fmt: skip
        """One row: ruler, shots, staves; what of it lies in a part of the page."""
        self._ruler(painter, system, size, fps, part)
        if shown.scene.tempo.beats:
            self._beats(painter, shown.scene, system, size)
        for bracket in system.brackets:
            if bracket.right < part.left() or bracket.left > part.right():
                continue
            self._bracket(painter, shown.scene, bracket, system.top + size.ruler, size, bracket.number == shot)  # fmt: skip
        if system.staves:
            painter.setPen(QPen(self.theme.color("ink"), 1.3))
            top, last = system.staves[0].top, system.staves[-1]
            painter.drawLine(QPointF(system.left, top), QPointF(system.left, last.top + last.height - 3))  # fmt: skip
        for stave in system.staves:
            for spot in stave.spots:
                if spot.where in chosen:
                    color = self.theme.faded("chosen", 46)
                    box = QRectF(spot.left, stave.top + 1, spot.right - spot.left, stave.height - 3)
                    painter.setPen(QPen(self.theme.color("chosen"), 1.2))
                    painter.setBrush(color)
                    painter.drawRoundedRect(box, 3, 3)
            painter.drawPixmap(QPointF(0, stave.top), self._stave(painter, shown, plan, system, stave, size))  # fmt: skip

    def _ruler(self, painter: QPainter, system: System, size: Sizes, fps: float, part: QRectF) -> None:  # fmt: skip
        painter.setFont(themes.sans(7.8))
        metrics = QFontMetricsF(painter.font())
        per = system.width / (system.end - system.start)
        step = next(s for s in (1 / fps, 0.1, 0.5, 1, 2, 5, 10, 30, 60, 1e9) if s * per > 90)
        first = int(np.ceil(system.start / step - 1e-6))
        painter.setPen(self.theme.color("faint"))
        for k in range(first, int(system.end / step + 1e-6) + 1):
            x = system.x_at(k * step)
            if not part.left() - 50 < x < part.right() + 50:
                continue
            text = clock(k * step, step < 1)
            wide = metrics.horizontalAdvance(text)
            if x + wide / 2 <= system.left + system.width + size.right:
                left = max(x - wide / 2, system.left - 6)
                painter.drawText(QPointF(left, system.top + size.ruler - 5), text)

    def _beats(self, painter: QPainter, scene: Scene, system: System, size: Sizes) -> None:
        """Where beats are: short lines over the staves, if they have room."""
        beat = 60 / scene.tempo.beats
        per = system.width / (system.end - system.start)
        if beat * per < 5:
            return
        first = max(0, int(np.ceil((system.start - scene.tempo.first) / beat - 1e-6)))
        last = int((system.end - scene.tempo.first) / beat + 1e-6)
        y = system.top + size.ruler + size.shots - 6
        painter.setPen(QPen(self.theme.color("faint"), 1))
        for k in range(first, last + 1):
            x = system.x_at(scene.tempo.first + k * beat)
            painter.drawLine(QPointF(x, y), QPointF(x, y + 4))

    def _bracket(
        self, painter: QPainter, scene: Scene, bracket: Bracket, top: float, size: Sizes, chosen: bool
    ) -> None:  # fmt: skip
        text = shot_text(scene, bracket)
        painter.setFont(themes.sans(8, bold=chosen))
        metrics = QFontMetricsF(painter.font())
        color = self.theme.color("playhead" if chosen else "ink")
        left, right = bracket.left + 2, bracket.right - 2
        text = metrics.elidedText(text, Qt.TextElideMode.ElideRight, max(0.0, right - left - 26))
        wide = metrics.horizontalAdvance(text)
        y = top + 4
        painter.setPen(QPen(color, 1.6 if chosen else 1.1))
        middle = (left + right) / 2
        gap = wide / 2 + 7 if text and text != "…" else 0.0
        painter.drawLine(QPointF(left, y), QPointF(max(left, middle - gap), y))
        painter.drawLine(QPointF(min(right, middle + gap), y), QPointF(right, y))
        if bracket.begins:
            painter.drawLine(QPointF(left, y), QPointF(left, y + 6))
        if bracket.ends:
            painter.drawLine(QPointF(right, y), QPointF(right, y + 6))
        if gap:
            painter.drawText(QPointF(middle - wide / 2, y + metrics.capHeight() / 2), text)

    # ---- a stave ------------------------------------------------------------------------------

    def _stave(self, painter: QPainter, shown: Shown, plan: Plan, system: System, stave: Stave, size: Sizes) -> QPixmap:  # fmt: skip
        lane = shown.scene.lanes[stave.lane]
        ratio = painter.device().devicePixelRatioF()
        sounds = tuple(id(shown.sound(s.clip)) for s in stave.spots)
        readings = tuple(id(x.reading) if (x := shown.line(s.clip)) else 0 for s in stave.spots)
        problems = tuple(shown.problem(s.clip) for s in stave.spots)
        key = (
            self.theme.name, ratio, plan.width, system.start, system.end, lane.name, lane.speaks, lane.mute, lane.solo,
            lane.lock, self.color(shown.scene, stave.lane).rgb(), stave.height, size, tuple((s.clip, s.left, s.right) for s in stave.spots),
            sounds, readings, problems, tuple(shown.proof(s.clip) for s in stave.spots), tuple((m, shown.lasts(m)) for m in lane.moves),
        )  # fmt: skip
        made = self._kept.get(key)
        if made is None:
            made = self._kept[key] = self._painted(shown, plan, system, stave, size, ratio)
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        else:
            self._kept.move_to_end(key)
        return made

    def _painted(
        self, shown: Shown, plan: Plan, system: System, stave: Stave, size: Sizes, ratio: float
    ) -> QPixmap:  # fmt: skip
        lane, color = shown.scene.lanes[stave.lane], self.color(shown.scene, stave.lane)
        image = QImage(
            int(plan.width * ratio), int(np.ceil(stave.height * ratio)), QImage.Format.Format_ARGB32_Premultiplied
        )  # fmt: skip
        image.setDevicePixelRatio(ratio)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._name(painter, shown.scene, stave, size, color)
        base = size.wave + size.words if lane.speaks else size.bed / 2
        painter.setPen(QPen(self.theme.color("rule"), 1))
        painter.drawLine(QPointF(system.left, base + 2), QPointF(system.left + system.width, base + 2))  # fmt: skip
        faint = lane.mute or (not lane.solo and any(x.solo for x in shown.scene.lanes))
        rights = [s.left for s in stave.spots[1:]] + [system.left + system.width]
        for spot, after in zip(stave.spots, rights, strict=False):
            self._clip(painter, shown, system, spot, after, size, color, base, faint, ratio)
        for move in lane.moves:
            self._move(painter, shown, system, lane, move, base + 2, color)
        painter.end()
        return QPixmap.fromImage(image)

    def _move(
        self, painter: QPainter, shown: Shown, system: System, lane: Lane, move: Move, y: float, color: QColor
    ) -> None:  # fmt: skip
        """A recorded motion of the head, under the rule."""
        lasts = shown.lasts(move)
        end = until(lane.moves, move, 1e9)
        end = end if move.loop else min(end, move.start + lasts)
        a, b = max(move.start, system.start), min(end, system.end)
        if b <= a:
            return
        left, right = system.x_at(a), system.x_at(b)
        pen = QPen(self.theme.color("playhead") if not lasts else color, 1.2)
        pen.setStyle(Qt.PenStyle.DashDotLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(left, y + 5), QPointF(right, y + 5))
        painter.setFont(themes.sans(6.5))
        text = f"{'↻' if move.loop else '→'} head: {move.file.rsplit('/', 1)[-1]}"
        metrics = QFontMetricsF(painter.font())
        box = QRectF(left + 6, y + 1, metrics.horizontalAdvance(text) + 6, metrics.height())
        painter.fillRect(box, self.theme.color("page"))
        painter.drawText(QPointF(left + 9, y + 5 + metrics.capHeight() / 2), text)

    def _name(self, painter: QPainter, scene: Scene, stave: Stave, size: Sizes, color: QColor) -> None:  # fmt: skip
        lane = scene.lanes[stave.lane]
        signs = "".join(t for on, t in ((lane.mute, "✕"), (lane.solo, "◉"), (lane.lock, "⚿")) if on)
        painter.setFont(themes.sans(8.5, bold=True))
        metrics = QFontMetricsF(painter.font())
        text = metrics.elidedText(f"{signs} {called(lane.name)}".strip(), Qt.TextElideMode.ElideRight, size.margin - 18)  # fmt: skip
        painter.setPen(color)
        middle = size.wave + size.words / 2 if lane.speaks else size.bed / 2
        painter.drawText(
            QRectF(6, middle - 10, size.margin - 16, 20), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text
        )  # fmt: skip

    def _clip(
        self, painter: QPainter, shown: Shown, system: System, spot: Spot, after: float, size: Sizes,
        color: QColor, base: float, faint: bool, ratio: float,
    ) -> None:  # fmt: skip
        clip, line = spot.clip, shown.line(spot.clip)
        problem = shown.problem(clip)
        wave = QColor(color)
        wave.setAlpha(60 if faint else 150)
        speaks = bool(clip.line)
        self._wave(painter, shown, system, spot, size, wave, ratio, speaks)
        pen = QPen(self.theme.color("playhead") if problem else color, 2.4 if speaks else 1.4)
        if problem:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        y = base + 2
        painter.drawLine(QPointF(spot.left, y), QPointF(spot.right, y))
        for there, x in ((spot.begins, spot.left), (spot.ends, spot.right)):
            if there:
                painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 4))
        self._fades(painter, system, spot, size, speaks)
        if problem:
            painter.setFont(themes.sans(8))
            painter.setPen(self.theme.color("playhead"))
            painter.drawText(QPointF(spot.left + 4, y - 6), "✗ missing")
        elif line is not None and line.reading is not None:
            self._words(painter, system, spot, list(line.reading.words()), after, size, faint)
        elif speaks:
            painter.setFont(themes.sans(8))
            painter.setPen(self.theme.color("doubt"))
            painter.drawText(QPointF(spot.left + 4, y - 6), "not listened to")
        found = shown.proof(clip)
        if found is not None and found[0] and spot.begins:
            painter.setFont(themes.sans(8.5, bold=True))
            painter.setPen(self.theme.color(PROOF_COLORS[found[0]]))
            painter.drawText(QPointF(spot.left + 3, y + 11), f"{PROOF_SIGNS[found[0]]}{found[1]}")

    def _wave(
        self, painter: QPainter, shown: Shown, system: System, spot: Spot, size: Sizes, color: QColor,
        ratio: float, speaks: bool,
    ) -> None:  # fmt: skip
        sound = shown.sound(spot.clip)
        columns = int((spot.right - spot.left) * ratio)
        if sound is None or columns < 2:
            return
        own = sound if sound.ndim == 1 else sound[:, 0]
        a = system.time_at(spot.left) - spot.clip.start + spot.clip.cut
        b = system.time_at(spot.right) - spot.clip.start + spot.clip.cut
        times = np.linspace(a, b, columns + 1)
        high, low = envelope(own, times, RATE)
        level = float(10 ** (spot.clip.gain / 20)) / LOUD
        tall = size.wave if speaks else size.bed - 6
        image = wave_image(
            np.clip(high * level, -1, 1), np.clip(low * level, -1, 1), rgb(color), color.alphaF(), int(tall * ratio), ratio
        )  # fmt: skip
        painter.drawImage(QPointF(spot.left, 0 if speaks else 5), image)

    def _fades(
        self, painter: QPainter, system: System, spot: Spot, size: Sizes, speaks: bool
    ) -> None:
        per = system.width / (system.end - system.start)
        tall = size.wave if speaks else size.bed - 6
        top = 0.0 if speaks else 5.0
        painter.setPen(QPen(self.theme.color("faint"), 1))
        if spot.clip.fade_in and spot.begins:
            x = min(spot.left + spot.clip.fade_in * per, spot.right)
            painter.drawLine(QPointF(spot.left, top + tall), QPointF(x, top))
        if spot.clip.fade_out and spot.ends:
            x = max(spot.right - spot.clip.fade_out * per, spot.left)
            painter.drawLine(QPointF(x, top), QPointF(spot.right, top + tall))

    def _words(
        self, painter: QPainter, system: System, spot: Spot, words: list[Word], after: float, size: Sizes, faint: bool
    ) -> None:  # fmt: skip
        clip = spot.clip
        shift = clip.start - clip.cut
        a, b = system.time_at(spot.left) - 1e-6, system.time_at(spot.right) - 1e-6
        own = [w for w in words if a <= w.start + shift < b]
        font = themes.serif(11.5)
        metrics = QFontMetricsF(font)
        widths = [metrics.horizontalAdvance(w.text) for w in own]
        lefts = [system.x_at(w.start + shift) for w in own]
        low = min([spot.left, *lefts])
        places, squeeze = laid_words(lefts, widths, metrics.horizontalAdvance(" "), low, max(after - 6, spot.right))  # fmt: skip
        painter.setFont(font)
        y = size.wave + metrics.ascent()
        for word, x, wide in zip(own, places, widths, strict=True):
            painter.setPen(self.theme.color("faint" if faint else "ink"))
            painter.save()
            painter.translate(x, y)
            painter.scale(squeeze, 1)
            painter.drawText(QPointF(0, 0), word.text)
            painter.restore()
            if word.doubtful:
                pen = QPen(self.theme.color("doubt"), 1.8)
                pen.setStyle(Qt.PenStyle.DotLine)
                painter.setPen(pen)
                painter.drawLine(QPointF(x, y + 3), QPointF(x + wide * squeeze, y + 3))


def called(name: str) -> str:
    """A lane's name; of lines whose speaker nobody named, that."""
    return name or "(no name)"


def clock(seconds: float, fine: bool = False) -> str:
    """`1:05`, or `1:05.25`."""
    minutes, rest = divmod(seconds + 1e-9, 60)
    return f"{int(minutes)}:{rest:05.2f}" if fine else f"{int(minutes)}:{int(rest):02d}"


def shot_text(scene: Scene, bracket: Bracket) -> str:
    """`Mabel, three quarters`, `all three`, `who speaks`."""
    shot = bracket.shot
    of = [called(s) for s in shot.of if s in scene.speakers]
    if not of:
        who = "who speaks"
    elif len(of) > 1 and len(of) == len(scene.speakers):
        who = {2: "both", 3: "all three", 4: "all four"}.get(len(of), "everybody")
    else:
        who = " and ".join(of)
    seen = "own camera" if shot.camera else shot.view
    return f"{who}, {seen}" if seen != "front" else who
