"""How alike each voice's takes are to each other, to the version before and to the recording it was made of."""

from __future__ import annotations

from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from zestpanel.core.analysis.likeness import TO, Alike, alike, says
from zestpanel.core.choice.evidence import Evaluation
from zestpanel.core.texts import tr
from zestpanel.desk.state import DeskState
from zestpanel.desk.table import Table
from zestpanel.desk.widgets import label


class LikenessView(QWidget):
    """Compared when it is first looked at, which takes a while; kept until takes change."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self._of: Evaluation | None = None
        self._comparing = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 8)
        layout.setSpacing(8)
        self.says = label("", "lead", wrap=True)
        layout.addWidget(self.says)
        about = tr(
            "Envelope: mel-cepstral distortion in dB, the words paired (Kubichek 1993). Pitch: semitones apart along "
            "the words. Colour: long-term spectra apart, in dB. The last row is the scale: two voices of this project "
            "saying the same. To a recording with other words only pitch and colour are told."
        )
        layout.addWidget(label(about, "small", wrap=True))
        self.table = Table()
        self.table.setAccessibleName(tr("Likeness"))
        layout.addWidget(self.table, 1)

    def refresh(self) -> None:
        found = self.state.evaluation
        if found is None or self._of is found:
            return
        self._of = found
        self._comparing = True
        self.says.setText(tr("Comparing …"))
        project = self.state.project
        self.state.background.run(lambda: alike(project), self._show, self.state.complain, topic="likeness", long=True)

    def hideEvent(self, event: QHideEvent | None) -> None:
        """What nobody waits for any more is not worked out."""
        if self._comparing:
            self.state.background.drop("likeness")
            self._of, self._comparing = None, False
        super().hideEvent(event)

    def _show(self, found: list[Alike]) -> None:
        self._comparing = False
        names = {c.id: self.state.name(c) for c in self.state.bench.candidates}
        self.says.setText(says(found, names))
        rows = [
            [names.get(one.candidate_id, tr("two voices")), TO[one.to] if one.candidate_id else TO["another voice"],
             str(one.n), *(_shown(value) for value in (one.distortion_db, one.pitch_st, one.colour_db))]
            for one in found
        ]  # fmt: skip
        head = [tr("Candidate"), tr("compared with"), tr("pairs"), tr("envelope, dB"), tr("pitch, semitones"),
                tr("colour, dB")]  # fmt: skip
        self.table.show_rows(head, rows, numbers=[2, 3, 4, 5], wide=1)


def _shown(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f}"
