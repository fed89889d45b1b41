"""A document against the schema of its standard: where it departs from it first, and how, in a sentence."""

from __future__ import annotations

import re
from functools import cache
from importlib import resources
from typing import Any, Final
from xml.parsers import expat

from lxml import etree

from zestpanel.core.texts import tr

XML: Final = "{http://www.w3.org/XML/1998/namespace}"
XSI: Final = "{http://www.w3.org/2001/XMLSchema-instance}"
MOST_LEVELS: Final = 100
_ATTRIBUTE: Final = re.compile(r"attribute '([^']+)'")
_VALUE: Final = re.compile(r"The value '(.*)' is not|'(.*)' is not a valid value", re.DOTALL)


@cache
def _schema(standard: str) -> Any:
    with resources.as_file(resources.files(__package__)) as folder:
        return etree.XMLSchema(etree.parse(folder / f"{standard}.xsd"))


@cache
def _elements(standard: str) -> frozenset[str]:
    """Names of all elements of a standard."""
    source = (resources.files(__package__) / f"{standard}.xsd").read_bytes()
    return frozenset(re.findall(r'<xs:element name="([^"]+)"', source.decode()))


def departure(source: str, standard: str, namespace: str) -> tuple[int, str] | None:
    """(line, why) of the first place where a document is not as its standard says, None where it is.

    standard: 'ssml-1.1' or 'pls-1.0'. namespace: the standard's own; a document that states none is taken to be of it.
    Nothing is fetched, and no entity is taken.
    """
    data = source.encode("utf-8", "replace")
    if (broken := _not_well_formed(data)) is not None:
        return broken
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, remove_comments=True,
                             remove_pis=True, encoding="utf-8")  # fmt: skip
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:  # what only this reader does not take
        return error.lineno or 1, str(error.msg or tr("it is no markup"))
    for element in root.iter():
        if isinstance(element.tag, str):
            element.tag = element.tag.removeprefix(f"{{{namespace}}}")
    for name in [name for name in root.attrib if name.startswith(XSI)]:
        del root.attrib[name]
    schema = _schema(standard)
    if schema.validate(root):
        return None
    first = schema.error_log[0]
    prefixes = {prefix: uri for element in root.iter() for prefix, uri in element.nsmap.items() if prefix}
    found = root.xpath(first.path, namespaces=prefixes) if first.path else []
    return first.line, _why(first.type_name, first.message, found[0] if found else root, standard)


def _not_well_formed(data: bytes) -> tuple[int, str] | None:
    """What is no markup at all, or more than is taken of it: entities, and elements very deep in one another."""
    reader, deep = expat.ParserCreate("utf-8"), 0  # what is read is text by now, whatever it says of itself

    def opened(*_: object) -> None:
        nonlocal deep
        deep += 1
        if deep > MOST_LEVELS:
            raise _TooMuch(tr("elements stand more than {most_levels} deep in one another", most_levels=MOST_LEVELS))

    def closed(_: str) -> None:
        nonlocal deep
        deep -= 1

    def entity(*_: object) -> None:
        raise _TooMuch(tr("entities are not taken"))

    reader.StartElementHandler, reader.EndElementHandler, reader.EntityDeclHandler = opened, closed, entity
    try:
        reader.Parse(data, True)
    except _TooMuch as error:
        return reader.CurrentLineNumber, str(error)
    except expat.ExpatError as error:
        return error.lineno, _in_words(expat.ErrorString(error.code))
    return None


class _TooMuch(Exception):
    pass


def _in_words(message: str | None) -> str:
    return {
        "mismatched tag": tr("a tag is closed that was not the last one opened"),
        "no element found": tr("the document ends before its tags are closed"),
        "not well-formed (invalid token)": tr("something here is no markup: perhaps a bare < or &"),
        "unclosed token": tr("a tag is not closed"),
        "junk after document element": tr("something stands after the end of the document"),
    }.get(message or "", message or tr("it is no markup"))


def _why(kind: str, message: str, element: Any, standard: str) -> str:
    name, parent = _name(element), element.getparent()
    attribute = _plain(found[1]) if (found := _ATTRIBUTE.search(message)) else ""
    title = standard.replace("-", " ").upper()
    if kind in ("SCHEMAV_ELEMENT_CONTENT", "SCHEMAV_CVC_ELT_1") and name not in _elements(standard):
        return tr("{standard} has no element <{name}>", standard=title, name=name)
    if kind == "SCHEMAV_ELEMENT_CONTENT" and parent is not None:
        return tr("<{name}> may not stand within <{parent}>", name=name, parent=_name(parent))
    if kind == "SCHEMAV_CVC_COMPLEX_TYPE_3_2_1":
        return tr("<{name}> has no attribute '{attribute}'", name=name, attribute=attribute)
    if kind == "SCHEMAV_CVC_COMPLEX_TYPE_4":
        return tr("<{name}> needs the attribute '{required}'", name=name, required=attribute)
    if attribute:
        value = next((part for part in found.groups() if part is not None), "") if (
            found := _VALUE.search(message)) else ""  # fmt: skip
        return tr("'{value}' is no value of the attribute '{attribute}' of <{name}>", value=value[:60],
                  attribute=attribute, name=name)  # fmt: skip
    child = next((one for one in element if isinstance(one.tag, str)), None)
    if child is not None:
        return tr("<{name}> may hold no <{name2}>", name=name, name2=_name(child))
    return tr("<{name}> may hold no text", name=name)


def _name(element: Any) -> str:
    """An element's name as it is written."""
    bare = etree.QName(element).localname
    return f"{element.prefix}:{bare}" if element.prefix and "}" in element.tag else str(bare)


def _plain(name: str) -> str:
    """An attribute's name as it is written: 'xml:lang' for the one with its namespace spelt out."""
    return f"xml:{name.removeprefix(XML)}" if name.startswith(XML) else name
