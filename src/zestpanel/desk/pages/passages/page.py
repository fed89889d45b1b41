"""Step 3, passages: five views of the texts everybody reads, and the ways in for scripts."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMenu

from zestpanel.core.domain.passage import Passage
from zestpanel.core.errors import ZestError
from zestpanel.core.languages import locale_name
from zestpanel.core.store.texts import NewText
from zestpanel.core.text.cutting import plain_parts
from zestpanel.core.text.readers.reading import READABLE, read_script
from zestpanel.core.text.readers.script import Part, Script
from zestpanel.core.text_files import read_text
from zestpanel.core.texts import tr, trn
from zestpanel.desk.pages.passages.as_sent import AsSentView
from zestpanel.desk.pages.passages.coverage import CoverageView
from zestpanel.desk.pages.passages.dialogue import DialogueView
from zestpanel.desk.pages.passages.from_web import WebDialog
from zestpanel.desk.pages.passages.importing import FEW, LONG, Chosen, ImportDialog, leaves_a_choice
from zestpanel.desk.pages.passages.pronunciation import PronunciationView
from zestpanel.desk.pages.passages.set_view import SetView
from zestpanel.desk.pages.tabbed import TabbedPage
from zestpanel.desk.state import DeskState
from zestpanel.desk.widgets import EmptyState, button

MANY, MUCH = 6, 10_000  # passages, characters: from there on they are written off the interface thread
VIEWS = (tr("The set"), "Coverage", tr("As sent"), tr("Pronunciation"), tr("Dialogue"))


class PassagesPage(TabbedPage):
    title = tr("Passages")

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.bring = button(tr("Import script …"), self._import_menu, tip=tr("Or drop files on the window"))
        self.head.addWidget(self.bring)
        self.head.addWidget(button(tr("Write one"), self.write_one))
        self.set = SetView(state)
        self.set.go_to_sent = lambda: self.show_view(tr("As sent"))
        self.add_views(
            VIEWS,
            (self.set, lambda: self.coverage, lambda: self.as_sent, lambda: self.pronunciation, lambda: self.dialogue),
        )

    @cached_property
    def coverage(self) -> CoverageView:
        return CoverageView(self.state, self.add_texts)

    @cached_property
    def as_sent(self) -> AsSentView:
        return AsSentView(self.state)

    @cached_property
    def pronunciation(self) -> PronunciationView:
        return PronunciationView(self.state)

    @cached_property
    def dialogue(self) -> DialogueView:
        return DialogueView(self.state, self.ask_for_files)

    # -- shown

    def show_view(self, at: int | str) -> None:
        if self.tabs and at not in (0, VIEWS[0]):
            self.set.keep_draft()
        super().show_view(at)

    def refresh(self) -> None:
        if not self.state.bench.passages and not self.state.project.dialogues.names():
            self.set_empty(
                EmptyState(
                    tr(
                        "No passage yet. Bring in a script of the channel's own, as text, document, PDF, web page, "
                        "e-book, subtitles or table: it is split at its paragraphs. Or drop the file on this window."
                    ),
                    tr("Import script …"),
                    self.ask_for_files,
                )
            )
            self.set.forget()
            return
        self.set_empty(None)
        self.refresh_view()

    def keep_draft(self) -> None:
        """What is typed and not kept goes into the project: the window is about to close."""
        self.set.keep_draft()

    # -- scripts in

    def _language(self) -> str:
        languages = self.state.project.brief.languages
        return languages[0] if languages else "en-GB"

    def _import_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction(tr("From files …"), self.ask_for_files)
        menu.addAction(tr("From a folder …"), self.ask_for_folder)
        menu.addAction(tr("From a web address …"), self.ask_for_address)
        menu.addAction(tr("Paste text"), self.paste)
        menu.addAction(tr("SSML document …"), self.ask_for_ssml)
        menu.popup(self.bring.mapToGlobal(self.bring.rect().bottomLeft()))

    def ask_for_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self,
            tr("Import scripts"),
            "",
            tr("Scripts ({readable})", readable=" ".join(f"*{suffix}" for suffix in READABLE)),
        )
        self.import_files([Path(name) for name in names])

    def ask_for_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Import the scripts of a folder"))
        if name:
            found = sorted(p for p in Path(name).rglob("*") if p.suffix.lower() in READABLE and p.is_file())
            if not found:
                self.state.complain(tr("{name} holds no file that can be read as a script.", name=Path(name).name))
            self.import_files(found)

    def ask_for_address(self) -> None:
        WebDialog(self, self.state, self._take_web).show()

    def _take_web(self, script: Script, address: str, rights: str) -> None:
        path, language = Path(address.rstrip("/").rsplit("/", 1)[-1] or "page"), self._language()
        self.state.background.run(
            lambda: plain_parts(script, language),
            lambda parts: self._take_script(path, script, parts, language, rights=rights, source=address),
            self.state.complain,
        )

    def paste(self) -> None:
        """The clipboard's text as passages."""
        from PyQt6.QtGui import QGuiApplication

        clipboard = QGuiApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        if not text.strip():
            self.state.complain(tr("The clipboard holds no text."))
            return
        script = Script(parts=(Part(text=text),), how=tr("pasted text"))
        language = self._language()
        self.state.background.run(
            lambda: plain_parts(script, language),
            lambda parts: self._pasted(parts, language),
            self.state.complain,
        )

    def _pasted(self, parts: list[Part], language: str) -> None:
        self.add_texts([NewText(text=part.text) for part in parts], language, tr("pasted text"))

    def ask_for_ssml(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, tr("Import SSML"), "", tr("SSML (*.ssml *.xml)"))
        self.import_ssml([Path(name) for name in names])

    def import_ssml(self, paths: list[Path]) -> None:
        """Each document becomes a passage with its marks; what has no mark of ours is named."""
        from zestpanel.core.text.marks.ssml import SsmlText, from_ssml

        def work() -> list[tuple[Path, SsmlText | ZestError]]:
            found: list[tuple[Path, SsmlText | ZestError]] = []
            for path in paths:
                try:
                    found.append(
                        (path, from_ssml(read_text(path, most_mb=5, kept=tr("Nothing was added.")), path.name))
                    )
                except ZestError as error:
                    found.append((path, error))
            return found

        def arrived(found: list[tuple[Path, SsmlText | ZestError]]) -> None:
            for path, read in found:
                if isinstance(read, ZestError):
                    self.state.complain(read)
                    continue
                new = NewText(text=read.text, marks=read.marks, title=path.stem, source=path.name)
                left = (
                    tr(" Without a mark of ours: {left_out}.", left_out=", ".join(read.left_out))
                    if read.left_out
                    else ""
                )
                said = trn(
                    "{name}: {marks} mark.{left}",
                    "{name}: {marks} marks.{left}",
                    len(read.marks),
                    name=path.name,
                    marks=len(read.marks),
                    left=left,
                )
                self.add_texts([new], read.language or self._language(), tr("import of {name}", name=path.name),
                               partial(self.state.say, said))  # fmt: skip

        self.state.background.run(work, arrived, self.state.complain)

    def import_files(self, paths: list[Path]) -> None:
        """Read scripts off the interface thread; each becomes passages, after a question where it leaves a choice."""
        language = self._language()

        def work() -> list[tuple[Path, tuple[Script, list[Part]] | ZestError]]:
            found: list[tuple[Path, tuple[Script, list[Part]] | ZestError]] = []
            for path in paths:
                try:
                    script = read_script(path)
                    found.append((path, (script, plain_parts(script, language))))
                except ZestError as error:
                    found.append((path, error))
            return found

        def arrived(found: list[tuple[Path, tuple[Script, list[Part]] | ZestError]]) -> None:
            for path, read in found:
                if isinstance(read, ZestError):
                    self.state.complain(read)
                else:
                    self._take_script(path, *read, language, source=path.name)

        self.state.background.run(work, arrived, self.state.complain)

    def _take_script(
        self, path: Path, script: Script, parts: list[Part], language: str, *, rights: str = "", source: str = ""
    ) -> None:
        def take(chosen: Chosen) -> None:
            if chosen.dialogue:
                self._add_dialogue(chosen, source)
            else:
                new = [
                    NewText(text=p.text, title=title, rights=chosen.rights, source=source, speaker=p.speaker)
                    for p, title in zip(chosen.parts, chosen.titles, strict=True)
                ]
                if new:
                    count = trn("{new} passage", "{new} passages", len(new), new=len(new))
                    said = tr(
                        "{name} ({how}): {count}, read as {locale_name}.",
                        name=path.name,
                        how=script.how,
                        count=count,
                        locale_name=locale_name(chosen.language),
                    )
                    self.add_texts(
                        new, chosen.language, tr("import of {name}", name=path.name), partial(self.state.say, said)
                    )
                else:
                    self.state.say(tr("{name} is kept whole: choose passages from it under Coverage.", name=path.name))
            keep = partial(self.state.project.scripts.keep, path.name, script.text(), language=chosen.language,
                           rights=chosen.rights, source=source)  # fmt: skip
            if sum(len(part.text) for part in script.parts) <= LONG:
                keep()
                self.refresh()
            else:
                self.state.background.run(keep, lambda _: self.refresh(), self.state.complain)

        if leaves_a_choice(script) or len(parts) > FEW:
            ImportDialog(self, path, script, language, take, background=self.state.background, rights=rights).show()
            return
        titles = ("",) * len(parts)
        take(Chosen(parts=tuple(parts), titles=titles, language=script.language or language, rights=rights))

    def _add_dialogue(self, chosen: Chosen, source: str) -> None:
        project, made = self.state.project, list[Passage]()

        def do() -> None:
            if made:
                project.texts.set_removed([p.id for p in made], False)
            else:
                made.extend(project.dialogues.add(chosen.dialogue, chosen.parts, language=chosen.language,
                                               rights=chosen.rights, source=source))  # fmt: skip

        undo = lambda: project.texts.set_removed([p.id for p in made], True)  # noqa: E731
        if self.state.edit(tr("dialogue '{dialogue}'", dialogue=chosen.dialogue), do, undo):
            self.dialogue.show_dialogue(chosen.dialogue)
            self.refresh()
            self.show_view(tr("Dialogue"))

    def add_texts(self, new: list[NewText], language: str, what: str, then: Callable[[], None] = lambda: None) -> None:
        """Add passages, with undo; the first of them is shown. then: called once they are added."""
        texts, made = self.state.project.texts, list[Passage]()

        def do() -> None:
            if made:
                texts.set_removed([p.id for p in made], False)
            else:
                made.extend(texts.add(new, language=language))

        def undo() -> None:
            texts.set_removed([p.id for p in made], True)

        def done() -> None:
            if made:
                self.state.passage_id = made[0].id
                self.set.forget()

        def done_aside() -> None:
            done()
            then()

        if len(new) > MANY or sum(len(one.text) for one in new) > MUCH:
            self.state.edit_aside(what, do, undo, done_aside)
        elif self.state.edit(what, do, undo, done=done):
            then()

    def write_one(self) -> None:
        def write() -> None:
            self.show_view(tr("The set"))
            self.set.write()

        self.add_texts([NewText(text=tr("A new passage."))], self._language(), tr("new passage"), write)
