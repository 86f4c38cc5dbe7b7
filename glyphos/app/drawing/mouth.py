"""Drawing a mouth from gesture channels: for the face, large, and for glyphs, small."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from .theme import Theme, round_pen

CAVITY, TEETH, TONGUE, GUM = "#3A1518", "#FAF5E9", "#C4605C", "#8E3B3A"


@dataclass(frozen=True)
class MouthShape:
    """Edges of a mouth around its middle, in units of which a resting mouth is 100 wide."""

    half: float
    upper: float  # inner edge of the upper lip, above 0 is negative
    lower: float
    fullness: float
    squareness: float
    upper_lip: float
    lower_lip: float
    jaw: float

    @classmethod
    def of(cls, motion: Mapping[str, float]) -> MouthShape:
        """Shape for channel values; missing channels are at rest."""
        get = motion.get
        wide, rounded = get("lips_wide", 0.0), get("lips_round", 0.0)
        part, press = get("lips_part", 0.0), get("lips_press", 0.0)
        raise_, teeth = get("upper_lip_raise", 0.0), get("lip_to_teeth", 0.0)
        jaw = get("jaw_open", 0.0)
        half = 50 * (1 + 0.26 * max(0.0, wide) + 0.30 * min(0.0, wide)) * (1 - 0.34 * rounded)
        gap = 62 * part
        upper = -0.30 * gap - 5 * raise_ * min(1.0, 3 * part) - 5 * teeth
        lower = 0.70 * gap * (1 - 0.75 * teeth) + 1.5 * teeth
        return cls(
            half, upper, lower, 1 + 0.55 * rounded - 0.45 * press, 0.45 + 0.35 * rounded,
            11 * (1 + 0.45 * rounded - 0.5 * press), 14 * (1 + 0.40 * rounded - 0.5 * press - 0.35 * teeth),
            jaw,
        )  # fmt: skip

    def inner(self) -> QPainterPath:
        """The opening between the lips."""
        return _lens(self.half * 0.92, self.upper, self.lower, self.squareness)

    def outer(self) -> QPainterPath:
        """The outline of both lips, with a bow in the upper one."""
        w, reach = self.half, self.half * self.squareness
        top, bottom = self.upper - self.upper_lip, self.lower + self.lower_lip
        path = QPainterPath(QPointF(-w, 0))
        path.cubicTo(-w + reach * 0.5, top * 0.75, -w * 0.42, top * 1.08, -w * 0.16, top * 1.06)
        path.quadTo(0, top * 0.84, w * 0.16, top * 1.06)
        path.cubicTo(w * 0.42, top * 1.08, w - reach * 0.5, top * 0.75, w, 0)
        path.cubicTo(w - reach * 0.35, bottom * 0.9, w * 0.5, bottom * 1.05, 0, bottom * 1.05)
        path.cubicTo(-w * 0.5, bottom * 1.05, -w + reach * 0.35, bottom * 0.9, -w, 0)
        return path


def _lens(half: float, upper: float, lower: float, square: float) -> QPainterPath:
    reach = half * (1 - square) + half * 0.05
    path = QPainterPath(QPointF(-half, 0))
    path.cubicTo(-half, upper * 1.0, -reach, upper * 1.30, 0, upper * 1.02)
    path.cubicTo(reach, upper * 1.30, half, upper * 1.0, half, 0)
    path.cubicTo(half, lower * 1.0, reach, lower * 1.32, 0, lower * 1.10)
    path.cubicTo(-reach, lower * 1.32, -half, lower * 1.0, -half, 0)
    return path


def paint_mouth(painter: QPainter, motion: Mapping[str, float], theme: Theme) -> None:
    """A full mouth around the origin: lips, teeth, tongue, in units of MouthShape."""
    shape = MouthShape.of(motion)
    lip = theme.color("lip")
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(lip)
    painter.drawPath(shape.outer())
    inner = shape.inner()
    if shape.lower - shape.upper > 0.8:
        painter.save()
        painter.setClipPath(inner, Qt.ClipOperation.IntersectClip)
        painter.fillPath(inner, QColor(CAVITY))
        _tongue_body(painter, motion, shape)
        _teeth(painter, shape, motion)
        _tongue_tip(painter, motion, shape)
        painter.restore()
        painter.setPen(QPen(QColor(CAVITY), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(inner)
    else:
        painter.setPen(round_pen(QColor(CAVITY), 2.4))
        line = QPainterPath(QPointF(-shape.half * 0.92, 0))
        line.cubicTo(-shape.half * 0.4, 2.5, shape.half * 0.4, 2.5, shape.half * 0.92, 0)
        painter.drawPath(line)
    highlight = QColor(255, 255, 255, 46)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(highlight)
    painter.drawEllipse(
        QPointF(0, shape.lower + shape.lower_lip * 0.5), shape.half * 0.32, shape.lower_lip * 0.16
    )


def _teeth(painter: QPainter, shape: MouthShape, motion: Mapping[str, float]) -> None:
    width = shape.half * 0.78
    edge = -3.0 - 4 * (1 - motion.get("upper_lip_raise", 0.0)) * (shape.upper < -8)
    if motion.get("lip_to_teeth", 0.0) > 0.3:
        edge = shape.lower + 2
    painter.setBrush(QColor(TEETH))
    painter.setPen(QPen(QColor("#D8CDB8"), 0.8))
    painter.drawRoundedRect(QRectF(-width, edge - 44, 2 * width, 44), 7, 7)
    for k in (-2, -1, 0, 1, 2):
        painter.drawLine(
            QPointF(k * width * 0.36, edge - 22), QPointF(k * width * 0.36, edge - 1.5)
        )
    top = edge + 6 + 46 * shape.jaw
    painter.drawRoundedRect(QRectF(-width * 0.85, top, 1.7 * width, 40), 7, 7)


def _tongue_body(painter: QPainter, motion: Mapping[str, float], shape: MouthShape) -> None:
    high, front = motion.get("tongue_high", 0.0), motion.get("tongue_front", 0.0)
    y = 14 + 40 * shape.jaw - 16 * high - 4 * front
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(TONGUE).darker(int(125 - 15 * front)))
    painter.drawEllipse(QPointF(0, y + 14), shape.half * (0.66 + 0.06 * front), 19)


def _tongue_tip(painter: QPainter, motion: Mapping[str, float], shape: MouthShape) -> None:
    tip, between = motion.get("tongue_tip", 0.0), motion.get("tongue_between_teeth", 0.0)
    painter.setPen(QPen(QColor(GUM), 0.8))
    painter.setBrush(QColor(TONGUE))
    if between > 0.25:
        y = 4 + 12 * (1 - between)
        painter.drawRoundedRect(QRectF(-shape.half * 0.42, y - 6, shape.half * 0.84, 26), 11, 11)
    elif tip > 0.35:
        rise = (tip - 0.35) / 0.65
        y = 24 + 30 * shape.jaw - (26 + 26 * shape.jaw) * rise
        painter.drawEllipse(QPointF(0, y + 7), shape.half * 0.34, 12)


def paint_glyph(
    painter: QPainter, motion: Mapping[str, float], center: QPointF, size: float, color: QColor
) -> None:
    """A small drawn mouth, `size` pixels wide at rest, in one ink."""
    shape = MouthShape.of(motion)
    painter.save()
    painter.translate(center)
    painter.scale(size / 100, size / 100)
    if shape.lower - shape.upper < 4:
        painter.setPen(round_pen(color, 15))
        painter.drawLine(QPointF(-shape.half * 0.85, 0), QPointF(shape.half * 0.85, 0))
    else:
        light = QColor(color)
        light.setAlpha(60)
        painter.setBrush(light)
        painter.setPen(QPen(color, 10))
        painter.drawPath(
            _lens(shape.half, shape.upper * 1.25, shape.lower * 1.25, shape.squareness)
        )
        if motion.get("lip_to_teeth", 0.0) > 0.5:
            painter.drawLine(QPointF(-shape.half * 0.5, 0), QPointF(shape.half * 0.5, 0))
        if motion.get("tongue_between_teeth", 0.0) > 0.5:
            painter.setBrush(color)
            painter.drawEllipse(QPointF(0, 4), 13, 9)
    painter.restore()
