"""A session in one file: a page with its sound inside, that is opened from a disk or an e-mail with no network."""

from __future__ import annotations

import base64
import hashlib
import html
import json
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Final

from zestpanel.core.domain.listening import Listener, Pack
from zestpanel.core.errors import InputError
from zestpanel.core.listening.elsewhere import page
from zestpanel.core.listening.elsewhere.copies import Copy
from zestpanel.core.listening.elsewhere.description import Described, DescribedParts, as_data, describe
from zestpanel.core.listening.entry import TURNED_AWAY
from zestpanel.core.listening.session import session_of
from zestpanel.core.own_files import write_whole
from zestpanel.core.store.packs import new_pack
from zestpanel.core.texts import tr

SCRIPTS: Final = ("sign.js", "sound.js", "keep.js", "before.js", "trial.js", "session.js", "pack.js")
EMAIL_BYTES: Final = 20_000_000  # what most mail servers take (common practice, no source)


@dataclass(frozen=True, slots=True)
class Written:
    """path: of the file; trials: how many are in it; bytes: its size."""

    pack: Pack
    path: Path
    trials: int
    bytes: int

    @property
    def too_large_for_mail(self) -> bool:
        return self.bytes > EMAIL_BYTES


def write_pack(
    project: DescribedParts, test_id: int, listener: Listener, folder: Path, *, lossy: bool = False
) -> Written:
    """A listener's session of a test, begun or gone on with, as a file in a folder; packs of it from before are
    withdrawn. Raises as ``start_session``, InputError where nothing is left to answer, OSError."""
    walked = session_of(project, test_id, listener)
    session = next(one for one in project.panel.sessions(test_id) if one.listener_id == listener.id)
    if walked.finished or session.checks.get(TURNED_AWAY):
        raise InputError(tr("{alias} has answered all of this test.", alias=listener.alias) if walked.finished else
                         tr("{alias} does not take part in this test.", alias=listener.alias),
                         kept=tr("No pack was written."))  # fmt: skip
    copy = Copy(lossy)
    pack = new_pack(session.id, copy.form)
    described = describe(project, session, walked, pack, copy)
    folder.mkdir(parents=True, exist_ok=True)
    data = as_page(described, pack).encode("utf-8")
    path = folder / f"listening-{pack.code[:8]}.html"
    write_whole(path, data)
    project.packs.issue(pack)  # last: those from before go on being taken in until this one is there
    return Written(pack, path, len(described.said.trials), len(data))


def as_page(described: Described, pack: Pack) -> str:
    """The whole page. Its policy lets nothing be fetched, sent or run but what stands in it (Content Security Policy,
    level 3: scripts and styles by their digests)."""
    script = "\n".join(["'use strict';", *(_asset(name) for name in SCRIPTS)])
    style = _asset("page.css")
    policy = (f"default-src 'none'; script-src 'sha256-{_sha256(script)}'; style-src 'sha256-{_sha256(style)}'; "
              "media-src blob:; base-uri 'none'; form-action 'none'")  # fmt: skip
    said = described.said
    clips = "\n".join(
        f'<script type="text/plain" id="clip-{code}">{base64.b64encode(data).decode("ascii")}</script>'
        for code, data in described.clips.items()
    )
    return _asset("page.html").format(
        language=html.escape(said.language), policy=html.escape(policy), style=style, script=script, clips=clips,
        title=html.escape(said.words["listening_test"]), no_script=html.escape(said.words["no_script"]),
        session=_in_page({"session": as_data(said), "secret": pack.secret}),
    )  # fmt: skip


def _in_page(value: object) -> str:
    """As JSON that no reader of HTML takes for the end of it."""
    return json.dumps(value, ensure_ascii=False).replace("<", "\\u003c")


def _sha256(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode("utf-8")).digest()).decode("ascii")


def _asset(name: str) -> str:
    return (resources.files(page) / name).read_text("utf-8")
