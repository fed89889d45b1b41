"""Scripts of every kind: what is spoken comes in, what is not is told apart, and hostile files get one sentence."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import docx
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfWriter

from zestpanel.core.errors import TextError
from zestpanel.core.text.readers.dialogue import dialogue_of
from zestpanel.core.text.readers.reading import READABLE, read_script
from zestpanel.core.text.readers.script import Script
from zestpanel.core.text.readers.tables import script_of_rows


def put(folder: Path, name: str, data: bytes | str) -> Path:
    path = folder / name
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return path


def packed(**files: str | bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name.replace("__", "/"), content)
    return out.getvalue()


def kinds(script: Script) -> list[tuple[str, str]]:
    return [(part.kind, part.text) for part in script.parts]


def test_word_documents(tmp_path: Path) -> None:
    # reference: python-docx writes what is read
    document = docx.Document()
    document.add_heading("Frost", 1)
    document.add_paragraph("The last frost falls in May.")
    table = document.add_table(1, 2)
    table.rows[0].cells[0].text, table.rows[0].cells[1].text = "A cell.", "Another."
    document.add_paragraph("Figure 1", style="Caption")
    document.save(str(tmp_path / "a.docx"))
    assert kinds(read_script(tmp_path / "a.docx")) == [
        ("heading", "Frost"), ("paragraph", "The last frost falls in May."), ("paragraph", "A cell."),
        ("paragraph", "Another."), ("caption", "Figure 1")]  # fmt: skip


ODT = """<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:text>
<text:tracked-changes><text:p>Deleted.</text:p></text:tracked-changes>
<text:h>Frost</text:h><text:p>It<text:s text:c="2"/>falls<text:line-break/>in <text:span>May</text:span>.<text:note>
<text:note-body><text:p>A note.</text:p></text:note-body></text:note></text:p></office:text></office:body>
</office:document-content>"""


def test_open_documents(tmp_path: Path) -> None:
    # source: ISO/IEC 26300, text:s, text:line-break, text:note, text:tracked-changes
    path = put(tmp_path, "a.odt", packed(**{"content.xml": ODT}))
    assert kinds(read_script(path)) == [
        ("heading", "Frost"),
        ("paragraph", "It falls in May."),
        ("footnote", "A note."),
    ]


def pdf(*pages: str) -> bytes:
    """A PDF by hand: one text object a page, lines 14 points apart (ISO 32000, 9.4)."""
    objects = ["<< /Type /Catalog /Pages 2 0 R >>", "", "<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>"]
    kids = []
    for page in pages:
        shown = "".join(f"({line}) Tj 0 -14 Td " for line in page.split("\n"))
        stream = f"BT /F1 12 Tf 60 760 Td {shown}ET"
        objects.append(f"<< /Length {len(stream)} >>\nstream\n{stream}\nendstream")
        objects.append("<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Resources << /Font << /F1 3 0 R >> >> "
                       f"/Contents {len(objects)} 0 R >>")  # fmt: skip
        kids.append(f"{len(objects)} 0 R")
    objects[1] = f"<< /Type /Pages /Kids [{' '.join(kids)}] /Count {len(kids)} >>"
    out, places = "%PDF-1.4\n", []
    for number, content in enumerate(objects, 1):
        places.append(len(out))
        out += f"{number} 0 obj\n{content}\nendobj\n"
    table = "".join(f"{place:010d} 00000 n \n" for place in places)
    count = len(objects) + 1
    tail = f"xref\n0 {count}\n0000000000 65535 f \n{table}trailer\n<< /Size {count} /Root 1 0 R >>"
    return f"{out}{tail}\nstartxref\n{len(out)}\n%%EOF".encode("latin-1")


def test_pdfs_lose_page_numbers_running_heads_and_hyphens(tmp_path: Path) -> None:
    page = (
        "Orchard notes\nOf the {0} we know that the last frost of spring falls in the mid-\ndle of May, for {0}.\n{1}"
    )
    path = put(tmp_path, "a.pdf", pdf(*(page.format(what, n) for n, what in enumerate(("crop", "buds", "bees"), 1))))
    script = read_script(path)
    assert script.how == "text layer of 3 pages"
    assert [p.text for p in script.parts if p.kind == "page number"] == ["1", "2", "3"]
    assert script.text().split("\n\n")[0] == (
        "Of the crop we know that the last frost of spring falls in the middle of May, for crop."
    )
    assert "Orchard notes" not in script.text()


def test_web_pages_and_books(tmp_path: Path) -> None:
    page = (
        '<html lang="fr"><head><title>x</title><script>bad()</script></head><body><nav><p>Menu</p></nav><h1>Poires</h1>'
        "<p>La <b>poire</b><br>se garde.</p><figure><figcaption>Une poire</figcaption></figure>"
        '<aside class="footnote"><p>Note.</p></aside><footer><p>Pied</p></footer></body></html>'
    )
    script = read_script(put(tmp_path, "a.html", page))
    assert script.language == "fr"
    assert kinds(script) == [("heading", "Poires"), ("paragraph", "La poire se garde."), ("caption", "Une poire"),
                             ("footnote", "Note."), ("front matter", "Pied")]  # fmt: skip
    # source: EPUB 3 (W3C): container, package document, spine order, the navigation document is not content
    container = ('<container xmlns="urn:oasis:names:tc:opendocument:xmlns:container"><rootfiles>'
                 '<rootfile full-path="OPS/p.opf"/></rootfiles></container>')  # fmt: skip
    opf = ('<package xmlns="http://www.idpf.org/2007/opf"><metadata xmlns:dc="http://purl.org/dc/elements/1.1/">'
           '<dc:language>en</dc:language></metadata><manifest><item id="b" href="two%20b.xhtml" '
           'media-type="application/xhtml+xml"/><item id="a" href="one.xhtml" media-type="application/xhtml+xml"/>'
           '<item id="n" href="nav.xhtml" properties="nav" media-type="application/xhtml+xml"/></manifest><spine>'
           '<itemref idref="n"/><itemref idref="a"/><itemref idref="b"/></spine></package>')  # fmt: skip
    book = packed(**{"META-INF__container.xml": container, "OPS__p.opf": opf, "OPS__one.xhtml": "<p>One.</p>",
                     "OPS__two b.xhtml": "<p>Two.</p>", "OPS__nav.xhtml": "<p>Contents</p>"})  # fmt: skip
    script = read_script(put(tmp_path, "b.epub", book))
    assert (script.language, script.text()) == ("en", "One.\n\nTwo.")


def test_subtitles_keep_their_times_and_voices(tmp_path: Path) -> None:
    # source: WebVTT (W3C), voice spans and cue times; SubRip's comma
    vtt = "WEBVTT\n\n00:01.000 --> 00:02.500\n<v Marge>Will it <i>fruit</i>?\n\n"
    vtt += "00:00:03.000 --> 00:00:04.000\nNot this year.\n"
    parts = read_script(put(tmp_path, "a.vtt", vtt)).parts
    assert [(p.speaker, p.text, p.start_s, p.end_s) for p in parts] == [
        ("Marge", "Will it fruit?", 1.0, 2.5), ("", "Not this year.", 3.0, 4.0)]  # fmt: skip
    srt = "1\n00:00:01,250 --> 00:00:02,000\nLa poire\nse garde.\n\n2\n00:00:02,500 --> 00:00:03,000\n{\\an8}Oui.\n"
    parts = read_script(put(tmp_path, "a.srt", srt)).parts
    assert [(p.text, p.start_s) for p in parts] == [("La poire se garde.", 1.25), ("Oui.", 2.5)]


def test_tables_find_their_text_and_take_another_column(tmp_path: Path) -> None:
    script = read_script(put(tmp_path, "a.csv", "id;speaker;text\n1;Ann;Hello there.\n2;Bob;Hello, you.\n"))
    assert [(p.speaker, p.text) for p in script.parts] == [("Ann", "Hello there."), ("Bob", "Hello, you.")]
    other = script_of_rows([list(row) for row in script.table], "a.csv", column=1)
    assert other.text() == "Ann\n\nBob"
    book = openpyxl.Workbook()
    book.active.append([1, "A long line of narration, the wordiest column."])
    book.active.append([2, "Another long line of it."])
    book.save(tmp_path / "a.xlsx")
    assert read_script(tmp_path / "a.xlsx").text().startswith("A long line of narration")


def test_dialogues_are_told_from_prose(tmp_path: Path) -> None:
    script = read_script(
        put(tmp_path, "a.txt", "MARGE: Will it fruit?\nOLD TOM (off): Not this year.\nMARGE: And next?\n")
    )
    assert [(p.speaker, p.text) for p in script.parts] == [
        ("Marge", "Will it fruit?"), ("Old Tom", "Not this year."), ("Marge", "And next?")]  # fmt: skip
    play = "INT. BARN\n\nMARGE\n(quietly)\nWill it fruit?\n\nTOM\nNot this year.\n\nShe leaves."
    script = read_script(put(tmp_path, "b.fountain", play))
    assert [(p.kind, p.speaker) for p in script.parts] == [
        ("heading", ""), ("direction", "Marge"), ("paragraph", "Marge"), ("paragraph", "Tom"),
        ("direction", "")]  # fmt: skip
    assert dialogue_of(["At 10:30 it rained: hard.", "Note: this is prose.", "So it is, and no more."]) is None


def test_markdown_tells_its_parts_apart(tmp_path: Path) -> None:
    text = "---\ntitle: x\n---\n# Frost\n\nIt falls[^1] in *May*.\n\n```\ncode: here\n```\n\n[^1]: On average.\n"
    assert kinds(read_script(put(tmp_path, "a.md", text))) == [
        ("front matter", "title: x"), ("heading", "Frost"), ("paragraph", "It falls in May."),
        ("footnote", "On average.")]  # fmt: skip


def locked_pdf() -> bytes:
    writer = PdfWriter()
    writer.add_blank_page(100, 100)
    writer.encrypt("secret", algorithm="RC4-128")
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def blank_pdf() -> bytes:
    writer = PdfWriter()
    writer.add_blank_page(100, 100)
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


BOMB = ('<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;">]>'
        "<x>&c;</x>")  # fmt: skip
HOSTILE = [
    ("a.pdf", locked_pdf(), "locked with a password"),
    ("a.pdf", blank_pdf(), "no text layer: its pages are pictures"),
    ("a.pdf", b"%PDF-1.7 nothing", "no PDF, or a damaged one"),
    ("a.docx", b"PK\x03\x04 nothing", "damaged: it cannot be unpacked"),
    ("a.docx", packed(**{"x.txt": "no document"}), "no Word document, or a damaged one"),
    ("a.odt", packed(**{"content.xml": BOMB}), "expands itself"),
    ("a.odt", packed(**{"content.xml": "<x"}), "XML cannot be read"),
    ("a.odt", packed(**{"..__..__evil": "x", "content.xml": "<x/>"}), "point outside"),
    ("a.odt", packed(**{"content.xml": bytes(400_000_000)}), "unpack to more than 300 MB"),
    ("a.epub", packed(**{"META-INF__encryption.xml": "<x/>"}), "locked by its seller"),
    ("a.epub", packed(mimetype="application/epub+zip"), "is missing in it"),
    ("a.xlsx", packed(x="y"), "no spreadsheet, or a damaged one"),
    ("a.srt", b"just words", "no captions|no subtitles"),
    ("a.vtt", b"WEBVTT\n\n", "no captions|no subtitles"),
    ("a.csv", b"\n\n", "holds no row"),
    ("a.html", b"<html><script>x</script></html>", "holds no words"),
]


@pytest.mark.parametrize(("name", "data", "words"), HOSTILE)
def test_bad_locked_and_hostile_files_get_one_sentence(tmp_path: Path, name: str, data: bytes, words: str) -> None:
    with pytest.raises(TextError, match=words) as caught:
        read_script(put(tmp_path, name, data))
    assert str(caught.value).startswith("a.")
    assert "Nothing was imported." in str(caught.value)


@given(st.sampled_from(READABLE), st.binary(max_size=300))
def test_any_bytes_are_read_or_refused(tmp_path_factory: pytest.TempPathFactory, suffix: str, data: bytes) -> None:
    path = put(tmp_path_factory.getbasetemp(), f"any{suffix}", data)
    try:
        script = read_script(path)
    except TextError as error:
        words = str(error)
    else:
        words = script.text() or "".join(p.text for p in script.parts)
    assert words


def test_a_long_book_comes_in_quickly(tmp_path: Path) -> None:
    sentence = "When the wind turned to the north, nobody in the village spoke of apples until Lent. "
    text = "\n\n".join(sentence * 5 for _ in range(2_400))
    assert len(text) > 1_000_000
    script = read_script(put(tmp_path, "book.txt", text))
    assert len(script.parts) == 2_400


def test_a_page_from_a_web_address_and_what_can_go_wrong(tmp_path: Path) -> None:
    """Over real HTTP on the loopback: a page, a redirect to it, a missing one, a picture, nobody there."""
    import threading
    from http.server import BaseHTTPRequestHandler, HTTPServer

    from zestpanel.core.text.readers.address import read_address

    class Answers(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            status = {"/old": 301, "/gone": 404}.get(self.path, 200)
            self.send_response(status)
            self.send_header("Content-Type", "image/png" if self.path == "/picture" else "text/html; charset=utf-8")
            if status == 301:
                self.send_header("Location", "/frost")
            self.end_headers()
            self.wfile.write("<html lang='en'><nav>Menu</nav><p>The frost fell, à point.</p></html>".encode())

        def log_message(self, *_: object) -> None:
            pass

    server = HTTPServer(("127.0.0.1", 0), Answers)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_port}"
    try:
        for path in ("/frost", "/old"):
            script = read_address(address + path)
            assert (script.text(), script.language) == ("The frost fell, à point.", "en")
        for path, why in (("/gone", "answered 404"), ("/picture", "'image/png', which is no text")):
            with pytest.raises(TextError, match=why):
                read_address(address + path)
    finally:
        server.shutdown()
        server.server_close()
    with pytest.raises(TextError, match="could not be reached"):
        read_address(address + "/frost", timeout_s=2)
    with pytest.raises(TextError, match="is no web address"):
        read_address("file:///etc/hosts")
