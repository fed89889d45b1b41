"""A session in one file: a page with its sound inside, that is opened from a disk or an e-mail with no network."""

from __future__ import annotations

import base64
import hashlib
import html
import json
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Final

from zestpanel.core.domain.listening import Invitation, Listener
from zestpanel.core.errors import InputError
from zestpanel.core.listening.elsewhere import page
from zestpanel.core.listening.elsewhere.copies import Copies
from zestpanel.core.listening.elsewhere.description import DescribedParts, Description, as_data, describe
from zestpanel.core.listening.entry import TURNED_AWAY
from zestpanel.core.listening.session import session_of
from zestpanel.core.own_files import write_whole
from zestpanel.core.store.invitations import new_invitation
from zestpanel.core.texts import tr

SCRIPTS: Final = ("sign.js", "sound.js", "keep.js", "before.js", "trial.js", "session.js")
EMAIL_BYTES: Final = 20_000_000  # what most mail servers take (common practice, no source)


@dataclass(frozen=True, slots=True)
class Written:
    """path: of the file; trials: how many are in it; bytes: its size."""

    pack: Invitation
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
    with tempfile.TemporaryDirectory(prefix="zest-") as kept:
        copies = Copies(Path(kept), lossy=lossy)
        pack = new_invitation(session.id, copies.form)
        described = describe(project, session, walked, pack.code, copies)
        size = copies.largest(described.clips.values())
        clips = {code: copies.read(digest, size) for code, digest in described.clips.items()}
    folder.mkdir(parents=True, exist_ok=True)
    data = as_page(described.said, {"secret": pack.secret}, clips, "pack.js").encode("utf-8")
    path = folder / f"listening-{pack.code[:8]}.html"
    write_whole(path, data)
    project.invitations.issue(pack)  # last: those from before go on being taken in until this one is there
    return Written(pack, path, len(described.said.trials), len(data))


def as_page(said: Description, more: Mapping[str, str], clips: Mapping[str, bytes], main: str) -> str:
    """The whole page. Its policy lets nothing be fetched, sent or run but what stands in it, or comes from where it
    came from (Content Security Policy, level 3: scripts and styles by their digests). main: the script that begins."""
    script = "\n".join(["'use strict';", *(_asset(name) for name in (*SCRIPTS, main))])
    style = _asset("page.css")
    back = "" if clips else "connect-src 'self'; "
    policy = (f"default-src 'none'; script-src 'sha256-{_sha256(script)}'; style-src 'sha256-{_sha256(style)}'; "
              f"{back}base-uri 'none'; form-action 'none'")  # fmt: skip
    inside = "\n".join(
        f'<script type="text/plain" id="clip-{code}">{base64.b64encode(data).decode("ascii")}</script>'
        for code, data in clips.items()
    )
    return _asset("page.html").format(
        language=html.escape(said.language), policy=html.escape(policy), style=style, script=script, clips=inside,
        title=html.escape(said.words["listening_test"]), no_script=html.escape(said.words["no_script"]),
        session=_in_page({"session": as_data(said), **more}),
    )  # fmt: skip


def _in_page(value: object) -> str:
    """As JSON that no reader of HTML takes for the end of it."""
    return json.dumps(value, ensure_ascii=False).replace("<", "\\u003c")


def _sha256(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode("utf-8")).digest()).decode("ascii")


def _asset(name: str) -> str:
    return (resources.files(page) / name).read_text("utf-8")
