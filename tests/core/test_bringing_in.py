"""Clips brought in by hand: matched by name or table, packed sound and video read, what was typed kept as typed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from tests.conftest import add_demo_engine, tone
from zestpanel.core.analysis.summary import summaries
from zestpanel.core.audio.files import read, write_wav
from zestpanel.core.catalogue.candidate import short_names
from zestpanel.core.errors import AudioError, InputError, TableError
from zestpanel.core.runs.files.bringing_in import bring_in, from_table, guess, is_sound_file
from zestpanel.core.store.project import Project


@pytest.fixture
def bench(project: Project) -> Project:
    add_demo_engine(project, "tangor")
    tangor = project.shortlist.engines()["Tangor"]
    for voice in ("ilseth", "corwick"):
        project.shortlist.add(tangor, voice=voice)
    project.texts.add(["One.", "Two.", "Three."], language="en-GB", titles=["Frost dates", "Latin names", "Prices"])
    return project


def named(project: Project) -> tuple[object, object, object]:
    candidates = project.shortlist.candidates()
    return candidates, short_names(candidates, project.shortlist.engines()), project.texts.all()


def test_files_are_matched_by_their_names_and_what_is_unclear_stays_open(bench: Project) -> None:
    paths = [Path("x/Ilseth - Frost dates.wav"), Path("Corwick/02.mp3"), Path("x/take 7.wav"), Path("ilseth/corwick 3")]
    found = guess(paths, *named(bench))  # type: ignore[arg-type]
    voice = {c.id: c.voice for c in bench.shortlist.candidates()}
    title = {p.id: p.title for p in bench.texts.all()}
    got = [(voice.get(f.candidate_id or 0), title.get(f.passage_id or 0), f.ready) for f in found]
    assert got == [
        ("ilseth", "Frost dates", True),
        ("corwick", "Latin names", True),
        (None, None, False),
        ("corwick", "Prices", True),  # the longer name, of two that stand there
    ]


def test_a_table_says_where_each_belongs_and_bad_rows_are_named(bench: Project, tmp_path: Path) -> None:
    write_wav(tmp_path / "a.wav", tone(300, -12, 1.0, 16_000))
    table = "file,candidate,passage,wait_s,credits,obtained\na.wav,Corwick,3,4.5,120,captured\n"
    found = from_table(
        table, name="t", folder=tmp_path, **dict(zip(("candidates", "names", "passages"), named(bench), strict=True))
    )  # type: ignore[arg-type]
    take = bring_in(bench.takes, bench.texts, bench.shortlist, found[0])
    assert take.obtained == "captured"
    assert not take.scored
    assert take.brought == {"file": "a.wav", "credits": 120.0, "note": ""}
    assert take.timing is not None
    assert take.timing.typed
    whole = summaries(bench)[take.candidate_id].whole_clip
    assert whole.n == 0, "what was typed is not averaged with the clock"
    for row, words in (("b.wav,Corwick,3,,,", "no file 'b.wav'"), ("a.wav,Nobody,3,,,", "no candidate is 'Nobody'"),
                       ("a.wav,1,Elsewhere,,,", "no passage"), ("a.wav,1,1,soon,,", "are numbers"),
                       ("a.wav,1,1,,,found", "obtained is one of")):  # fmt: skip
        with pytest.raises(TableError, match=f"t, row 2: .*{words}"):
            from_table(table.split("\n")[0] + "\n" + row, name="t", folder=tmp_path,
                       **dict(zip(("candidates", "names", "passages"), named(bench), strict=True)))  # type: ignore[arg-type]  # fmt: skip
    with pytest.raises(InputError, match="no candidate or passage yet"):
        bring_in(bench.takes, bench.texts, bench.shortlist, guess([tmp_path / "a.wav"], *named(bench))[0])  # type: ignore[arg-type]
    assert len(bench.takes.all()) == 1


@pytest.mark.parametrize(("form", "codec"), [("mp4", "aac"), ("matroska", "aac"), ("ogg", "")])
def test_packed_sound_and_the_track_of_a_video_are_read(tmp_path: Path, form: str, codec: str) -> None:
    # reference: FFmpeg's own encoders write what is read here; a pitch must come back as it went in
    import av

    path = tmp_path / "without an extension"
    rate = 48_000
    x = (0.5 * np.sin(2 * np.pi * 440 * np.arange(rate * 2) / rate)).astype(np.float32)
    if form == "ogg":
        soundfile.write(path, x, rate, format="OGG", subtype="OPUS")
    else:
        with av.open(str(path), "w", format=form) as out:
            video = out.add_stream("mpeg4", rate=10)
            video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
            stream = out.add_stream(codec, rate=rate, layout="mono")
            for k in range(20):
                picture = av.VideoFrame.from_ndarray(np.full((48, 64, 3), 9 * k, np.uint8), format="rgb24")
                out.mux(video.encode(picture.reformat(format="yuv420p")))
            out.mux(video.encode(None))
            for k in range(0, len(x) - 1023, 1024):
                frame = av.AudioFrame.from_ndarray(x[None, k : k + 1024], format="fltp", layout="mono")
                frame.sample_rate, frame.pts = rate, k
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
    assert is_sound_file(path)
    clip = read(path)
    assert clip.duration_s == pytest.approx(2.0, abs=0.06)
    middle = clip.mono()[20_000:70_000]
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle))))
    assert np.fft.rfftfreq(len(middle), 1 / clip.rate_hz)[spectrum.argmax()] == pytest.approx(440, abs=2)
    path.write_bytes(path.read_bytes()[:60])
    with pytest.raises(AudioError, match="without an extension"):
        read(path)


def test_what_is_no_sound_is_not_taken_for_it(tmp_path: Path) -> None:
    (tmp_path / "a.wav").write_text("hello")
    assert not is_sound_file(tmp_path / "a.wav")
    assert not is_sound_file(tmp_path / "none.wav")
    with pytest.raises(AudioError, match=r"a\.wav"):
        read(tmp_path / "a.wav")
