"""The drawn face: Mabel's, in vectors, driven by the gesture channels."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...drawing.mouth import paint_mouth
from ...drawing.theme import Theme, round_pen

HEIGHT = 400.0  # of the drawing's own units


class FaceView(QWidget):
    """Shows one moment of the motion; `show_pose` is told channel values."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.pose: Mapping[str, float] = {}
        self.setMinimumSize(180, 130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Face")
        self.setAccessibleDescription("The character speaking at the playhead")

    def sizeHint(self) -> QSize:
        return QSize(300, 330)

    def show_pose(self, pose: Mapping[str, float]) -> None:
        if pose != self.pose:
            self.pose = pose
            self.update()

    def paintEvent(self, _: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("panel"))
        factor = min(self.height() / HEIGHT, self.width() / 330)
        painter.translate(self.width() / 2, self.height() / 2 + 6 * factor)
        painter.scale(factor, factor)
        jaw = self.pose.get("jaw_open", 0.0)
        self._shoulders(painter, self.height() / 2 / factor)
        self._head(painter, jaw)
        self._eyes(painter)
        self._nose(painter)
        painter.save()
        painter.translate(0, 84 + 8 * jaw)
        paint_mouth(painter, self.pose, self.theme)
        painter.restore()
        self._chin(painter, jaw)
        painter.end()

    def _shoulders(self, painter: QPainter, bottom: float) -> None:
        """Down to the lower edge, however tall the view is."""
        path = QPainterPath(QPointF(-170, max(bottom, 240)))
        path.lineTo(-170, 240)
        path.cubicTo(-150, 188, -60, 182, -44, 168)
        path.lineTo(44, 168)
        path.cubicTo(60, 182, 150, 188, 170, 240)
        path.lineTo(170, max(bottom, 240))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor("#2F4A55"))
        painter.drawPath(path)
        neck = QPainterPath(QPointF(-40, 120))
        neck.lineTo(-40, 172)
        neck.quadTo(0, 200, 40, 172)
        neck.lineTo(40, 120)
        painter.setBrush(self.theme.color("skin_shade"))
        painter.drawPath(neck)

    def _head(self, painter: QPainter, jaw: float) -> None:
        drop = 30 * jaw
        hair = QPainterPath(QPointF(-104, 70))
        hair.cubicTo(-150, -60, -96, -178, 4, -178)
        hair.cubicTo(104, -178, 150, -60, 104, 70)
        hair.cubicTo(84, 100, -84, 100, -104, 70)
        painter.setBrush(QColor("#6A6F78"))
        painter.drawPath(hair)
        painter.drawEllipse(QPointF(22, -176), 34, 24)
        face = QPainterPath(QPointF(-92, -40))
        face.cubicTo(-96, -132, -44, -152, 0, -152)
        face.cubicTo(44, -152, 96, -132, 92, -40)
        face.cubicTo(92, 40, 84, 86 + drop * 0.6, 46, 132 + drop)
        face.cubicTo(24, 152 + drop, -24, 152 + drop, -46, 132 + drop)
        face.cubicTo(-84, 86 + drop * 0.6, -92, 40, -92, -40)
        shade = QLinearGradient(-90, 0, 90, 0)
        shade.setColorAt(0, self.theme.color("skin"))
        shade.setColorAt(0.72, self.theme.color("skin"))
        shade.setColorAt(1, self.theme.color("skin_shade"))
        painter.setBrush(shade)
        painter.drawPath(face)
        fringe = QPainterPath(QPointF(-94, -46))
        fringe.cubicTo(-84, -118, -40, -128, 20, -140)
        fringe.cubicTo(64, -126, 86, -92, 94, -46)
        fringe.cubicTo(122, -120, 74, -166, 0, -166)
        fringe.cubicTo(-74, -166, -122, -120, -94, -46)
        painter.setBrush(QColor("#7A808A"))
        painter.drawPath(fringe)

    def _eyes(self, painter: QPainter) -> None:
        for side in (-1, 1):
            middle = QPointF(38 * side, -32)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#FBF7EC"))
            painter.drawEllipse(middle, 17, 12)
            painter.setBrush(QColor("#33534F"))
            painter.drawEllipse(middle + QPointF(0, 0.5), 8.2, 8.6)
            painter.setBrush(QColor("#12181C"))
            painter.drawEllipse(middle + QPointF(0, 0.5), 3.8, 4.0)
            painter.setBrush(QColor("#FFFFFF"))
            painter.drawEllipse(middle + QPointF(-3, -3), 1.8, 1.8)
            painter.setPen(round_pen(QColor("#3A2E2A"), 3.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            lid = QPainterPath(middle + QPointF(-18, 0))
            lid.cubicTo(
                middle + QPointF(-9, -15), middle + QPointF(9, -15), middle + QPointF(18, 0)
            )
            painter.drawPath(lid)
            brow = QPainterPath(QPointF(16 * side, -60))
            brow.quadTo(QPointF(40 * side, -72), QPointF(62 * side, -58))
            painter.setPen(round_pen(QColor("#565B63"), 5.5))
            painter.drawPath(brow)
        painter.setPen(QPen(QColor("#B08D3C"), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for side in (-1, 1):
            painter.drawEllipse(QPointF(38 * side, -30), 27, 23)
        bridge = QPainterPath(QPointF(-11, -32))
        bridge.quadTo(0, -39, 11, -32)
        painter.drawPath(bridge)

    def _nose(self, painter: QPainter) -> None:
        nose = QPainterPath(QPointF(-3, -14))
        nose.cubicTo(-6, 14, -16, 26, -14, 33)
        nose.cubicTo(-8, 42, 8, 42, 14, 33)
        painter.setPen(round_pen(self.theme.color("skin_shade").darker(125), 3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(nose)

    def _chin(self, painter: QPainter, jaw: float) -> None:
        y = 136 + 30 * jaw
        fold = QPainterPath(QPointF(-14, y))
        fold.quadTo(0, y + 5, 14, y)
        painter.setPen(round_pen(self.theme.color("skin_shade").darker(112), 2.2))
        painter.drawPath(fold)

    def rect_of_mouth(self) -> QRectF:
        """Where the mouth is on the widget (for tests)."""
        factor = min(self.height() / HEIGHT, self.width() / 330)
        middle = QPointF(self.width() / 2, self.height() / 2 + 6 * factor + 100 * factor)
        return QRectF(
            middle.x() - 65 * factor, middle.y() - 50 * factor, 130 * factor, 100 * factor
        )
