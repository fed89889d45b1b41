"""What a set of passages covers, drawn: kinds of hard parts, lengths, sounds."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QWidget,
)

from zestpanel.core.text.picking.coverage import Coverage, SoundCoverage
from zestpanel.core.texts import tr
from zestpanel.desk.brush import painting
from zestpanel.desk.theme.tokens import theme


class Meter(QWidget):
    """The set's coverage as a picture: kinds with as many dots as passages, sounds said and missing, lengths."""

    def __init__(self) -> None:
        super().__init__()
        self._coverage: Coverage | None = None
        self.setAccessibleName(tr("Coverage of the set"))

    def show_coverage(self, found: Coverage) -> None:
        self._coverage = found
        lacking = [kind for kind, ids in found.kinds.items() if not ids]
        sounds = "; ".join(
            tr("{language}: {missing} sounds missing", language=s.language, missing=len(s.missing))
            for s in found.sounds
        )
        self.setAccessibleDescription(
            tr("Lacking {lacking}. {sounds}.", lacking=", ".join(lacking) or tr("no kind"), sounds=sounds)
        )
        self.setMinimumHeight(self._paint(None, self.width() or theme.px(500)))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(480), self._paint(None, max(self.width(), theme.px(300))))

    def resizeEvent(self, event: object) -> None:
        if self._coverage is not None:
            self.setMinimumHeight(self._paint(None, self.width()))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        with painting(self) as painter:
            self._paint(painter, self.width())

    def _paint(self, painter: QPainter | None, width: int) -> int:
        """Draw (or, without a painter, only measure); returns the height in pixels."""
        if self._coverage is None:
            return theme.px(40)
        y = self._kinds(painter, width, theme.px(4))
        y = self._lengths(painter, width, y + theme.px(14))
        for one in self._coverage.sounds:
            y = self._sounds(painter, width, y + theme.px(14), one)
        return y + theme.px(8)

    def _kinds(self, painter: QPainter | None, width: int, y: int) -> int:
        assert self._coverage is not None
        columns = 2 if width > theme.px(420) else 1
        line, each = theme.px(23), width / columns
        kinds = list(self._coverage.kinds.items())
        rows = -(-len(kinds) // columns)
        if painter is not None:
            for i, (kind, ids) in enumerate(kinds):
                x, top = (i // rows) * each, y + (i % rows) * line
                painter.setFont(theme.font())
                painter.setPen(theme.colour("ink" if ids else "plum"))
                box = QRectF(x, top, theme.px(128), line)
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, kind)
                if not ids:
                    painter.setFont(theme.font("small"))
                    where = QRectF(x + theme.px(132), top, theme.px(60), line)
                    painter.drawText(where, Qt.AlignmentFlag.AlignVCenter, tr("lacking"))
                    continue
                room = int((each - theme.px(132) - theme.px(26)) // theme.px(10))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("zest"))
                shown = min(len(ids), max(1, room))
                for n in range(shown):
                    painter.drawEllipse(
                        QPointF(x + theme.px(137) + n * theme.px(10), top + line / 2), theme.px(3), theme.px(3)
                    )
                painter.setFont(theme.font("small"))
                painter.setPen(theme.colour("quiet"))
                count = QRectF(x + theme.px(142) + shown * theme.px(10), top, theme.px(40), line)
                painter.drawText(count, Qt.AlignmentFlag.AlignVCenter, str(len(ids)))
        return y + rows * line

    def _lengths(self, painter: QPainter | None, width: int, y: int) -> int:
        assert self._coverage is not None
        line = theme.px(23)
        if painter is not None:
            parts = [f"{n} {name}" for name, n in self._coverage.lengths.items()]
            painter.setFont(theme.font(bold=True))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(0, y, theme.px(128), line), Qt.AlignmentFlag.AlignVCenter, tr("Lengths"))
            painter.setFont(theme.font())
            words = " · ".join(parts) + tr("   (to 8 words, to 20, over)")
            painter.drawText(QRectF(theme.px(132), y, width, line), Qt.AlignmentFlag.AlignVCenter, words)
        return y + line

    def _sounds(self, painter: QPainter | None, width: int, y: int, one: SoundCoverage) -> int:
        """The sounds of a language in boxes: said ones filled, missing ones in an outline, those the scripts say in
        plum."""
        from zestpanel.core.languages import locale_name

        line = theme.px(23)
        whole = len(one.covered) + len(one.missing)
        wanted = set(one.missing_from_scripts)
        if painter is not None:
            painter.setFont(theme.font(bold=True))
            painter.setPen(theme.colour("ink"))
            words = tr(
                "Sounds of {locale_name}: {covered} of {whole}",
                locale_name=locale_name(one.language),
                covered=len(one.covered),
                whole=whole,
            )
            painter.drawText(QRectF(0, y, width, line), Qt.AlignmentFlag.AlignVCenter, words)
            painter.setFont(theme.font("small"))
            painter.setPen(theme.colour("quiet"))
            note = (
                tr("in plum: {wanted} that the scripts say and the set does not", wanted=len(wanted))
                if one.in_scripts is not None
                else tr("no script to hold them against yet")
            )
            painter.drawText(
                QRectF(0, y, width, line), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, note
            )
        y += line + theme.px(2)
        x, tall, gap = 0.0, theme.px(24), theme.px(5)
        metrics = QFontMetricsF(theme.font())
        for sound in (*one.covered, *one.missing):
            wide = max(theme.px(26), metrics.horizontalAdvance(sound) + theme.px(12))
            if x + wide > width:
                x, y = 0.0, y + tall + gap
            if painter is not None:
                said = sound in one.covered
                box = QRectF(x + 0.5, y + 0.5, wide - 1, tall - 1)
                painter.setPen(QPen(theme.colour("plum" if sound in wanted else "rule"), 1.4 if sound in wanted else 1))
                painter.setBrush(theme.colour("zest-pale") if said else Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box, theme.px(3), theme.px(3))
                painter.setFont(theme.font())
                painter.setPen(theme.colour("plum" if sound in wanted else "ink" if said else "quiet"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, sound)
            x += wide + gap
        return y + tall
