"""A sound that comes in an archive: the one in it is taken."""

from __future__ import annotations

import io
import zipfile
import zlib
from typing import Final

from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.errors import SynthesisFailure
from zestpanel.core.texts import tr

_MOST_BYTES: Final = 200_000_000
_MOST_FILES: Final = 1000


def out_of_archive(data: bytes) -> bytes:
    """The sound in a zip archive; any other bytes as they are. Raises SynthesisFailure for none in it, or several."""
    if not data.startswith(b"PK\x03\x04"):
        return data
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            files = archive.infolist()[:_MOST_FILES]
            sounds = []
            for one in files:
                with archive.open(one) as file:
                    if kind_of_sound(file.read(512)) is not None:
                        sounds.append(one)
            if len(sounds) != 1:
                names = ", ".join(one.filename[:60] for one in files[:3])
                raise SynthesisFailure(
                    "wrong content",
                    tr("The zip archive holds {n} sound files, where one is expected: {names}.", n=len(sounds),
                       names=names),
                )  # fmt: skip
            with archive.open(sounds[0]) as file:
                found = file.read(_MOST_BYTES + 1)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise SynthesisFailure(
            "broken sound", tr("The zip archive cannot be unpacked ({error}).", error=error)
        ) from error
    if len(found) > _MOST_BYTES:
        raise SynthesisFailure("wrong content", tr("The sound in the zip archive is beyond all reason."))
    return found
