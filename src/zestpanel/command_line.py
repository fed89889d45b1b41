"""The verbs without a window. Bad input gives one sentence on standard error and exit status 2."""

from __future__ import annotations

import argparse
import os
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from zestpanel import __version__
from zestpanel.core.errors import InputError, ZestError
from zestpanel.verbs import (
    checking,
    deciding,
    elsewhere,
    exchange,
    hearing,
    making,
    manual,
    measuring,
    own_voices,
    plain_tables,
    producing,
    rendering,
    results,
)  # fmt: skip
from zestpanel.verbs.opening import Output
from zestpanel.verbs.terminal import nobody_reads, prepare, say, say_json

# what can be read as a script; the readers themselves are loaded when one is brought in
SCRIPTS = (
    ".txt", ".text", ".fountain", ".md", ".markdown", ".docx", ".odt", ".pdf", ".html", ".htm", ".xhtml", ".epub",
    ".srt", ".vtt", ".tsv", ".csv", ".xlsx",
)  # fmt: skip


def run(arguments: list[str]) -> int:
    # connector files may name the Python this program runs on
    os.environ.setdefault("ZEST_PYTHON", sys.executable)
    parser = _parser()
    prepare()
    options = parser.parse_args(arguments)
    if options.verb is None:
        parser.print_help()
        return 0
    if threading.current_thread() is threading.main_thread():
        signal.signal(signal.SIGTERM, _interrupted)  # a run ends what it has started, and closes its journal
    as_json = getattr(options, "json", False)
    try:
        _refuse_what_is_no_text(options)
        result = options.do(options)
        if isinstance(result, int):
            return result
        _show(result, as_json=as_json)
        return 1 if result.get("failed") or result.get("held") else 0
    except KeyboardInterrupt:
        say("zestpanel: stopped.", sys.stderr)
        return 130
    except ZestError as error:
        if as_json:
            say_json({"error": str(error)})
        else:
            say(f"zestpanel: {error}", sys.stderr)
        return 2
    except BrokenPipeError:
        return nobody_reads()


def _refuse_what_is_no_text(options: argparse.Namespace) -> None:
    """What was typed as words in another encoding than the terminal says; file names may be anything."""
    for name, value in vars(options).items():
        words = value if isinstance(value, list) else [value]
        if odd := next((word for word in words if isinstance(word, str) and not _is_text(word)), None):
            raise InputError(f"--{name.replace('_', '-')}: '{odd}' is not in UTF-8.", kept="Nothing was done.")


def _is_text(word: str) -> bool:
    return not any("\ud800" <= sign <= "\udfff" for sign in word)


def _interrupted(_number: int, _frame: object) -> None:
    raise KeyboardInterrupt


def _show(result: Output, *, as_json: bool) -> None:
    if as_json:
        say_json(result)
        return
    for line in result.get("lines", []):
        say(line)


def _of_output(sub: Any) -> None:
    """How files are delivered."""
    sub.add_argument("--format", choices=("wav", "flac", "mp3", "opus", "aac"), help="WAV by default")
    sub.add_argument("--rate", type=int, metavar="HZ", help="sample rate; the sound's own by default")
    sub.add_argument("--channels", type=int, choices=(1, 2))
    sub.add_argument("--bits", type=int, choices=(16, 24), help="of WAV and FLAC, 24 by default")
    sub.add_argument("--kbps", type=int, help="of MP3, Opus and AAC, 128 by default")
    sub.add_argument("--loudness", metavar="LUFS", help="integrated, -16 by default; 'as it is' leaves it")
    sub.add_argument("--peak", type=float, metavar="DBTP", help="true peak that is never passed, -1 by default")
    sub.add_argument("--head", type=float, metavar="S", help="silence before")
    sub.add_argument("--tail", type=float, metavar="S", help="silence after")


def _of_narration(sub: Any) -> None:
    sub.add_argument("--allow", action="store_true", help="go on although rights, version or price speak against it")
    sub.add_argument("--name", default="", help="what it is called; the script's file name by default")
    sub.add_argument("--to", type=Path, metavar="FOLDER", help="where the files go; here by default")
    sub.add_argument("--gap", type=float, metavar="S", help="silence between parts")
    sub.add_argument("--each", action="store_true", help="a file a part instead of one")
    sub.add_argument("--pattern", default="{name} {n:03d}", help="their names: {name}, {n:03d}, {speaker}, {title}")
    sub.add_argument("--estimate", action="store_true", help="only say what would be asked for and what it would cost")
    _of_output(sub)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="zestpanel",
        description="A tasting panel for synthetic narration voices.",
        epilog="The verbs work on a project folder (NAME.zest) without a window.",
    )
    parser.add_argument("--version", action="version", version=f"Zest Panel {__version__}")
    verbs = parser.add_subparsers(dest="verb", metavar="VERB")

    def verb(name: str, do: Callable[[argparse.Namespace], Output | int], about: str, *, project: bool = True) -> Any:
        sub = verbs.add_parser(name, help=about, description=about)
        sub.set_defaults(do=do)
        if project:
            sub.add_argument("project", type=Path, help="project folder, NAME.zest")
            sub.add_argument("--json", action="store_true", help="print the result as JSON")
        return sub

    sub = verb("new", making.new, "make a project")
    sub.add_argument("--channel", default="", help="the channel's name")
    sub.add_argument("--language", action="append", help="BCP 47 tag such as en-GB; repeat for more, main one first")
    sub = verb("duplicate", making.duplicate, "a copy of a project, to begin another channel from")
    sub.add_argument("--to", type=Path, required=True, metavar="FOLDER", help="the new project, NAME.zest")
    sub.add_argument("--without-takes", action="store_true", help="brief, engines, texts and roles alone")
    sub = verb("archive", making.archive, "all of a project in one file")
    sub.add_argument("--to", type=Path, metavar="FILE", help="NAME.zest.zip beside it by default")
    sub = verb("unpack", making.unpack, "a project from the file that it was archived to", project=False)
    sub.add_argument("file", type=Path)
    sub.add_argument("--to", type=Path, metavar="FOLDER", help="where to; here by default")
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    sub = verb("import", making.bring_in, f"bring in connector files (.yaml, .json) and scripts ({' '.join(SCRIPTS)})")
    sub.add_argument("files", type=Path, nargs="+", help="connector files and scripts")
    sub.add_argument("--language", help="language of the scripts; the brief's main one by default")
    sub.add_argument("--split", choices=("paragraphs", "sentences", "none"), default="paragraphs")
    sub.add_argument("--shortlist", action="store_true", help="put every voice of the engines on the shortlist")
    sub = verb(
        "run",
        rendering.render,
        "render the missing takes, or open the window when no project verb follows",
        project=False,
    )
    sub.add_argument("project", type=Path, nargs="?", help="project folder, NAME.zest")
    sub.add_argument("--render", action="store_true", help="render without a window")
    sub.add_argument("--json", action="store_true", help="print the result as JSON (renders without a window)")
    sub.add_argument("--repeats", type=int, default=1)
    sub.add_argument("--estimate", action="store_true", help="only say what would be rendered and what it would cost")
    sub.add_argument(
        "--ask-again",
        "--abandon-open",
        dest="abandon_open",
        action="store_true",
        help="let what earlier requests asked for be asked for again, although they may have been paid",
    )
    sub.add_argument("--fresh", action="store_true", help="ask again, beside the takes there are")
    beside = "programs of this machine beside one another: sooner over, waits kept apart"
    sub.add_argument("--side-by-side", action="store_true", help=beside)
    sub.add_argument("--cold", action="store_true", help="every request over a new connection, engines just started")
    sub.add_argument("--at-once", default="", help="levels of requests at once to time under, such as 1,2,4")
    sub.add_argument(
        "--due", action="store_true", help="render the run of the schedule that is due now, if one is; for a timer"
    )
    sub.add_argument(
        "--scheduler", default="", help="address of a Dask scheduler: local engines and measuring go there"
    )
    sub = verb("runs", rendering.past_runs, "list past runs, compare two, or render one once more")
    sub.add_argument("--compare", type=int, nargs=2, metavar=("EARLIER", "LATER"), help="what changed between two runs")
    sub.add_argument("--again", type=int, metavar="RUN", help="render the very requests of a run once more")
    sub.add_argument(
        "--keep-apart", type=int, nargs=2, metavar=("CANDIDATE", "RUN"),
        help="what was made of a candidate in a run and since becomes a candidate of its own: its sound changed",
    )  # fmt: skip
    sub = verb("brief", deciding.brief, "show the brief, or set its fields")
    sub.add_argument("--set", action="append", metavar="NAME=VALUE", help="a field, such as budget_per_month=40")
    sub.add_argument("--line", action="append", metavar="LANGUAGE=TEXT", help="your own line for a language")
    sub = verb("voices", deciding.voices, "list the voices that the engines have")
    sub.add_argument("--fetch", metavar="ENGINE", help="ask a service for its list first")
    sub.add_argument("--language", default="", help="only those that speak it")
    sub = verb("shortlist", deciding.shortlist, "list the candidates, add a voice or take one off")
    sub.add_argument("--add", nargs=2, metavar=("ENGINE", "VOICE"), help="put a voice on the shortlist")
    sub.add_argument("--model", default="")
    sub.add_argument("--plan", default="")
    sub.add_argument("--language", default="")
    sub.add_argument("--remove", type=int, action="append", metavar="CANDIDATE", help="take a candidate off")
    sub = verb("roles", deciding.roles, "the roles that voices are chosen for; add, change or remove one")
    sub.add_argument("--add", action="append", metavar="NAME", help="one more role")
    sub.add_argument("--set", action="append", nargs=2, metavar=("ROLE", "FIELD=VALUE"),
                     help="name, language, share_percent, retakes_percent, tags, must_haves ('brief' for the brief's), "
                     "not_engine_of, not_voice_of")  # fmt: skip
    sub.add_argument("--remove", action="append", metavar="ROLE", help="what was decided for it stays readable")
    sub = verb("weights", deciding.weights, "what the choice weighs, and from where to where; or set it")
    sub.add_argument("--set", action="append", metavar="NAME=WEIGHT[:WORST:BEST]", help="a figure's weight and bounds")
    sub.add_argument("--role", default="", help="of one role alone")
    sub.add_argument("--shared", action="store_true", help="give up the weights that the role has of its own")
    sub.add_argument("--must", action="append", metavar="NAME", help="what is not acceptable bars: a must-have")
    sub.add_argument("--may", action="append", metavar="NAME", help="it is a must-have no more")
    sub = verb("choice", deciding.choice, "the ranking of every role and what stands against each; or fill a role")
    sub.add_argument("--choose", type=int, metavar="CANDIDATE", help="who fills the role")
    sub.add_argument("--nobody", action="store_true", help="nobody is good enough for the role")
    sub.add_argument("--take-back", action="store_true", help="what was decided for the role stands no more")
    sub.add_argument("--role", default="main narrator", help="the role by its name, main narrator by default")
    sub.add_argument("--may-reopen", default="", help="who may reopen the decision")
    sub.add_argument("--look-again", default="", metavar="DAY", help="when to look at it again, such as 2027-03-01")
    sub.add_argument("--why", default="", help="the reason, in a sentence")
    sub.add_argument("--by", default="", help="who decided")
    sub.add_argument("--unheard", action="store_true", help="choose it although no listener has rated it")
    sub = verb("sheet", producing.sheet, "write the production sheet of a role: all that makes the same sound again")
    sub.add_argument("--role", default="main narrator", help="the role by its name, main narrator by default")
    sub.add_argument("--out", type=Path, help="file to write, .yaml or .json; the terminal by default")
    _of_output(sub)
    sub = verb("narrate", producing.narrate, "speak a whole script in the chosen voices, and write it as files")
    sub.add_argument("script", type=Path)
    sub.add_argument("--role", default="main narrator", help="who narrates, by the role; main narrator by default")
    sub.add_argument("--candidate", type=int, help="who narrates, by the candidate's number")
    _of_narration(sub)
    sub = verb("stage", producing.stage, "keep a dialogue, as it is cast and rendered, as one clip to be judged")
    sub.add_argument("dialogue", help="its name")
    sub = verb("render", producing.by_sheet, "speak a whole script by a production sheet", project=False)
    sub.add_argument("script", type=Path)
    sub.add_argument("--sheet", type=Path, required=True, help="the production sheet, YAML or JSON")
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    _of_narration(sub)
    sub = verb("convert", producing.convert, "turn sound files into another format, rate or loudness", project=False)
    sub.add_argument("files", type=Path, nargs="+")
    sub.add_argument("--to", type=Path, metavar="FOLDER", help="where to; beside each file by default")
    sub.add_argument("--over", action="store_true", help="write over a file that is there")
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    _of_output(sub)
    sub = verb("caps", deciding.caps, "what may be spent at most, in a run, a day, a month of a plan; or set it")
    amount = "an amount, 0 for nothing at all, 'none' for no cap"
    sub.add_argument("--run", metavar="AMOUNT", help=f"in one run: {amount}")
    sub.add_argument("--day", metavar="AMOUNT", help="in a day of your clock")
    sub.add_argument("--plan", nargs=3, action="append", metavar=("ENGINE", "PLAN", "AMOUNT"), help="in a plan's month")
    sub.add_argument("--currency", default="", help="of run and day; the brief's by default")
    sub = verb("own-voices", own_voices.own_voices, "voices of your own; make one of recordings at a service")
    sub.add_argument("--make", metavar="ENGINE", help="which service is to make it")
    sub.add_argument("--recording", type=int, action="append", default=[], help="its number; repeat for more")
    sub.add_argument("--name", default="", help="what the voice is called")
    sub.add_argument("--language", default="", help="the recording's by default")
    sub.add_argument("--visibility", choices=("private", "by link", "public"), default="private")
    sub.add_argument("--go-on", metavar="ENGINE", help="wait for a voice that was begun; nothing is sent anew")
    sub.add_argument("--give-up", metavar="ENGINE", help="a voice that was asked for is not there")
    sub = verb("hear", hearing.hear, "hear a line in a voice: asked for once, then taken from what is kept")
    sub.add_argument("engine")
    sub.add_argument("voice", help="the voice's id")
    sub.add_argument("line", help="the text to speak")
    sub.add_argument("--model", default="")
    sub.add_argument("--plan", default="")
    sub.add_argument("--language", default="")
    sub.add_argument("--again", action="store_true", help="ask anew although the same was asked before")
    sub.add_argument("--to", type=Path, help="WAV file to write")
    sub = verb("say", hearing.say, "speak a text with the built-in voice into a WAV file", project=False)
    sub.add_argument("text")
    sub.add_argument("--voice", default="en", help="such as en, de or fr")
    sub.add_argument("--pace", type=lambda words: round(float(words)), default=160, help="words a minute")
    sub.add_argument("--to", type=Path, required=True, help="WAV file to write")
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    sub = verb("measure", measuring.measure, "measure takes that lack figures")
    sub.add_argument("--slow", action="store_true", help="voice quality, too, at some five times real time")
    sub = verb("measures", measuring.measures, "what is measured of each take, as a table")
    sub.add_argument("--to", type=Path, help="file to write: .csv, .json or .parquet")
    sub.add_argument("--all", action="store_true", help="captured sound, vendors' samples and doubted takes, too")
    sub = verb("where", measuring.where, "a figure over candidates and passages, and which cells are odd")
    sub.add_argument("figure", help="such as speaking_rate, faults or words_wrong")
    sub.add_argument(
        "--by", choices=["passage", "kind", "hard part"], default="passage", help="what stands in a column"
    )
    verb("likeness", measuring.likeness, "how alike takes of a voice are, to each other and to the version before")
    sub = verb("recognisers", measuring.recognisers, "programs and services that listen to takes")
    sub.add_argument("--add", type=Path, help="a file like a connector file, with a part 'hears'")
    sub.add_argument("--remove", metavar="NAME", help="take one off")
    sub.add_argument("--agree", metavar="NAME", help="agree to what it uses on this machine, which is told")
    sub.add_argument("--listen", metavar="NAME", help="have it listen to what it has not heard")
    sub = verb("faults", results.faults, "what machines find wrong in the takes, to the minute and one by one")
    sub.add_argument("--candidate", type=int, help="of one candidate, by its number")
    sub.add_argument("--kind", help="of one kind, such as click")
    sub.add_argument("--real", metavar="TAKE:SECOND", help="say that what is found there is real")
    sub.add_argument("--nothing", metavar="TAKE:SECOND", help="say that nothing is wrong there")
    about = "add ratings from a table, or print the scores; of a table alone, without a project, too"
    sub = verb("ratings", results.ratings, about)
    sub.add_argument(
        "table",
        type=Path,
        nargs="*",
        help="CSV, .xlsx or JSON with listener,passage,candidate,score; or files of answers from packs",
    )
    sub.add_argument(
        "--map", type=Path, help="of a survey form's table: which column is whose; written where it is missing"
    )
    sub = verb("answers", results.answers, "write every listener's answers, or take in those of another copy")
    sub.add_argument("--to", type=Path, help="file to write: .jsonl, whole, to be taken in again, or .csv, a table")
    sub.add_argument("--from", type=Path, dest="take_in", metavar="FILE", help=".jsonl file to take in")
    sub = verb("pack", elsewhere.pack, "a listening test in a file, for a listener elsewhere; alone it lists them")
    sub.add_argument("--test", type=int, help="which test; else the open one")
    sub.add_argument("--listener", action="append", metavar="NAME", help="whose; again for several")
    sub.add_argument("--languages", nargs="+", metavar="TAG", help="that they speak, such as en fr")
    sub.add_argument("--to", type=Path, metavar="FOLDER", help="where the files go; else here")
    sub.add_argument("--lossy", action="store_true", help="smaller files, for slow lines: Opus instead of FLAC")
    sub.add_argument("--withdraw", metavar="CODE", help="its answers are not taken in any more")
    sub.add_argument("--restore", metavar="CODE", help="they are taken in again")
    sub = verb("panel", elsewhere.panel, "a listening test as a small server, with a link for each listener")
    sub.add_argument("--test", type=int, help="which test; else the open one")
    sub.add_argument("--listener", action="append", metavar="NAME", help="whose link is printed; again for several")
    sub.add_argument("--languages", nargs="+", metavar="TAG", help="that they speak, such as en fr")
    sub.add_argument("--address", default="127.0.0.1", help="to listen on; else this machine alone reaches it")
    sub.add_argument("--port", type=int, default=0, help="else a free one")
    sub.add_argument("--public", metavar="URL", help="the address that links begin with, behind a proxy")
    sub.add_argument("--invited", action="store_true", help="and the links of those who have one already")
    sub.add_argument("--until-input-ends", action="store_true", help="it ends with the program that began it")
    sub.add_argument("--behind-proxy", action="store_true", help="a proxy on this machine says who asks")
    sub.add_argument("--completion", metavar="CODE", help="shown to those who have finished")
    sub.add_argument("--lossy", action="store_true", help="smaller clips, for slow lines: Opus instead of FLAC")
    sub.add_argument("--try", action="store_true", dest="try_out", help="and a link of a trial run, that is not kept")
    sub.add_argument("--wording", action="store_true", help="with each link what may be written to the listener")
    sub.add_argument("--enrol", type=int, metavar="MOST", help="one link for all who come of themselves; 0 ends it")
    sub.add_argument("--wanted", nargs="+", metavar="TAG[:N]", help="languages they may speak, and how many of each")
    sub.add_argument("--qr", action="store_true", help="that link as a QR code on the terminal, too")
    sub.add_argument(
        "--notice",
        nargs=3,
        metavar=("WHO", "CONTACT", "DAYS"),
        help="what listeners agree to first: who asks, whom to turn to, how many days they are known",
    )
    sub = verb("listeners", elsewhere.listeners, "who listens, and until when they may be known")
    sub.add_argument("--forget-due", action="store_true", help="leave a number of those whose days are over")
    sub = verb("tests", results.tests, "list listening tests, what they say together, and what to ask next")
    for name, about in (
        ("open-early", "open a covered result; the date is kept"),
        ("close", "nobody begins it any more"),
        ("reopen", "listeners may go on"),
    ):
        sub.add_argument(f"--{name}", type=int, metavar="TEST", help=about)
    sub = verb("preference", plain_tables.preference, "what paired preferences in a table say", project=False)
    sub.add_argument(
        "table", type=Path, help="CSV: first,second,answer with listener and passage, or winner,loser,count"
    )
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    sub = verb("agreement", plain_tables.agreement, "how far listeners agree, from a table of ratings", project=False)
    sub.add_argument("table", type=Path, help="CSV with columns listener,passage,candidate,score")
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    sub = verb(
        "plan-test", plain_tables.plan_test, "what a listening test of a size will be able to tell", project=False
    )
    for name, usual in (("candidates", 6), ("passages", 8), ("listeners", 12)):
        sub.add_argument(f"--{name}", type=int, default=usual, help=f"{usual} by default")
    sub.add_argument(
        "--spread", type=float, nargs=3, metavar=("LISTENERS", "PASSAGES", "REST"),
        help="SDs in categories of leanings to a candidate, and of the rest; usual ones by default",
    )  # fmt: skip
    sub.add_argument("--json", action="store_true", help="print the result as JSON")
    verb("cost", results.cost, "what each candidate costs at the brief's volume, and what the bench has cost so far")
    verb("prices", results.prices, "every plan as it stands, with its date and source, and what it cost before")
    sub = verb("report", results.report, "write the decision record (HTML) and the evidence table (CSV)")
    sub.add_argument("--to", type=Path, help="folder; the project's exports by default")
    sub = verb("catalogue", exchange.catalogue, "write the catalogue of engines, or take one in")
    sub.add_argument("--out", type=Path, help="file to write, .yaml or .json")
    sub.add_argument(
        "--take-in", type=Path, help="catalogue to take in; without --yes only what it would change is shown"
    )
    sub.add_argument("--yes", action="store_true", help="take it over")
    sub = verb("agree", exchange.agree, "see what engines would use on this machine, and agree to it")
    sub.add_argument("engines", nargs="*", metavar="ENGINE", help="names; all of the project by default")
    sub.add_argument("--schedule", action="store_true", help="also let the project's runs begin at their set hours")
    sub.add_argument("--yes", action="store_true", help="agree; without it only what would be used is shown")
    sub.add_argument("--take-back", action="store_true", help="what was agreed to is asked about again")
    sub = verb("check", checking.check, "whether a project is whole; put right what can be")
    sub.add_argument("--repair", action="store_true", help="a new database of all that can be read, in its place")
    sub.add_argument("--from-backup", action="store_true", help="take the copy from before the last migration")
    sub = verb("bug-report", exchange.bug_report, "what to send along with a bug report; it holds no key")
    sub = verb("schemas", exchange.schemas, "write the JSON Schemas of connector files and catalogues", project=False)
    sub.add_argument("folder", type=Path)
    sub = verb("completion", manual.completion, "what a shell reads to complete this command", project=False)
    sub.add_argument("shell", choices=("bash", "zsh", "tcsh"))
    sub.set_defaults(parser=parser)
    sub = verb("man", manual.man, "the manual page, for man", project=False)
    sub.set_defaults(parser=parser)
    sub = verb("demo", _demo, "build the demo project and open it", project=False)
    sub.add_argument("--offscreen", action="store_true", help="open no window")
    sub.add_argument("--shots", type=Path, help="write a PNG of each main view into this folder")
    sub.add_argument("--rebuild", action="store_true", help="build the demo anew")
    sub.add_argument("--build-only", action="store_true", help="build and stop")
    sub.add_argument("--traps", action="store_true", help="candidates that cannot work, each for its own reason")
    return parser


def _demo(options: argparse.Namespace) -> int:
    from zestpanel.demo.opening import open_demo

    return open_demo(
        offscreen=options.offscreen,
        shots=options.shots,
        rebuild=options.rebuild,
        build_only=options.build_only,
        traps=options.traps,
    )
