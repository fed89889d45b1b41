"""Clips of the bench: saved to a folder, and brought in from elsewhere onto their cells."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QFileDialog

from zestpanel.core.errors import TableError, ZestError
from zestpanel.core.runs.files.bringing_in import Clipping, from_table, guess
from zestpanel.core.runs.files.clip_names import export_clips
from zestpanel.core.texts import tr, trn
from zestpanel.desk.bring_in import BringInDialog
from zestpanel.desk.grid.view import GridView
from zestpanel.desk.pages.tabbed import TabbedPage


class ClipsInAndOut(TabbedPage):
    """Under the page of renders, which makes the grid."""

    grid: GridView

    def ask_where_clips_go(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Save all clips to a folder"))
        if name:
            self.save_clips(Path(name))

    def save_clips(self, folder: Path) -> None:
        """Write the take that each cell shows, as it was delivered, under names that tell what it is."""
        bench, project, names = self.state.bench, self.state.project, self.state.shown_names()
        shown = [cell.take for cell in bench.cells.values() if cell.take is not None]
        self.state.background.run(
            lambda: export_clips(project, shown, bench.candidates, names, folder),
            lambda written: self.state.say(
                trn(
                    "{written} clip written to {name}.",
                    "{written} clips written to {name}.",
                    len(written),
                    written=len(written),
                    name=folder.name,
                )
            ),
            self.state.complain,
        )

    def cell_at(self, where: QPoint) -> tuple[int, int] | None:
        """(candidate id, passage id) of the cell under a place on the screen, None beside the grid."""
        viewport = self.grid.viewport()
        assert viewport is not None
        index = self.grid.indexAt(viewport.mapFromGlobal(where))
        if not index.isValid():
            return None
        model = self.grid.grid_model
        return model.candidate(index.row()).id, model.passage(index.column()).id

    def ask_for_clips(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Clips made elsewhere"), "", tr("Sound, video and tables (*)"))
        paths = [Path(name) for name in names]
        tables = [path for path in paths if path.suffix.lower() in (".csv", ".tsv")]
        for table in tables:
            self.add_table(table)
        if clips := [path for path in paths if path not in tables]:
            self.bring_in(clips, None)

    def bring_in(self, paths: list[Path], cell: tuple[int, int] | None) -> None:
        """Show where the files would go: the cell they were dropped on, or what their names tell."""
        bench = self.state.bench
        if not bench.candidates or not bench.passages:
            self.state.complain(tr("Clips belong to a candidate and a passage: put both in the project first."))
            return
        if cell is not None:
            found = [Clipping(path=path, candidate_id=cell[0], passage_id=cell[1]) for path in paths]
        else:
            found = guess(paths, bench.candidates, bench.names, bench.passages)
        BringInDialog(self, self.state, found).show()

    def add_table(self, path: Path) -> None:
        """A table of clips beside it: file, candidate, passage and what was typed."""
        bench = self.state.bench
        try:
            text = path.read_text(encoding="utf-8-sig")
            found = from_table(
                text, name=path.name, folder=path.parent, candidates=bench.candidates, names=bench.names,
                passages=bench.passages,
            )  # fmt: skip
        except (OSError, UnicodeDecodeError) as error:
            self.state.complain(
                TableError(
                    tr("{name} cannot be read ({error}).", name=path.name, error=error),
                    kept=tr("Nothing was brought in."),
                )
            )
        except ZestError as error:
            self.state.complain(error)
        else:
            BringInDialog(self, self.state, found).show()
