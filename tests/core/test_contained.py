"""Bytes from strangers are taken apart in a process that may die."""

from __future__ import annotations

import io
import os
import signal
import threading
import time
import zipfile
from pathlib import Path

import numpy as np
import psutil
import pytest
import soundfile

from zestpanel.core.audio.files import decode, encode_flac
from zestpanel.core.contained import asking
from zestpanel.core.errors import AudioError, Cancelled, TextError
from zestpanel.core.text.readers.reading import read_script, script_of


def test_a_reader_that_dies_or_hangs_is_one_sentence_and_the_next_file_is_read(monkeypatch: pytest.MonkeyPatch) -> None:
    started: list[asking._Helper] = []
    helper = asking._Helper

    def noted() -> asking._Helper:
        started.append(helper())
        return started[-1]

    asking._end_idle()
    monkeypatch.setattr(asking, "_Helper", noted)

    def killed_soon(with_signal: int) -> None:
        while not started:
            time.sleep(0.001)
        os.kill(started[-1].process.pid, with_signal)

    for with_signal, words in ((signal.SIGSEGV, "brought down the process"), (signal.SIGXCPU, "takes longer to read")):
        started.clear()
        asking._end_idle()
        thread = threading.Thread(target=killed_soon, args=(with_signal,))
        thread.start()
        with pytest.raises(TextError, match=f"odd.docx {words}.*Nothing was imported"):
            script_of(b"PK" + bytes(50_000_000), "odd.docx", ".docx")
        thread.join()
    assert script_of(b"Three degrees.", "a.txt", ".txt").text() == "Three degrees."


def test_reading_is_stopped_when_it_is_no_longer_wanted() -> None:
    began = time.monotonic()
    with pytest.raises(Cancelled):
        script_of(b"<p>" * 20_000_000, "a.html", ".html", lambda: time.monotonic() - began > 0.5)
    assert time.monotonic() - began < 5


def _odt(content: str) -> bytes:
    out = io.BytesIO()
    spaces = ('xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
              'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"')  # fmt: skip
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("content.xml", f"<office:document-content {spaces}><office:body><office:text>{content}"
                                        "</office:text></office:body></office:document-content>")  # fmt: skip
    return out.getvalue()


HEAVY = {
    "a.odt": _odt('<text:p>a<text:s text:c="999999999"/>b</text:p>'),
    "deep.odt": _odt("<text:p>" * 900 + "deep" + "</text:p>" * 900),
    "a.md": b"![" * 400_000 + b"<!--" * 100_000 + b"[^" * 100_000 + b"\n# " + b" #" * 100_000 + b"x\n\nHello",
    "stars.md": b"*a " * 100_000,
    "a.srt": b"1\n00:00:01,000 --> 00:00:02,000\n" + b"<" * 400_000 + b"Hello\n",
    "a.html": b"<div>" * 200 + b"<p>Hello" + b"<br>" * 200_000,
    "a.csv": b"," * 100_000 + b"Hello\n" + b"Hello there\n" * 50_000,
    "a.txt": b"Word" * 500_000,
}


@pytest.mark.parametrize("name", HEAVY)
def test_work_follows_the_size_of_what_is_read(name: str) -> None:
    """Twice the bytes may not take four times as long; here all that would take minutes otherwise."""
    asking._end_idle()
    script_of(b"A word.", "a.txt", ".txt")
    (helper,) = asking._idle
    process = psutil.Process(helper.process.pid)
    before = sum(process.cpu_times()[:2])
    assert script_of(HEAVY[name], name, Path(name).suffix).text()
    assert sum(process.cpu_times()[:2]) - before < 3
    assert process.memory_info().rss < 500e6


def test_sound_without_a_length_is_sound() -> None:
    """A FLAC stream may leave its length at 0, which is 'unknown' (RFC 9639, 8.2)."""
    rng = np.random.default_rng(1)
    wave = (0.1 * rng.standard_normal((24_000, 1))).astype(np.float32)
    out = io.BytesIO()
    soundfile.write(out, wave, 24_000, format="FLAC", subtype="PCM_16")
    data = bytearray(out.getvalue())
    data[21] &= 0xF0
    data[22:26] = bytes(4)
    clip = decode(bytes(data))
    assert clip.samples.shape == wave.shape
    assert np.abs(clip.samples - wave).max() < 1e-4


def test_sound_that_is_none_or_too_much_of_it_is_refused() -> None:
    silence = np.zeros((30_000_000, 3), np.float32)
    out = io.BytesIO()
    soundfile.write(out, silence, 48_000, format="FLAC", subtype="PCM_16")
    assert len(out.getvalue()) < 2_000_000
    with pytest.raises(AudioError, match="longer than 60 million samples"):
        decode(out.getvalue())
    fast = io.BytesIO()
    soundfile.write(fast, silence[:100], 700_000, format="WAV", subtype="PCM_16")
    with pytest.raises(AudioError, match="700,000 samples a second"):
        decode(fast.getvalue())
    with pytest.raises(AudioError, match="cannot be decoded"):
        decode(encode_flac(decode(fast.getvalue().replace((700_000).to_bytes(4, "little"),
                                                          (24_000).to_bytes(4, "little"))))[:60])  # fmt: skip


def test_a_device_is_no_script(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "a.txt")
    (tmp_path / "b.txt").symlink_to("/dev/zero")
    for name in ("a.txt", "b.txt"):
        with pytest.raises(TextError, match="no regular file"):
            read_script(tmp_path / name)
