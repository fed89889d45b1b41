"""Voices of one's own: recordings with their checks and consent, and voices made from them or from a description."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from zestpanel.core.audio.clip import Clip
from zestpanel.core.audio.files import read
from zestpanel.core.languages import locale_name
from zestpanel.core.measures.recording_checks import best_stretch, check_recording, cleaned, cut
from zestpanel.core.playback.mixer import prepare_lanes
from zestpanel.core.store.own_voices import OwnVoice, Recording
from zestpanel.core.texts import tr, word
from zestpanel.desk.flow import flow_row
from zestpanel.desk.pages.engines.notes import ConsentDialog
from zestpanel.desk.pages.engines.own_voice import OwnVoiceDialog, RemoveVoiceDialog
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import EmptyState, button, label


class RecordingsView(QWidget):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.recordings: list[Recording] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.table, self.checks, self.voices = Table(), Table(), Table()
        self.table.setAccessibleName(tr("Recordings"))
        self.checks.setAccessibleName(tr("Checks of the selected recording"))
        self.voices.setAccessibleName(tr("Voices of your own"))
        self.table.itemSelectionChanged.connect(self._show_checks)
        layout.addWidget(self.table, 2)
        layout.addWidget(self._make_actions())
        lower = QHBoxLayout()
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(label(tr("Checks of the selected recording"), "strong"))
        left.addWidget(self.checks, 1)
        right.addWidget(label(tr("Voices of your own"), "strong"))
        right.addWidget(self.voices, 1)
        self.describe = button(
            tr("Describe a voice …"), self.make_described, tip=tr("For engines that take a description")
        )
        self.remove_voice = button(tr("Remove voice"), self._remove_voice)
        row = QHBoxLayout()
        row.addWidget(self.describe)
        row.addWidget(self.remove_voice)
        row.addStretch(1)
        right.addLayout(row)
        lower.addLayout(left, 1)
        lower.addLayout(right, 1)
        layout.addLayout(lower, 3)
        self.empty = EmptyState(
            tr(
                "A voice can be made from half a minute of somebody's speech, with their consent. The "
                "recording is checked "
                "first: length, noise, level, one speaker."
            ),
            tr("Add a recording …"),
            self.ask_for_recording,
        )
        self.empty.hide()
        layout.addWidget(self.empty, 4)

    def _make_actions(self) -> QWidget:
        self.add = button(tr("Add a recording …"), self.ask_for_recording)
        self.hear = button(tr("Hear it"), self._hear)
        self.trim = button(
            tr("Best stretch"), self.take_best, tip=tr("Keep the best 30 to 45 s as a version of its own")
        )
        self.clean = button(
            tr("Cleaned version"), self.take_cleaned, tip=tr("Steady noise taken down; the original is kept")
        )
        self.consent = button(tr("Consent …"), self.ask_consent)
        self.remove = button(tr("Remove"), self._remove)
        self.make = button(tr("Make a voice …"), self.make_voice, role="main")
        left = (self.add, self.hear, self.trim, self.clean, self.consent, self.remove)
        return flow_row(*left, right=(self.make,))

    def refresh(self) -> None:
        chosen = self.selected()
        own = self.state.project.own_voices
        self.recordings = own.recordings()
        voices = own.voices()
        nothing = not self.recordings and not voices
        self.empty.setVisible(nothing)
        for widget in (self.table, self.checks, self.voices, self.add, self.hear, self.trim, self.clean, self.consent,
                       self.remove, self.make, self.describe, self.remove_voice):  # fmt: skip
            widget.setVisible(not nothing)
        rows, bad = [], []
        for i, r in enumerate(self.recordings):
            states = [check["state"] for check in r.checks]
            verdict = "fail" if "fail" in states else "warning" if "warning" in states else "pass"
            problems = [word(check["name"]) for check in r.checks if check["state"] != "pass"]
            who = f"{r.consent.who}, {r.consent.use}" if r.consent else tr("nobody's: it may not speak")
            bad += [(i, 3)] if verdict == "fail" else []
            bad += [(i, 4)] if r.consent is None else []
            found = word(verdict) + (f": {', '.join(problems)}" if problems else "")
            rows.append([r.name, word(r.how), f"{r.duration_s:.1f} s", found, who, locale_name(r.language)])
        self.table.blockSignals(True)
        head = [tr("Recording"), tr("Version"), tr("Length"), tr("Checks"), tr("Consent"), tr("Language")]
        self.table.show_rows(head, rows, numbers=[2], bad=bad)
        if rows:
            ids = [r.id for r in self.recordings]
            self.table.selectRow(ids.index(chosen.id) if chosen and chosen.id in ids else len(rows) - 1)
        self.table.blockSignals(False)
        names = {r.id: f"{r.name}, {word(r.how)}" for r in self.recordings}
        self._voice_ids = [v.id for v in voices]
        self.voices.show_rows(
            [tr("Voice"), tr("Engine"), tr("Made from")],
            [
                [
                    v.voice.label,
                    v.engine,
                    _made_from(v, names),
                ]
                for v in voices
            ],
        )
        self._show_checks()

    def selected(self) -> Recording | None:
        row = self.table.currentRow()
        return self.recordings[row] if 0 <= row < len(self.recordings) else None

    def _show_checks(self) -> None:
        found = self.selected()
        for widget in (self.hear, self.trim, self.clean, self.consent, self.remove, self.make):
            widget.setEnabled(found is not None)
        checks = found.checks if found else ()
        rows = [[word(c["name"]), word(c["state"]), c["figure"], c["why"]] for c in checks]
        bad = [(i, 1) for i, c in enumerate(checks) if c["state"] == "fail"]
        self.checks.show_rows([tr("Check"), "", tr("Figure"), tr("Why")], rows, bad=bad)

    # -- recordings

    def ask_for_recording(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Add a recording"), "", tr("Sound or video (*)"))
        for name in names:
            self.add_file(Path(name))

    def add_file(self, path: Path) -> None:
        language = self.state.project.brief.languages[0] if self.state.project.brief.languages else "en-GB"

        def work() -> tuple[Clip, list[dict[str, Any]]]:
            clip = read(path)
            return clip, [check.as_document() for check in check_recording(clip)]

        self._keep(work, name=path.stem, language=language, how="as given", source=None)

    def _keep(
        self,
        work: Callable[[], tuple[Clip, list[dict[str, Any]]]],
        *,
        name: str,
        language: str,
        how: str,
        source: Recording | None,
    ) -> None:
        own = self.state.project.own_voices

        def arrived(found: tuple[Clip, list[dict[str, Any]]]) -> None:
            made: list[Recording] = []

            def do() -> None:
                if made:
                    own.set_recording_removed(made[0].id, False)
                else:
                    made.append(
                        own.add_recording(
                            found[0],
                            name=name,
                            language=language,
                            checks=found[1],
                            how=how,
                            from_id=source.id if source else None,
                            consent=source.consent if source else None,
                        )
                    )

            if self.state.edit(tr("a recording"), do, lambda: own.set_recording_removed(made[0].id, True)):
                self.refresh()
                self.table.selectRow(len(self.recordings) - 1)

        self.state.background.run(work, arrived, self.state.complain)

    def take_best(self) -> None:
        self._version("best stretch", lambda clip: cut(clip, *best_stretch(clip)))

    def take_cleaned(self) -> None:
        self._version("cleaned", cleaned)

    def _version(self, how: str, change: Callable[[Clip], Clip]) -> None:
        found = self.selected()
        if found is None:
            return
        own = self.state.project.own_voices

        def work() -> tuple[Clip, list[dict[str, Any]]]:
            clip = change(own.load(found))
            return clip, [check.as_document() for check in check_recording(clip)]

        self._keep(work, name=found.name, language=found.language, how=how, source=found)

    def _hear(self) -> None:
        found = self.selected()
        if found is None:
            return
        own = self.state.project.own_voices

        def arrived(lanes: Any) -> None:
            self.state.tray.lanes = []
            self.state.tray.changed.emit()
            self.state.player.load(lanes, on=0)
            self.state.player.play()

        self.state.background.run(
            lambda: prepare_lanes([(0, own.load(found), (), 1)])[0], arrived, self.state.complain, topic="audition"
        )

    def ask_consent(self) -> None:
        if found := self.selected():
            ConsentDialog(self, self.state, found, self.refresh).show()

    def _remove(self) -> None:
        found = self.selected()
        if found is None:
            return
        own = self.state.project.own_voices
        self.state.edit(
            tr("a recording"),
            lambda: own.set_recording_removed(found.id, True),
            lambda: own.set_recording_removed(found.id, False),
        )
        self.refresh()

    # -- voices

    def make_voice(self) -> None:
        found = self.selected()
        engines = [e for e in self.state.bench.engines.values() if e.takes_recordings or e.makes_voices is not None]
        if found is None:
            return
        if not engines:
            self.state.complain(
                tr(
                    "No engine of the catalogue takes recordings (takes_recordings or makes_voices in its "
                    "connector file)."
                )
            )
            return
        OwnVoiceDialog(self, self.state, engines, found, self.refresh).show()

    def make_described(self) -> None:
        engines = [e for e in self.state.bench.engines.values() if e.takes_descriptions]
        if not engines:
            self.state.complain(tr("No engine of the catalogue takes descriptions (takes_descriptions in its file)."))
            return
        OwnVoiceDialog(self, self.state, engines, None, self.refresh).show()

    def _remove_voice(self) -> None:
        row = self.voices.currentRow()
        if not 0 <= row < len(self._voice_ids):
            return
        project, voice_id = self.state.project, self._voice_ids[row]
        mine = next(one for one in project.own_voices.voices() if one.id == voice_id)
        if mine.at_service is not None and not mine.at_service.deleted:
            RemoveVoiceDialog(self, self.state, mine, self.refresh).show()
            return

        def set_removed(removed: bool) -> None:
            project.own_voices.set_voice_removed(voice_id, removed)
            project.shortlist.voices_changed()

        self.state.edit(tr("a voice of one's own"), lambda: set_removed(True), lambda: set_removed(False))
        self.refresh()


def _made_from(voice: OwnVoice, names: Mapping[int, str]) -> str:
    if voice.at_service is not None:
        of = "; ".join(names.get(number, tr("a recording taken away")) for number in voice.at_service.recordings)
        return tr("{of} (kept at the service, {visibility})", of=of, visibility=voice.at_service.visibility)
    described = ", ".join(f"{name} {value}" for name, value in voice.described.items() if value)
    return names.get(voice.recording_id or 0) or described
