"""A session in one file: a page with its sound inside, that is opened from a disk or an e-mail with no network."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from zestpanel.core.domain.listening import Invitation, Listener
from zestpanel.core.errors import InputError
from zestpanel.core.listening.elsewhere.copies import Copies
from zestpanel.core.listening.elsewhere.description import DescribedParts, describe
from zestpanel.core.listening.elsewhere.pages import as_page
from zestpanel.core.listening.entry import TURNED_AWAY
from zestpanel.core.listening.session import session_of
from zestpanel.core.own_files import write_whole
from zestpanel.core.store.invitations import new_invitation
from zestpanel.core.texts import tr

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
    session = project.panel.session_of(test_id, listener.id)
    assert session is not None
    if walked.finished or session.checks.get(TURNED_AWAY):
        raise InputError(tr("{alias} has answered all of this test.", alias=listener.alias) if walked.finished else
                         tr("{alias} does not take part in this test.", alias=listener.alias),
                         kept=tr("No pack was written."))  # fmt: skip
    with tempfile.TemporaryDirectory(prefix="zest-") as kept:
        copies = Copies(Path(kept), lossy=lossy)
        pack = new_invitation(session.id, copies.form)
        described = describe(project, project.panel.test(test_id), walked, pack.code, copies)
        size = copies.largest(described.clips.values())
        clips = {code: copies.read(digest, size) for code, digest in described.clips.items()}
    folder.mkdir(parents=True, exist_ok=True)
    data = as_page(described.said, {"secret": pack.secret}, clips, "pack.js").encode("utf-8")
    path = folder / f"listening-{pack.code[:8]}.html"
    write_whole(path, data)
    project.invitations.issue(pack)  # last: those from before go on being taken in until this one is there
    return Written(pack, path, len(described.said.trials), len(data))
