"""What is measured of each candidate, and how far it can be believed."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QMenu, QScrollArea, QVBoxLayout, QWidget

from zestpanel.core.analysis.summary import HARD_TO_HEAR, Spread, never_scored
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.choice.evidence_words import evidence_in_words
from zestpanel.core.choice.row import Row
from zestpanel.core.choice.where import limits
from zestpanel.core.evidence.believed import FEWEST, Believed, believed, in_a_sentence
from zestpanel.core.evidence.declared import GROUPS
from zestpanel.core.evidence.figures.predicted import head_of, known_in
from zestpanel.core.evidence.registry import figures
from zestpanel.core.languages import language_name
from zestpanel.core.measures.declared import Measure
from zestpanel.core.measures.registry import listed, versions
from zestpanel.core.report.measures_table import measures_table, write_measures
from zestpanel.core.texts import capital, tr, trn, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.evidence.recognisers import RecognisersDialog
from zestpanel.desk.remembered import settings
from zestpanel.desk.sources import behind_takes
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import button, label


def columns() -> dict[str, list[Measure]]:
    """Measures by the head of their column; some share one."""
    out: dict[str, list[Measure]] = {}
    for one in listed().values():
        out.setdefault(listed()[one.shares].short if one.shares else one.short, []).append(one)
    return out


WORDS_WRONG = tr(
    "Wrong: words missing, added or replaced in what {by} hears, in percent of the text's; figures count in every "
    "right reading. The built-in recogniser hears English only. Misheard: of words heard from nearly every other "
    "voice, how many are not heard from this one. Where that is high the recogniser knows the voice badly, and 'wrong' "
    "compares its takes, not candidates."
)


_COLUMNS = "evidence columns"
SLOW_RATE = 5.0  # times real time, of what takes long


def chosen_columns() -> list[str]:
    """Names of figures that are shown beside those that always are; remembered for all projects."""
    return [str(one) for one in settings().value(_COLUMNS, [], type=list) or []]


class MeasuresView(QScrollArea):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.setWidgetResizable(True)
        inside = QWidget()
        self.body = QVBoxLayout(inside)
        self.body.setContentsMargins(0, 4, 8, 8)
        self.body.setSpacing(10)
        self.setWidget(inside)
        self.verdict = label("", "lead", wrap=True)
        self.body.addWidget(self.verdict)
        self.more = button(tr("Columns …"), self._choose_columns)
        self.all = QCheckBox(tr("captured, vendors' and doubted takes, too"))
        self.all.toggled.connect(self._ask_unscored)
        self.slow = button(tr("Measure voice quality, too"), self._slow_or_stop,
                           tip=tr("Harmonics to noise, jitter, shimmer, cepstral peak"))  # fmt: skip
        self.progress = label("", "small")
        self.ears = button(tr("Recognisers …"), lambda: RecognisersDialog(self, state).open())
        self.save = button(tr("Save table …"), self._choose_file, tip=tr("A row a take: .csv, .json or .parquet"))
        self.body.addWidget(flow_row(self.more, self.ears, self.save, self.all, self.slow, self.progress))
        state.measuring.connect(self._say_progress)
        self._unscored: dict[int, dict[str, tuple[int, dict[str, Spread]]]] = {}
        self.table = Table()
        self.table.setAccessibleName(tr("Measures by candidate"))
        self.table.row_chosen.connect(self._open_takes)
        self.body.addWidget(self.table)
        self._ways = label("", "small", wrap=True)
        self.body.addWidget(self._ways)
        self.body.addWidget(label(tr("How far each figure goes along with what the panel heard"), "strong"))
        self._along = label("", "", wrap=True)
        self.body.addWidget(self._along)
        self.along = Table()
        self.along.setAccessibleName(tr("Figures beside the panel's scores"))
        self.body.addWidget(self.along)
        self.body.addStretch(1)
        self._ids: list[int] = []
        self._shown: tuple[Evaluation, int, bool] | None = None

    def refresh(self) -> None:
        found = self.state.evaluation
        if found is None:
            return
        unmeasured, seen = self.state.bench.unmeasured, self.isVisible()
        if self._shown == (found, unmeasured, seen):
            return  # a page that is gone to again is there at once
        self._shown = (found, unmeasured, seen)
        self.verdict.setText(" ".join(evidence_in_words(found)))
        self._fill()
        takes = self.state.project.takes
        self.state.aside(lambda: (takes.ways_of_word_times(), takes.recognisers()), self._say_ways, "ways")
        if not self.state.measures_now:
            self._say_slow()
        if self.all.isChecked():
            self._ask_unscored()
        self.state.aside(lambda: believed(found.rows.values(), found.scores), self._show_believed, "believed")
        if unmeasured and seen and not self.state.runs.goes_on and not self.state.bench.asked_elsewhere:
            self.state.measure_soon()  # an interrupted run leaves some takes without figures

    # -- the table

    def _fill(self) -> None:
        found = self.state.evaluation
        if found is None:
            return
        rated = max((len(one.scores) for one in found.scores.languages), default=0)
        more = [one for name in chosen_columns() if (one := figures().get(name)) is not None]
        head = [tr("Candidate"), tr("takes"), *(head_of(one, rated) for one in more), *columns(), tr("misheard %")]
        limited, brief = limits(found), self.state.bench.brief
        rows: list[list[str]] = []
        self._ids = []
        bad: list[tuple[int, int]] = []
        tips: dict[tuple[int, int], str] = {}
        for row in found.rows.values():
            at = len(rows)
            cells = [f"{row.name}\n{row.detail}", str(sum(take.scored for take in row.summary.takes))]
            language = found.scores.of_language(row.language)
            for one in more:
                read = one.read(row, language)
                cells.append(
                    "–" if read.value is None else one.in_words(read.value, brief).removesuffix(one.unit(brief))
                )
                limit = limited.get(one.name)
                if limit is not None and read.value is not None and limit.broken_by(read.value):
                    bad.append((at, len(cells) - 1))
                if read.low is not None and read.high is not None:
                    tips[(at, len(cells) - 1)] = tr("95 % {low} to {high}, n {n}", low=one.in_words(read.low, brief),
                                                    high=one.in_words(read.high, brief), n=read.n)  # fmt: skip
            for of in columns().values():
                cells.append(" · ".join(_median(row.summary.sound.get(one.name), one.decimals) for one in of))
                for one_of in of:
                    limit, spread = limited.get(f"measure {one_of.name}"), row.summary.sound.get(one_of.name)
                    if limit is not None and spread is not None and limit.broken_by(spread.median):
                        bad.append((at, len(cells) - 1))
            hearing = row.summary.hearing
            cells.append(f"{hearing.percent:.0f}" if hearing is not None else "–")
            if hearing is not None:
                tips[(at, len(cells) - 1)] = tr(
                    "{missed} of {of} words that are heard from nearly every other voice are not heard from "
                    "this one: so much of 'wrong' may be the recogniser's own fault",
                    missed=hearing.missed,
                    of=hearing.of,
                )
                if hearing.percent > HARD_TO_HEAR:
                    bad.append((at, len(cells) - 1))
            rows.append(cells)
            self._ids.append(row.candidate.id)
            rows += self._unscored_rows(row, len(head))
            self._ids += [row.candidate.id] * (len(rows) - len(self._ids))
        self.table.show_rows(head, rows, numbers=list(range(1, len(head))), bad=bad, tips=tips)
        self.table.setFixedHeight(self.table.height_for_rows())

    def _unscored_rows(self, row: Row, width: int) -> list[list[str]]:
        """What counts in no figure, where it is asked for: each marked with why."""
        out = []
        for why, (n, sound) in self._unscored.get(row.candidate.id, {}).items() if self.all.isChecked() else ():
            cells = [f"{row.name}\n{why}", str(n), *["–"] * (width - 3 - len(columns()))]
            for of in columns().values():
                cells.append(" · ".join(_median(sound.get(one.name), one.decimals) for one in of))
            out.append(cells + ["–"] * (width - len(cells)))
        return out

    def _ask_unscored(self) -> None:
        found, takes = self.state.evaluation, self.state.project.takes
        if found is None or not self.all.isChecked():
            self._fill()
            return

        def arrived(unscored: dict[int, dict[str, tuple[int, dict[str, Spread]]]]) -> None:
            self._unscored = unscored
            self._fill()

        def work() -> dict[int, dict[str, tuple[int, dict[str, Spread]]]]:
            of = {number: [t for t in row.summary.takes if not t.scored] for number, row in found.rows.items()}
            measured = takes.measured([take.id for some in of.values() for take in some])
            return {number: never_scored(some, measured) for number, some in of.items() if some}

        self.state.background.run(work, arrived, self.state.complain, topic="unscored")

    def _choose_columns(self) -> None:
        """Any figure beside those that are always shown, by what they are about."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        always = {f"measure {one.name}" for of in columns().values() for one in of}
        chosen = set(chosen_columns())
        every = [*figures().values(), *known_in(self.state.evaluation.rows.values() if self.state.evaluation else ())]
        for group, words in GROUPS.items():
            sub = menu.addMenu(words)
            assert sub is not None
            for one in (f for f in every if f.group == group and f.name not in always):
                action = sub.addAction(one.label)
                assert action is not None
                action.setCheckable(True)
                action.setChecked(one.name in chosen)
                action.toggled.connect(partial(self.put_column, one.name))
            sub.menuAction().setVisible(not sub.isEmpty())
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def put_column(self, name: str, on: bool) -> None:
        settings().setValue(_COLUMNS, [one for one in chosen_columns() if one != name] + ([name] if on else []))
        self._fill()

    def _choose_file(self) -> None:
        forms = "CSV, JSON, Parquet (*.csv *.json *.parquet)"
        name, _ = QFileDialog.getSaveFileName(self, tr("Save table"), "measures.csv", forms)
        if name:
            self.save_to(Path(name))

    def save_to(self, path: Path) -> None:
        """What is measured of each take, those that are never scored where they are shown."""
        project, every = self.state.project, self.all.isChecked()
        self.state.background.run(
            lambda: write_measures(measures_table(project, all_takes=every), path),
            lambda _: self.state.say(tr("Written: {path}", path=path.name)), self.state.complain,
        )  # fmt: skip

    # -- what takes long to measure

    def _slow_or_stop(self) -> None:
        if self.state.measures_now:
            self.state.stop_measuring()
        else:
            self.state.measure_soon(slow=True)

    def _say_progress(self, n: int, of: int) -> None:
        self.slow.setText(tr("Stop measuring") if of else tr("Measure voice quality, too"))
        self.progress.setText(tr("{n} of {of} takes measured", n=n, of=of) if of else "")
        if not of:
            self._say_slow()

    def _say_slow(self) -> None:
        takes, versions_ = self.state.project.takes, versions(slow=True)

        def arrived(minutes: float) -> None:
            if not self.state.measures_now:
                self.slow.setVisible(minutes > 0)
                n = max(1, round(minutes / SLOW_RATE))
                about = trn("takes about {n} minute", "takes about {n} minutes", n, n=n)
                self.progress.setText(about if minutes > 0 else "")

        self.state.aside(lambda: sum(take.duration_s for take in takes.unmeasured(versions_)) / 60, arrived, "slow")

    def _show_believed(self, found: list[Believed]) -> None:
        """A measure that predicts nothing here says so."""
        few = tr("Fewer than {n} candidates of a language are rated, so it is not known here what any figure is worth.",
                 n=FEWEST)  # fmt: skip
        self._along.setText(in_a_sentence(found) or few)
        self.along.setVisible(bool(found))
        languages = len({one.language for one in found}) > 1
        rows = [
            [capital(word(one.figure.words)) + (f" · {language_name(one.language)}" if languages else ""),
             _signed(one.rho), f"{_signed(one.low)} … {_signed(one.high)}", str(one.n), f"{max(one.p, 0.001):.3f}",
             "–" if one.best_of is None else tr("yes") if one.best_of else tr("no"), one.says()]
            for one in found
        ]  # fmt: skip
        head = [tr("Figure"), tr("rank correlation"), "95 %", "n", "p", tr("same one first"), ""]
        tips = {(k, 1): tr("With one candidate left out: {low} to {high}", low=_signed(one.without[0]),
                           high=_signed(one.without[1])) for k, one in enumerate(found)}  # fmt: skip
        self.along.show_rows(head, rows, numbers=[1, 2, 3, 4], wide=6, tips=tips)
        self.along.setFixedHeight(self.along.height_for_rows(30))

    def _say_ways(self, found: tuple[dict[str, int], list[str]]) -> None:
        """How figures were come by, below their table."""
        ways, recognisers, unmeasured = *found, self.state.bench.unmeasured
        heard_by = tr(" and ").join(recognisers)
        found_by = "; ".join(f"{count} {word(way)}" for way, count in ways.items())
        self._ways.setText(
            tr(
                "wpm: words a minute. Pitch by autocorrelation, as Praat does it, its spread in semitones; loudness by "
                "ITU-R BS.1770-5; pauses from 150 ms, the longest shown; noise in dBFS and "
                "how far speech lies over it; around: silence "
                "before and after "
                "the speech."
            )
            + (tr(" Word times: {found_by}.", found_by=found_by) if found_by else "")
            + (f" {WORDS_WRONG.format(by=heard_by)}" if heard_by else "")
            + (
                trn(
                    " {unmeasured} take is not measured yet.",
                    " {unmeasured} takes are not measured yet.",
                    unmeasured,
                    unmeasured=unmeasured,
                )
                if unmeasured
                else ""
            )
        )

    def _open_takes(self, index: int) -> None:
        if self.state.evaluation and index < len(self._ids):
            row = self.state.evaluation.rows[self._ids[index]]
            behind_takes(self, self.state.project, row, tr("Sound: {name}", name=row.name), listed()).show()


def _signed(value: float) -> str:
    return f"{value:+.2f}".replace("-", "−")


def _median(figure: Spread | None, places: int) -> str:
    return f"{figure.median:.{places}f}".replace("-", "−") if figure else "–"
