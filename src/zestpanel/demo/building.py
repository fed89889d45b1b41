"""Turning the scenario into a project: the same steps a person takes, through the same doors."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from functools import partial
from importlib import resources
from pathlib import Path
from typing import Any, Final

import platformdirs
import yaml

from zestpanel.core.catalogue.connector_file import parse_connector
from zestpanel.core.choice.decided import decisions
from zestpanel.core.choice.decision import decide
from zestpanel.core.choice.evidence import evaluate
from zestpanel.core.connectors.agreed import agree
from zestpanel.core.connectors.voice_list import fetch_voices
from zestpanel.core.domain.brief import Brief
from zestpanel.core.domain.mark import DeliveryMark
from zestpanel.core.errors import InputError, ZestError
from zestpanel.core.measures.recording_checks import check_recording
from zestpanel.core.runs.execute.events import RunEvent
from zestpanel.core.runs.execute.executors import Executor, LocalExecutor
from zestpanel.core.runs.execute.unattended import make
from zestpanel.core.runs.files.dialogue import plan_dialogue
from zestpanel.core.runs.plan.planning import PlannedRun, plan_run
from zestpanel.core.secrets.masking import environment_name
from zestpanel.core.sending.choices import SendingChoices
from zestpanel.core.store.notes import VoiceNote
from zestpanel.core.store.own_voices import Consent
from zestpanel.core.store.project import BRIEF, Project
from zestpanel.core.store.stored import Stored
from zestpanel.core.store.texts import NewText
from zestpanel.core.text.lexicon.lexicon import Entry
from zestpanel.core.text.readers.reading import read_script
from zestpanel.demo.further_runs import FURTHER
from zestpanel.demo.listeners import add_listening_tests, add_panel

NAME: Final = "Orchard & Almanac.zest"
TRAPS: Final = "Orchard & Almanac, traps.zest"
ENGINES: Final = ("tangor", "citrange", "mandelo", "rangpur", "sunquat")
REPEATS: Final = 2
_STEPS: Final[Stored[tuple[str, ...]]] = Stored(
    "scenario", tuple[str, ...], ()
)  # the document that says which steps were made
_KEY: Final = "orchard-demo-key"  # the stand-in's; it opens nothing else


def demo_folder(*, traps: bool = False) -> Path:
    """Where the demo projects live: the user's data directory."""
    return platformdirs.user_data_path("zestpanel", appauthor=False) / (TRAPS if traps else NAME)


@contextlib.contextmanager
def stand_in_service() -> Iterator[str]:
    """The stand-in hosted service in a process of its own, and the environment through which engines reach it."""
    process = subprocess.Popen([sys.executable, "-m", "zestpanel.standins.service"], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    address = process.stdout.readline().strip()
    if not address:
        raise ZestError("The stand-in service did not start.", remedy="Run ./zest demo again.")
    os.environ["ZEST_LIMONAIA_ADDRESS"] = address
    os.environ.setdefault(environment_name("limonaia"), _KEY)
    for path in sorted((resources.files("zestpanel.demo") / "engines").iterdir(), key=lambda entry: entry.name):
        agree(parse_connector(path.read_text("utf-8"), name=path.name))  # our own, of this package
    try:
        yield address
    finally:
        process.terminate()
        process.wait()
        process.stdout.close()


def scenario(name: str = "scenario") -> dict[str, Any]:
    found: dict[str, Any] = yaml.safe_load((resources.files("zestpanel.demo") / f"{name}.yaml").read_text("utf-8"))
    return found


def renew_engines(folder: Path) -> None:
    """Engines of a demo that an earlier version built, whose files reach the stand-ins by a name no longer read."""
    project = Project.open(folder)
    try:
        known = project.shortlist.files()
        for path in (resources.files("zestpanel.demo") / "engines").iterdir():
            source = path.read_text("utf-8")
            engine = parse_connector(source, name=path.name)
            if "${LIMONAIA_ADDRESS}" in str(known.get(engine.engine, "")):
                project.shortlist.add_engine(engine, source, path.name)
    finally:
        project.close()


def begin(folder: Path) -> None:
    """Brief, engines, shortlist and passages, and nothing made yet: in a second or two, beside its place until it is
    whole. The stand-in service must be running."""
    _beside(folder, lambda project: fill(project, scenario(), ENGINES))


def go_on(folder: Path, tell: Callable[[str], None]) -> None:
    """What a lead does in the weeks after: each step once, so that one that was stopped is gone on with next time."""
    data = scenario()
    with contextlib.closing(Project.open(folder)) as project, contextlib.closing(LocalExecutor()) as executor:
        steps: dict[str, Callable[[], None]] = {
            "catalogue": lambda: add_catalogue(project, data["catalogue"]),
            "rendered": lambda: render(project, tell, executor),
            "panel": lambda: add_panel(project, data),
            "listening": lambda: add_listening_tests(project, data),
            **{name: partial(step, project, data["further"], tell, executor) for name, step in FURTHER.items()},
            "marks": lambda: add_marks(project, data),
            "decisions": lambda: add_decisions(project, data),
        }
        for name, step in steps.items():
            if name not in (done := steps_done(project)):
                step()
                _STEPS.write(project.documents, (*done, name))


def steps_done(project: Project) -> list[str]:
    return list(_STEPS.read(project.documents))


def is_whole(folder: Path) -> bool:
    """Whether nothing of the scenario is left to be made; so is a demo that an earlier version built."""
    with contextlib.closing(Project.open(folder)) as project:
        return "decisions" in steps_done(project) or bool(decisions(project.documents))


def build(folder: Path, tell: Callable[[str], None]) -> None:
    """The whole demo, from nothing."""
    begin(folder)
    go_on(folder, tell)


def build_traps(folder: Path) -> None:
    """Build the project in which everything on the shortlist has something in its way. Nothing is rendered."""
    _beside(folder, lambda project: fill(project, scenario("traps"), (*ENGINES, "kumbava")))


def _beside(folder: Path, steps: Callable[[Project], None]) -> None:
    part = folder.with_name(folder.name + ".part")
    shutil.rmtree(part, ignore_errors=True)
    part.parent.mkdir(parents=True, exist_ok=True)
    project = Project.create(part)
    try:
        steps(project)
    finally:
        project.close()
    shutil.rmtree(folder, ignore_errors=True)
    part.rename(folder)


def fill(project: Project, data: dict[str, Any], engine_files: tuple[str, ...]) -> None:
    """Brief, engines with their voices, shortlist and passages."""
    BRIEF.write(project.documents, Brief.model_validate(data["brief"]))
    for name in engine_files:
        source = (resources.files("zestpanel.demo") / "engines" / f"{name}.yaml").read_text("utf-8")
        engine = parse_connector(source, name=f"{name}.yaml")
        project.shortlist.add_engine(engine, source, f"{name}.yaml")
        if engine.voices_from is not None:
            project.shortlist.put_fetched(engine.engine, fetch_voices(engine))
    engines = project.shortlist.engines()
    for item in data["shortlist"]:
        wanted = {name: item.get(name) for name in ("settings", "model", "plan")}
        project.shortlist.add(engines[item["engine"]], voice=item["voice"], **wanted)
    for passage in data["passages"]:
        text = passage.get("joined_by", " ").join([passage["text"]] * passage.get("repeat", 1))
        marks = tuple(_mark(text, one) for one in passage.get("marks", ()))
        new = NewText(
            text=text, title=passage["title"], marks=marks, tags=tuple(passage.get("tags", ())), rights="ours"
        )
        project.texts.add([new], language=passage["language"])
    project.pronunciations.put([Entry(**entry) for entry in data.get("pronunciations", ())])
    for engine_name, choices in data.get("sending", {}).items():
        project.sending.put_choices(engine_name, SendingChoices.model_validate(choices))
    for script in data.get("scripts", ()):
        _bring_script(project, script)


def _mark(text: str, one: dict[str, str]) -> DeliveryMark:
    """A mark by the words it stands over or after."""
    if "after" in one:
        at = text.index(one["after"]) + len(one["after"])
        return DeliveryMark(at, at, one["kind"], one["value"])
    at = text.index(one["over"])
    return DeliveryMark(at, at + len(one["over"]), one["kind"], one["value"])


def _bring_script(project: Project, script: dict[str, Any]) -> None:
    """Keep a script whole; one that is a dialogue is cast too."""
    with resources.as_file(resources.files("zestpanel.demo") / "scripts" / script["file"]) as path:
        read = read_script(path)
    project.scripts.keep(script["file"], read.text(), language=script["language"], rights=script["rights"],
                         source=script["file"])  # fmt: skip
    if name := script.get("dialogue"):
        lines = [part for part in read.parts if part.kind == "paragraph"]
        about = {"language": script["language"], "rights": script["rights"], "source": script["file"]}
        turns = project.dialogues.add(name, lines, **about)
        shortlist = project.shortlist.candidates()
        for speaker, place in script["cast"].items():
            project.dialogues.put_cast(name, speaker, shortlist[min(place, len(shortlist)) - 1].id)
        for place, gap_s in script.get("gaps", {}).items():
            project.texts.describe(turns[place - 1].id, gap_s=gap_s)


def add_catalogue(project: Project, data: dict[str, Any]) -> None:
    """What a lead adds in the course of time: notes, statements, the set-up log, a voice from a recording."""
    project.notes.put_voices(
        [
            VoiceNote(engine=n["engine"], voice=n["voice"], favourite=n.get("favourite", False),
                      tags=tuple(n.get("tags", ())), words=n.get("words", ""))
            for n in data["notes"]
        ]
    )  # fmt: skip
    for one in data["impressions"]:
        project.impressions.add(one["engine"], one["voice"], one["words"])
    for s in data["statements"]:
        project.notes.state(s["engine"], s["about"], s.get("item", ""), s["fact"], s["value"],
                            source=s["source"], dated=s.get("dated"))  # fmt: skip
    for entry in data["setup"]:
        project.notes.log_setup(entry["engine"], entry["minutes"], entry["words"])
    from zestpanel.standins.timbre import Timbre, speak

    recording = data["recording"]
    clip, _ = speak(recording["text"], Timbre(**recording["voice"]), seed=4)
    consent = recording["consent"]
    kept = project.own_voices.add_recording(
        clip,
        name=recording["name"],
        language="en-GB",
        words=recording["text"],
        checks=[check.as_document() for check in check_recording(clip)],
        consent=Consent(who=consent["who"], given=consent["given"], use=consent["use"], evidence=consent["evidence"]),
    )
    project.own_voices.add_voice(
        recording["engine"], voice="own-" + recording["name"].casefold().replace(" ", "-"), name=recording["name"],
        language="en-GB", recording_id=kept.id)  # fmt: skip
    project.shortlist.voices_changed()


def render(project: Project, tell: Callable[[str], None], executor: Executor) -> None:
    """Render everything that can be rendered, telling how far it is."""
    for planned in (
        plan_run(project, repeats=REPEATS),
        *(plan_dialogue(project, name) for name in project.dialogues.names()),
    ):
        _render(project, planned, tell, executor)


def _render(project: Project, planned: PlannedRun, tell: Callable[[str], None], executor: Executor) -> None:
    told = over = 0

    def on_event(event: RunEvent) -> None:
        nonlocal told, over
        if event.kind in ("kept", "failed"):
            over += 1
            if over * 10 // max(1, len(planned.jobs)) != told:
                told = over * 10 // len(planned.jobs)
                tell(f"  {over} of {len(planned.jobs)} clips")

    progress = make(project, planned, on_event=on_event, seed=3, executor=executor)
    if progress.held:
        raise ZestError(progress.held)


def add_marks(project: Project, data: dict[str, Any]) -> None:
    candidates, passages = project.shortlist.candidates(), project.texts.all()
    measured = project.takes.measured()
    for mark in data["marks"]:
        candidate, passage = candidates[mark["candidate"] - 1], passages[mark["passage"] - 1]
        for take in project.takes.all(candidate_id=candidate.id):
            words = measured[take.id].words
            if take.passage_version_id == passage.version_id and take.repeat == 1 and mark["word"] < len(words):
                project.takes.add_mark(take.id, words[mark["word"]][1], mark["kind"], mark["note"])


def add_decisions(project: Project, data: dict[str, Any]) -> None:
    candidates = project.shortlist.candidates()
    for item in data["decisions"]:
        found = evaluate(project)  # anew: a role may be unlike one that was just filled
        with contextlib.suppress(InputError):  # a gate may stand against it: then the role stays open, as for anybody
            decide(
                project,
                found,
                role=item["role"],
                candidate_id=candidates[item["candidate"] - 1].id,
                why=item["why"],
                by=item["by"],
                runner_up_id=candidates[item["runner_up"] - 1].id,
            )
