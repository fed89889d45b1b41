"""The card's widget, at the right of the desk. Each group of figures leads to what is behind it."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.analysis.summary import Spread
from zestpanel.core.analysis.timing.waits import Waits, in_words
from zestpanel.core.choice.row import Row
from zestpanel.core.domain.candidate import Candidate
from zestpanel.core.domain.money import Money
from zestpanel.core.errors import FAILURE_KINDS
from zestpanel.core.measures.registry import listed
from zestpanel.core.store.impressions import which
from zestpanel.core.texts import dated, tr, trn, word
from zestpanel.desk.card.pieces import Head, Interval, Line, Piece, Pieces, Verdict, Words
from zestpanel.desk.impressions import ImpressionsDialog
from zestpanel.desk.sources import behind_cost, behind_score, behind_takes, behind_waits
from zestpanel.desk.state import DeskState
from zestpanel.desk.theme.tokens import theme

REST_MS = 90


class Card(QFrame):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setObjectName("card")
        self._state = state
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._scroll)
        self._rest = QTimer(self)  # while an arrow key is held the card waits until it rests
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self.refresh)
        self._selected_at = 0.0
        self._shown: Candidate | None = None
        self._shown_name, self._given = "", -1
        self._behind = False  # whether something changed while it was hidden
        state.selected.connect(self._selected)
        for signal in (state.labels_changed, state.evaluation_changed):
            signal.connect(self.refresh)
        state.bench_changed.connect(self._bench_changed)
        theme.changed.connect(self._restyle)
        self._restyle()

    def _bench_changed(self) -> None:
        """Figures follow the evaluation; of the bench only the candidate itself is shown here, and its impressions."""
        candidate, given = self._state.candidate(), self._state.project.impressions.number()
        if (
            given != self._given
            or candidate != self._shown
            or (candidate and self._state.name(candidate) != self._shown_name)
        ):
            self.refresh()

    def _selected(self) -> None:
        before, self._selected_at = self._selected_at, time.monotonic()
        if self._selected_at - before > 2 * REST_MS / 1000:
            self.refresh()
        else:
            self._rest.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        if self._behind:
            self.refresh()
        super().showEvent(event)

    def refresh(self) -> None:
        self._rest.stop()
        self._behind = self.isHidden()
        if self._behind:
            return  # nobody sees it: it is filled when it is shown
        self._shown, self._given = self._state.candidate(), self._state.project.impressions.number()
        self._shown_name = self._state.name(self._shown) if self._shown else ""
        candidate = self._shown
        row = self._state.evaluation.rows.get(candidate.id) if candidate and self._state.evaluation else None
        pieces: list[Piece] = []
        self._pieces = pieces
        if candidate is None:
            self._words(tr("No candidate yet. Choose voices under Engines & voices."), "quiet")
        else:
            self._words(self._shown_name, "name")
            detail = self._state.detail(candidate)
            since = tr(" · since {day}", day=_day(candidate.created)) if not self._state.labels_hidden else ""
            self._words(detail + since, "small")
            if row is not None and not self._state.labels_hidden:
                self._fill(row)
            elif self._state.labels_hidden:
                self._words(tr("Figures stay covered while labels are hidden."), "quiet")
        self._body.show_pieces(pieces)

    def _restyle(self) -> None:
        """Another theme or size: everything is made anew."""
        self.setFixedWidth(theme.px(236))
        self._body = Pieces()
        self._scroll.setWidget(self._body)
        self.refresh()

    # -- groups

    def _fill(self, row: Row) -> None:
        project = self._state.project
        self._score(row)
        s = row.summary
        self._group(tr("Wait"), lambda: behind_waits(self._over(), project, row))
        late = (
            tr(", {gave_up} gave up waiting and count as later than any", gave_up=s.whole_clip.gave_up)
            if s.whole_clip.gave_up
            else ""
        )
        self._line(
            tr("first sound, median"),
            _seconds(s.first_sound.median),
            tr("{n} warm requests{late}", n=s.first_sound.n, late=late),
        )
        self._line(
            tr("whole clip, median"),
            _seconds(s.whole_clip.median),
            tr("{n} warm requests{late}", n=s.whole_clip.n, late=late),
        )
        self._line(
            tr("95 of 100 within"),
            _p95(s.whole_clip),
            tr("{n} warm requests{late}; 20 are needed", n=s.whole_clip.n, late=late),
        )
        self._line(
            tr("real-time factor"),
            f"{s.real_time_factor.median:.2f}" if s.real_time_factor else "–",
            tr("time to the last byte over length of the sound"),
        )
        if s.load_s is not None:
            self._line(tr("loading, once"), _seconds(s.load_s))
        failed = sum(s.failures.values())
        rate = s.failure_rate
        spread = (
            tr("95 %: {low} % to {high} %", low=f"{100 * rate.low:.0f}", high=f"{100 * rate.high:.0f}") if rate else ""
        )
        kinds = ", ".join(f"{word(FAILURE_KINDS.get(kind, kind))} {n}" for kind, n in sorted(s.failures.items()))
        self._line(
            tr("failed"),
            tr("{failed} of {requests}", failed=failed, requests=s.requests),
            "; ".join(t for t in (spread, kinds) if t),
            bad=failed > 0,
        )
        if s.tried_again:
            self._line(tr("tried again"), str(s.tried_again), tr("requests made once more after one that failed"))
        if s.doubted:
            self._line(tr("odd on arrival"), str(s.doubted), tr("takes that are heard and not scored"), bad=True)
        if s.circumstances is not None:
            level = s.circumstances.at_once
            load = tr("{level} at once", level=level) if level else tr("at the engine's own limit")
            apart = (
                tr("; {other_waits} under other loads kept apart", other_waits=s.other_waits) if s.other_waits else ""
            )
            route = word(s.circumstances.route) or tr("route not recorded")
            self._words(f"{load}, {route}{apart}", "small", s.circumstances.says())
        if s.person is not None:
            each = s.person.per_finished_minute
            share = "" if each is None else tr(" · {each} a finished minute", each=f"{each:.1f}")
            tip = ", ".join(
                tr("{kind} {minutes} min", kind=kind, minutes=f"{minutes:.0f}")
                for kind, minutes in s.person.by_kind.items()
            )
            self._line(tr("a person's minutes"), f"{s.person.minutes:.0f}{share}", tip)
        self._group(tr("Money"), lambda: behind_cost(self._over(), row))
        cost = row.cost
        month = cost.month.total if cost.month.covers else None
        self._line(tr("1,000 characters"), _rate(cost.per_thousand))
        self._line(tr("finished minute"), _rate(cost.per_minute))
        self._line(tr("episode"), _money(cost.per_episode))
        self._line(tr("a month here"), _money(month) if month else cost.why_not, bad=month is None)
        if month is not None and cost.own is not None and cost.own.currency != month.currency:
            self._line("", _money(cost.own), tr("at the exchange rate of the brief"))
        if cost.rates.assumed:
            self._words(tr("pace assumed: nothing measured yet"), "small")
        self._sound(row)
        self._impressions(row.candidate)
        self._group(tr("Must-haves"), None)
        if not row.gates:
            self._words(tr("none set in the brief"), "quiet")
        for gate in row.gates:
            self._pieces.append(Verdict(gate.verdict, word(gate.name), gate.why))
        if row.summary.odd_voice:
            self._words(tr("Another voice answered: {odd_voice}", odd_voice=row.summary.odd_voice), "bad")

    def _score(self, row: Row) -> None:
        project, score = self._state.project, row.score
        count = (
            trn("{listeners} listener", "{listeners} listeners", score.listeners, listeners=score.listeners)
            if score
            else tr("not heard yet")
        )
        self._group(
            tr("Panel score"),
            lambda: behind_score(self._over(), project, row),
            small=count,
            value=f"{score.mean:.1f}" if score else "–",
        )
        if score is None:
            return
        if score.crossed is not None:
            between = tr("95 %: {low} to {high}", low=f"{score.crossed.low:.2f}", high=f"{score.crossed.high:.2f}")
            self._pieces.append(Interval(score.crossed.low, score.mean, score.crossed.high, between))
            self._words(between, "small")
        if score.simulated:
            self._words(
                tr("{simulated} of {ratings} ratings simulated", simulated=score.simulated, ratings=score.ratings),
                "small",
            )
        if score.preliminary:
            self._words(tr("preliminary: ") + score.why_preliminary, "small")
        equal = row.as_good_as_best
        if equal is not None and row.best_id is not None and self._state.evaluation is not None:
            best, within = self._state.evaluation.rows[row.best_id], self._state.evaluation.brief.equal_within
            if equal.equal:
                text = tr(
                    "as good as {name}, {split}, within {within}",
                    name=best.name,
                    split=best.detail.split(" · ")[-1],
                    within=within,
                )
            elif equal.not_worse:
                text = tr("not worse than the best by more than {within}", within=within)
            else:
                between = tr("{low} to {high}", low=f"{equal.low:+.2f}", high=f"{equal.high:+.2f}").replace("-", "−")
                text = tr("equality with the best not shown ({between})", between=between)
            self._words(text, "small")

    def _sound(self, row: Row) -> None:
        project = self._state.project
        self._group(
            tr("Sound"),
            lambda: behind_takes(self._over(), project, row, tr("Sound: {name}", name=row.name), listed()),
            small=trn("{takes} take", "{takes} takes", len(row.summary.takes), takes=len(row.summary.takes)),
        )
        for name, one in listed().items():
            found = row.summary.sound.get(name)
            value = f"{found.median:.{one.decimals}f}".replace("-", "−") if found else "–"
            self._line(one.label, value, _spread(found, one.decimals))
        faults = row.summary.faults
        if faults is not None and faults.per_minute is not None:
            self._line(tr("faults a minute"), f"{faults.per_minute:.2f}",
                       faults.says() or tr("nothing is found in {minutes} min", minutes=f"{faults.minutes:.1f}"),
                       bad=any(one.real for one in faults.found))  # fmt: skip

    def _over(self) -> QWidget:
        """What dialogs lie over: the window, whose colours they have, and not the card."""
        return self.window() or self

    def _impressions(self, candidate: Candidate) -> None:
        given = self._state.project.impressions.all().get((candidate.engine, candidate.voice), [])
        self._group(
            tr("Impressions"),
            self._impressions_dialog,
            small=tr("{given} given", given=len(given)) if given else tr("none yet"),
        )
        for place, one in ((0, given[0]), (1, given[-1])) if len(given) > 1 else enumerate(given):
            self._words(f"{which(place)}, {_day(one.created)}", "small")
            self._words(one.words or tr("spoken"))

    def _impressions_dialog(self) -> QWidget:
        candidate = self._state.candidate()
        assert candidate is not None
        name = self._state.name(candidate)
        return ImpressionsDialog(self._over(), self._state, candidate.engine, candidate.voice, name)

    def show_impressions(self) -> None:
        """Of the selected candidate's voice."""
        if self._state.candidate() is None:
            self._state.say(tr("Choose a candidate first: impressions are of its voice."))
        else:
            self._impressions_dialog().show()

    # -- pieces

    def _words(self, text: str, role: str = "", tip: str = "") -> None:
        self._pieces.append(Words(text, role, tip))

    def _group(self, title: str, behind: Callable[[], QWidget] | None, *, small: str = "", value: str = "") -> None:
        self._pieces.append(Head(title, small, value, behind))

    def _line(self, words: str, value: str, tip: str = "", *, bad: bool = False) -> None:
        self._pieces.append(Line(words, value, tip, bad))


def _day(stamp: str) -> str:
    from datetime import datetime

    return dated(datetime.fromisoformat(stamp), tr("d MMM"))


def _seconds(value: float | None) -> str:
    return in_words(value) or "–"


def _p95(found: Waits) -> str:
    return "–" if found.n == 0 else (tr("too few") if found.p95 is None else in_words(found.p95))


def _money(value: Money | None) -> str:
    return "–" if value is None else str(value)


def _rate(value: Money | None) -> str:
    return "–" if value is None else value.rate()


def _spread(found: Spread | None, places: int) -> str:
    if found is None:
        return ""
    return tr(
        "middle half {low} to {high}, {n} takes",
        low=f"{found.low:.{places}f}",
        high=f"{found.high:.{places}f}",
        n=found.n,
    ).replace("-", "−")
