"""The catalogue of the interface's texts: what the code holds, and what each language has of it.

python -m tests.catalogue     brings the files of all languages up to date with the code, and compiles them
"""

from __future__ import annotations

import ast
import io
import re
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

SOURCE = Path(__file__).resolve().parent.parent / "src" / "zestpanel"
FOLDER = SOURCE / "core" / "texts_of"
TRANSLATED = ("de", "fr")
KEYWORDS = {"tr": None, "asked": None, "trn": (1, 2), "marked": ((1, "c"), 2)}
WORDS = re.compile(r"\b[a-z]{2,}\b")
SENTENCE = re.compile(r"[A-Z][^<>\n]* [^<>\n]* [^<>\n]*[.?!:]$")

Key = tuple[str | None, str | tuple[str, ...]]


def in_the_code() -> Catalog:
    """Every text that is marked in the code."""
    found = Catalog(charset="utf-8")
    for part in ("core", "desk"):
        for _, _, text, _, context in extract_from_dir(SOURCE / part, keywords=KEYWORDS):  # type: ignore[arg-type]
            found.add(text, context=context)
    templates = SOURCE / "core" / "report"
    for _, _, text, _, context in extract_from_dir(templates, [("**.j2", "jinja2")], keywords=KEYWORDS):  # type: ignore[arg-type]
        found.add(text, context=context)
    return found


def of(language: str) -> Catalog:
    with _file(language).open("rb") as file:
        return read_po(file, locale=language)


def compiled(catalogue: Catalog) -> bytes:
    out = io.BytesIO()
    write_mo(out, catalogue)
    return out.getvalue()


def compiled_file(language: str) -> Path:
    return _file(language).with_suffix(".mo")


def _file(language: str) -> Path:
    return FOLDER / language / "LC_MESSAGES" / "zestpanel.po"


def keys(catalogue: Catalog) -> set[Key]:
    return {(m.context, m.id if isinstance(m.id, str) else tuple(m.id)) for m in catalogue if m.id}


def hidden_from_extraction() -> list[str]:
    """Calls within f-strings, which gettext's readers do not look into."""
    out = []
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.JoinedStr):
                out += [f"{path.name}:{c.lineno}" for c in ast.walk(node)
                        if isinstance(c, ast.Call) and getattr(c.func, "id", "") in KEYWORDS]  # fmt: skip
    return out


def said_to_listeners() -> set[str]:
    """What is asked, the answers, and the words of the booth."""
    out: set[str] = set()
    for part, keyword in (("core/listening", "asked"), ("desk/booth", "tr")):
        out |= {text for _, _, text, _, _ in extract_from_dir(SOURCE / part, keywords={keyword: None})
                if isinstance(text, str)}  # fmt: skip
    return out


def unmarked() -> list[str]:
    """Sentences of the core and the desk that are not marked: whole ones, and what errors say of what to do."""
    out = []
    for part in ("core", "desk"):
        for path in sorted((SOURCE / part).rglob("*.py")):
            tree = ast.parse(path.read_text(encoding="utf-8"))
            silent = {id(text) for node in ast.walk(tree) if _no_text_to_read(node) for text in ast.walk(node)}
            advice = {id(keyword.value) for node in ast.walk(tree) if isinstance(node, ast.Call)
                      for keyword in node.keywords if keyword.arg in ("kept", "remedy", "tip")}  # fmt: skip
            for node in ast.walk(tree):
                if id(node) not in silent and isinstance(node, ast.Constant | ast.JoinedStr):
                    text = _literal(node)
                    if (SENTENCE.match(text) and len(WORDS.findall(text)) > 1) or (
                        id(node) in advice and WORDS.search(text)
                    ):
                        out.append(f"{path.name}:{node.lineno}: {text}")
    return out


def _no_text_to_read(node: ast.AST) -> bool:
    """A docstring, a condition that always holds, or a text that is marked."""
    if isinstance(node, ast.Call):
        return getattr(node.func, "id", getattr(node.func, "attr", "")) in KEYWORDS
    return isinstance(node, ast.Assert) or (isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant))


def _literal(node: ast.Constant | ast.JoinedStr) -> str:
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else ""
    return "".join(_literal(one) if isinstance(one, ast.Constant) else "Name" for one in node.values)


def update() -> None:
    code = in_the_code()
    for language in TRANSLATED:
        before = of(language)
        after = Catalog(locale=language, charset="utf-8", fuzzy=False, header_comment="# See docs/languages.md.")
        for message in code:
            if message.id:
                known = before.get(message.id if isinstance(message.id, str) else message.id[0], message.context)
                lacking = "" if isinstance(message.id, str) else ("", "")
                after.add(message.id, known.string if known is not None else lacking, context=message.context)
        after.creation_date = after.revision_date = before.creation_date
        with _file(language).open("wb") as file:
            write_po(file, after, width=110, sort_output=True)
        compiled_file(language).write_bytes(compiled(of(language)))
        empty = [m.id for m in of(language) if m.id and not (m.string if isinstance(m.string, str) else all(m.string))]
        print(f"{language}: {len(after)} texts, {len(empty)} without words", *map(repr, empty), sep="\n  ")


if __name__ == "__main__":
    update()
