"""The trail: the eight steps at the left, each with its state in a few words."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from zestpanel.desk.brush import painting
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme

STEPS = (
    ("brief", "Brief"),
    ("engines", "Engines & voices"),
    ("passages", "Passages"),
    ("renders", "Renders"),
    ("evidence", "Evidence"),
    ("listening", "Listening"),
    ("cost", "Cost"),
    ("choice", "Choice"),
)


@dataclass(frozen=True, slots=True)
class Standing:
    """share: 0 not begun, 1 done, between: under way; stale steps are drawn dashed."""

    words: str
    share: float
    stale: bool = False


def step_states(state: DeskState) -> dict[str, Standing]:
    """A few words on each step."""
    bench, found, brief = state.bench, state.standing, state.bench.brief
    done, able = bench.counts
    takes, unmeasured, listeners = bench.takes, bench.unmeasured, bench.raters
    stale_cells = sum(cell.state == "stale" for cell in bench.cells.values())
    old = [row for row in found.rows.values() if row.plan.dated is None] if found else []
    chosen, roles = bench.decided, brief.roles
    n_languages, n_engines = len(brief.languages), len(bench.engines)
    priced = [row for row in found.rows.values() if row.cost.month.total is not None] if found else []
    return {
        "brief": Standing(
            f"{n_languages} language{'s' * (n_languages != 1)} · {brief.episodes_per_month} episodes"
            if brief.channel
            else "not yet",
            1.0 if brief.channel else 0.0,
        ),
        "engines": Standing(
            f"{n_engines} engine{'s' * (n_engines != 1)} · {len(bench.candidates)} on the shortlist"
            if n_engines
            else "not yet",
            0.0 if not n_engines else 1.0 if len(bench.candidates) > 1 else 0.5,
        ),
        "passages": Standing(
            f"{len(bench.passages)} · {sum(p.characters for p in bench.passages):,} characters"
            if bench.passages
            else "not yet",
            0.0 if not bench.passages else 1.0 if len(bench.passages) >= 3 else 0.5,
        ),
        "renders": Standing(
            (f"{stale_cells} cells stale" if stale_cells else f"{done} of {len(bench.cells)} cells")
            if able and takes
            else "not yet",
            done / able if able else 0.0,
            stale_cells > 0,
        ),
        "evidence": Standing(
            (f"{unmeasured} takes not measured" if unmeasured else f"{takes} takes measured") if takes else "not yet",
            0.0 if not takes else 0.5 if unmeasured else 1.0,
            stale_cells > 0 or unmeasured > 0,
        ),
        "listening": Standing(
            f"{listeners} listener{'s' * (listeners != 1)}" if listeners else "not yet",
            min(1.0, listeners / 5),
            stale_cells > 0 and listeners > 0,
        ),
        "cost": Standing(
            (f"{len(old)} prices without a date" if old else f"{len(priced)} of {len(found.rows)} priced")
            if found and found.rows
            else "not yet",
            len(priced) / len(found.rows) if found and found.rows else 0.0,
            bool(old),
        ),
        "choice": Standing(
            f"{len(chosen & set(roles))} of {len(roles)} roles filled" if chosen else "not yet",
            len(chosen & set(roles)) / max(1, len(roles)),
        ),
    }


class Trail(QWidget):
    """chosen: a step was asked for, by its key."""

    chosen = pyqtSignal(str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("trail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The trail: eight steps")
        self._state = state
        self._on = "renders"
        self._states = step_states(state)
        for signal in (state.bench_changed, state.run_changed, state.standing_changed):
            signal.connect(self.refresh)
        theme.changed.connect(self._resize)

    def refresh(self) -> None:
        self._states = step_states(self._state)
        self.setToolTip("\n".join(f"{words}: {self._states[key].words}" for key, words in STEPS))
        self.update()

    def _resize(self) -> None:
        self.updateGeometry()

    def set_on(self, step: str) -> None:
        self._on = step
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(206), self._row * len(STEPS) + 20)

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(206), 100)

    @property
    def _row(self) -> int:
        return max(theme.px(28), min(theme.px(56), (self.height() - 20) // len(STEPS)))

    def box_of(self, index: int) -> QRectF:
        return QRectF(0, 10 + index * self._row, self.width(), self._row)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = int((event.position().y() - 10) // self._row)
        if 0 <= index < len(STEPS):
            self.chosen.emit(STEPS[index][0])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        keys = [key for key, _ in STEPS]
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
        if step:
            self.chosen.emit(keys[min(len(keys) - 1, max(0, keys.index(self._on) + step))])
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        with painting(self) as painter:
            x = theme.px(24)
            painter.setPen(QPen(theme.colour("rule"), 2))
            first, last = self.box_of(0), self.box_of(len(STEPS) - 1)
            painter.drawLine(QPointF(x, first.top() + theme.px(16)), QPointF(x, last.top() + theme.px(16)))
            for index, (key, words) in enumerate(STEPS):
                self._step(painter, self.box_of(index), key, words, x)
            if self.hasFocus():
                index = [key for key, _ in STEPS].index(self._on)
                painter.setPen(QPen(theme.colour("focus"), 1))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(self.box_of(index).adjusted(6, 0, -6, -4), 4, 4)

    def _step(self, painter: QPainter, box: QRectF, key: str, words: str, x: int) -> None:
        stand, on = self._states[key], key == self._on
        centre, r = QPointF(x, box.top() + theme.px(16)), theme.px(6)
        pen = QPen(theme.colour("ink" if on else "quiet"), 1.8)
        if stand.stale:
            pen.setDashPattern([2, 1.6])
        painter.setPen(pen)
        painter.setBrush(theme.colour("zest" if on else "paper"))
        painter.drawEllipse(centre, r, r)
        if not on and stand.share > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("quiet"))
            span = round(min(1.0, stand.share) * 360 * 16)
            painter.drawPie(QRectF(x - r, centre.y() - r, 2 * r, 2 * r), 90 * 16, -span)
        left = x + theme.px(19)
        painter.setFont(theme.font("lead", bold=on))
        painter.setPen(theme.colour("ink"))
        painter.drawText(QPointF(left, box.top() + theme.px(21)), words)
        if self._row < theme.px(40):
            return  # no room for the second line: its words are in the tool tip
        painter.setFont(theme.font("small"))
        painter.setPen(theme.colour("deep-zest" if stand.stale else "quiet"))
        shown = QFontMetricsF(painter.font()).elidedText(
            stand.words, Qt.TextElideMode.ElideRight, self.width() - left - 6
        )
        painter.drawText(QPointF(left, box.top() + theme.px(37)), shown)
