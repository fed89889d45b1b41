"""A pasted HTTP call taken apart: method, address, headers and body, and where text, voice and key stand in them."""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise
from typing import Any, Final
from urllib.parse import parse_qsl, quote, unquote, urlencode, urlsplit, urlunsplit

from zestpanel.core.catalogue.key_looks import looks_like_key
from zestpanel.core.connectors.wizard.draft import Draft, words_of
from zestpanel.core.connectors.wizard.keys import PLACE, FoundKey, without_key
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

_PLACES: Final = {  # names under which services expect things, and the place that fills them
    "text": ("text", "input", "content", "ssml", "prompt", "sentence", "message", "transcript", "q"),
    "voice": ("voice", "voice_id", "voiceid", "voicename", "speaker", "speaker_id", "speakerid", "voice_name"),
    "model": ("model", "model_id", "modelid", "engine", "model_name"),
    "language": ("language", "language_code", "languagecode", "lang", "locale"),
    "seed": ("seed",),
}


def read_call(text: str) -> Draft:  # noqa: C901, PLR0912 one case an option
    """A call with the options that command-line HTTP clients share."""
    words = words_of(text)[1:]
    method, address = "", ""
    headers: dict[str, str] = {}
    data: list[str] = []
    form: list[str] = []
    as_json = as_query = False
    takes_value = {"-o", "--output", "-A", "--user-agent", "-m", "--max-time", "-b", "--cookie", "-x",
                   "--proxy", "--cacert", "-e", "--referer", "-w", "--write-out"}  # fmt: skip
    i = 0
    while i < len(words):
        word = words[i]
        name, joined, value = word.partition("=") if word.startswith("--") else (word, "", "")
        if re.match(r"^-[XHdF].", word):
            name, joined, value = word[:2], "=", word[2:]

        def following(given: str = value, has: str = joined) -> str:
            nonlocal i
            if has:
                return given
            i += 1
            return words[i] if i < len(words) else ""

        if name in ("-X", "--request"):
            method = following().upper()
        elif name in ("-H", "--header"):
            head, _, rest = following().partition(":")
            headers[head.strip()] = rest.strip()
        elif name in ("-d", "--data", "--data-raw", "--data-binary", "--data-ascii", "--body-data", "--post-data"):
            data.append(following())
        elif name == "--json":
            data.append(following())
            as_json = True
        elif name in ("-F", "--form", "--data-urlencode"):
            form.append(following())
        elif name == "--url":
            address = following()
        elif name in ("-u", "--user"):
            headers["Authorization"] = basic(following())
        elif name == "--oauth2-bearer":
            headers["Authorization"] = f"Bearer {following()}"
        elif name in ("-G", "--get"):
            as_query = True
        elif name in takes_value:
            following()
        elif word in (">", "|"):
            break  # what a shell does with the reply
        elif not word.startswith("-") and not address:
            address = word
        i += 1
    if not address:
        raise InputError(tr("The call names no address."), remedy=tr("Paste it whole, with its https:// address."))
    for part in (*data, *form):
        if found := re.match(r"(?:[^=@]*=)?@(\S+)", part):
            raise InputError(
                tr("The call sends the file '{found}', and what stands in it is not known.", found=found[1][:60]),
                remedy=tr("Paste the call with the contents of the file in its place."),
            )
    if as_query and (data or form):
        address += ("&" if "?" in address else "?") + "&".join(_in_query(part) for part in (*data, *form))
        data, form, method = [], [], method or "GET"
    body: Any = None
    body_as = "json"
    if form:
        body, body_as = dict(part.split("=", 1) for part in form if "=" in part), "multipart"
        if "--data-urlencode" in text:
            body_as = "form"
    elif data:
        body, body_as = _body("&".join(data), headers, as_json=as_json)
    method = method if method in ("GET", "PUT", "POST") else ("POST" if body is not None else "GET")
    return with_places(Draft(kind="http", method=method, address=address, headers=headers, body=body, body_as=body_as))


def _in_query(part: str) -> str:
    """'name=a value' as it stands in an address."""
    name, _, value = part.partition("=")
    return f"{name}={quote(unquote(value), safe='')}"


_ITEM: Final = re.compile(r"([A-Za-z0-9_.\[\]-]+)(:=|==|=|:)(.*)", re.DOTALL)


def read_items(text: str) -> Draft:
    """A call in the notation of items: METHOD address Header:value name=value name:=json name==query."""
    words = words_of(text)[1:]
    as_form = any(word in ("-f", "--form") for word in words)
    method = address = ""
    headers: dict[str, str] = {}
    query: dict[str, str] = {}
    body: dict[str, Any] = {}
    for word in words:
        item = _ITEM.fullmatch(word)
        if word in (">", "|"):
            break
        if word.startswith("-"):
            continue
        if not method and not address and word.isupper() and word.isalpha():
            method = word
        elif not address:
            address = word if "://" in word else f"http://{'localhost' if word.startswith(':') else ''}{word}"
        elif item is None:
            raise InputError(
                tr("'{word}' in the call is not understood.", word=word[:60]),
                remedy=tr("Write items like Header:value, name=value, name:=1 or name==value."),
            )
        elif item[2] == ":":
            headers[item[1]] = item[3].strip()
        elif item[2] == "==":
            query[item[1]] = item[3]
        elif item[2] == ":=":
            try:
                body[item[1]] = json.loads(item[3])
            except (ValueError, RecursionError) as error:
                raise InputError(tr("'{word}' holds no JSON behind ':='.", word=word[:60])) from error
        else:
            body[item[1]] = item[3]
    if not address:
        raise InputError(tr("The call names no address."), remedy=tr("Paste it whole, with its https:// address."))
    if query:
        address += ("&" if "?" in address else "?") + urlencode(query)
    method = method if method in ("GET", "PUT", "POST") else ("POST" if body else "GET")
    return with_places(Draft(kind="http", method=method, address=address, headers=headers, body=body or None,
                             body_as="form" if as_form and body else "json"))  # fmt: skip


def read_raw_request(text: str) -> Draft:
    head, _, body_text = text.replace("\r\n", "\n").partition("\n\n")
    first, *rest = head.split("\n")
    method, target, *_ = first.split()
    headers = {name.strip(): value.strip() for name, _, value in (line.partition(":") for line in rest) if name}
    host = next((headers.pop(name) for name in list(headers) if name.lower() == "host"), "")
    address = target if target.startswith("http") else f"https://{host}{target}"
    if not host and not target.startswith("http"):
        raise InputError(tr("The request names no host."), remedy=tr("Paste it with its Host line."))
    body, body_as = _body(body_text.strip(), headers) if body_text.strip() else (None, "json")
    return with_places(Draft(kind="http", method=method, address=address, headers=headers, body=body, body_as=body_as))


def _body(text: str, headers: Mapping[str, str], *, as_json: bool = False) -> tuple[Any, str]:
    kind = next((value for name, value in headers.items() if name.lower() == "content-type"), "")
    try:
        tree = json.loads(text)
        if isinstance(tree, dict | list):
            return tree, "json"
    except (ValueError, RecursionError):
        if as_json or "json" in kind:
            raise InputError(
                tr("The body is called JSON and is none."), remedy=tr("Check the quotation marks of the example.")
            ) from None
    if "=" in text and ("form" in kind or not kind) and not text.lstrip().startswith("<"):
        return dict(parse_qsl(text, keep_blank_values=True)), "form"
    return text, "plain"


def with_places(draft: Draft) -> Draft:
    """Put places where text, voice, model, language and key stand."""
    understood: list[str] = []
    found: dict[str, str] = {}
    try:
        json.dumps([draft.address, dict(draft.headers), draft.body], ensure_ascii=False).encode("utf-8")
    except UnicodeEncodeError as error:
        raise InputError(
            tr("The call holds half of a sign that is written in two (\\ud800 to \\udfff)."),
            remedy=tr("Paste it again as the documentation shows it."),
        ) from error
    try:
        parts = urlsplit(draft.address)
        host_name, port = parts.hostname or "", parts.port
    except ValueError as error:
        raise InputError(
            tr("'{address}' is no address.", address=draft.address[:80]), remedy=tr("Paste it whole.")
        ) from error
    query = dict(parse_qsl(parts.query, keep_blank_values=True))
    key = FoundKey()
    # lengths and connection headers belong to the one call that was pasted
    skip = ("content-length", "connection", "accept-encoding", "content-type", "cookie")
    headers = {name: value for name, value in draft.headers.items() if name.lower() not in skip}
    if any(name.lower() == "cookie" for name in draft.headers):
        understood.append(tr("The cookie was left out: it is of a browser's visit and does not last."))
    if parts.username or parts.password:
        headers["Authorization"] = basic(f"{parts.username or ''}:{parts.password or ''}")
    host = (host_name or "service").split(".")
    name_of_key = "service" if host[-1].isdigit() else host[-2] if len(host) > 1 else host[0]
    headers = {
        name: key.take(name, value, tr("header '{name}'", name=name), header=True) for name, value in headers.items()
    }
    body = _body_places(draft.body, found)
    for name, value in list(query.items()):
        place = _place_for(name, value, found)
        if place:
            query[name] = place
    query = {name: key.take(name, value, tr("query '{name}'", name=name)) for name, value in query.items()}
    body = key.out_of(body, "body")
    path = parts.path
    if "voice" not in found:
        segments = path.split("/")
        for before, segment in pairwise(segments):
            if before.lower().rstrip("s") in ("voice", "speaker") and segment:
                found["voice"] = segment
                path = path.replace(f"/{segment}", "/{voice}", 1)
                break
    path = "/".join(_segment(segment, key) for segment in path.split("/"))
    labels = host_name.split(".")
    if len(labels) > 2 and looks_like_key(labels[0]):
        raise InputError(
            tr("The host's first name looks like a key, and an address is no place for one: whoever gets the file "
               "would have it."), kept=tr("Nothing was kept of it."),
            remedy=tr("If it is only a name, write the file by hand; else ask the service for a header instead."),
        )  # fmt: skip
    secret = (re.sub(r"\W+", "-", name_of_key).strip("-") or "service") if key.value else ""
    if key.value:
        headers, query, body = (without_key(part, key.value) for part in (headers, query, body))
        path = path.replace(key.value, PLACE) if len(key.value) >= 4 else path
        understood.append(
            tr(
                "The key goes in the {where}. It is kept as '{secret}', not in the file.",
                where=key.where,
                secret=secret,
            )
        )
    if "text" not in found and isinstance(body, str) and draft.body_as == "plain":
        wrapped = _SPEAK.fullmatch(body)
        found["text"] = wrapped[2].strip() if wrapped else body
        body = f"{wrapped[1]}{{text}}{wrapped[3]}" if wrapped else "{text}"
    if "<speak" in json.dumps(body):
        understood.append(tr("The text is marked (SSML): its frame is kept, and marks are written within it."))
    for place, value in found.items():
        understood.append(f"{place}: {value[:60]}")
    if "text" not in found:
        understood.append(tr("No text was found in the call: put {text} where it belongs."))
    return replace(
        draft,
        address=urlunsplit((parts.scheme, _netloc(host_name, port), path, "", "")),
        headers=headers,
        query=query,
        body=body,
        secret=secret,
        key=key.value,
        text=found.get("text", ""),
        voice=found.get("voice", ""),
        model=found.get("model", ""),
        language=found.get("language", ""),
        understood=tuple(understood),
    )


def _segment(segment: str, key: FoundKey) -> str:
    """A part of a path with its parameters: 'say;key=…' (RFC 3986, section 3.3)."""
    whole, *parameters = segment.split(";")
    out = [key.take("", whole, "path")]
    for one in parameters:
        name, joined, value = one.partition("=")
        out.append(f"{name}={key.take(name, value, 'path')}" if joined else one)
    return ";".join(out)


def basic(user_and_word: str) -> str:
    """An Authorization header of user and password (RFC 7617)."""
    return f"Basic {base64.b64encode(user_and_word.encode()).decode()}"


def _netloc(host: str, port: int | None) -> str:
    shown = f"[{host}]" if ":" in host else host
    return shown if port is None else f"{shown}:{port}"


def _place_for(name: str, value: Any, found: dict[str, str]) -> str:
    """'{text}' and the like when the name says so and the place is not taken yet."""
    for place, names in _PLACES.items():
        if name.lower().replace("-", "_") in names and place not in found and isinstance(value, str | int):
            if place == "text" and (wrapped := _SPEAK.fullmatch(str(value))):
                found["text"] = wrapped[2].strip()
                return f"{wrapped[1]}{{text}}{wrapped[3]}"
            found[place] = str(value)
            as_number = place == "voice" and isinstance(value, int)
            as_locale = place == "language" and "_" in str(value)
            return "{voice_number}" if as_number else "{locale}" if as_locale else "{" + place + "}"
    return ""


# what stands around a text that is marked: kept, the text within it is the place (SSML 1.1, section 3.1.1)
_SPEAK: Final = re.compile(r"(\s*<speak[^>]*>(?:\s*<voice[^>]*>)?)(.*?)((?:</voice>\s*)?</speak>\s*)", re.DOTALL)


def _body_places(tree: Any, found: dict[str, str]) -> Any:
    """A body with places; where no name tells of the text, the longest string with spaces is taken for it."""
    out = _named_places(tree, found)
    if "text" not in found:
        longest = max((s for s in _strings(out) if " " in s and "{" not in s), key=len, default="")
        if longest:
            found["text"] = longest
            out = _replaced(out, longest, "{text}")
    return out


def _named_places(tree: Any, found: dict[str, str]) -> Any:
    if isinstance(tree, dict):
        return {
            name: _place_for(name, value, found) or _named_places(value, found)
            if not isinstance(value, dict | list)
            else _named_nested(name, value, found)
            for name, value in tree.items()
        }
    if isinstance(tree, list):
        return [_named_places(value, found) for value in tree]
    return tree


def _named_nested(name: str, value: Any, found: dict[str, str]) -> Any:
    """{"voice": {"name": ...}}: a place inside a part that bears its name."""
    if isinstance(value, dict):
        for place, names in _PLACES.items():
            if name.lower() in names and place not in found:
                for inner in ("name", "id"):
                    if isinstance(value.get(inner), str):
                        found[place] = value[inner]
                        rest = {k: v for k, v in value.items() if k != inner}
                        return {inner: "{" + place + "}", **_named_places(rest, found)}
    return _named_places(value, found)


def _strings(tree: Any) -> list[str]:
    if isinstance(tree, str):
        return [tree]
    inner = tree.values() if isinstance(tree, dict) else tree if isinstance(tree, list) else []
    return [text for value in inner for text in _strings(value)]


def _replaced(tree: Any, old: str, new: str) -> Any:
    if isinstance(tree, dict):
        return {name: _replaced(value, old, new) for name, value in tree.items()}
    if isinstance(tree, list):
        return [_replaced(value, old, new) for value in tree]
    return new if tree == old else tree
