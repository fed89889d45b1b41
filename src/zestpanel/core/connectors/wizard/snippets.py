"""Calls in other notations than a command line: Python, scripts of browsers, PowerShell, the browser's log of requests
(HAR 1.2) and lists of requests as JSON. They are read as data and never run; what a snippet computes is asked for."""

from __future__ import annotations

import ast
import json
import re
from collections.abc import Iterator, Mapping
from typing import Any, Final
from urllib.parse import urlencode

from zestpanel.core.connectors.wizard.draft import Draft
from zestpanel.core.errors import InputError
from zestpanel.core.texts import tr

_METHODS: Final = ("get", "post", "put", "request", "stream")
_MOST_DEEP: Final = 60
Call = tuple[str, str, dict[str, str], Any, str]  # method, address, headers, body, as what


def snippet(text: str) -> Draft | None:
    """A draft without its places, None for what is in none of these notations. Raises InputError."""
    for read in (_of_json, _of_powershell, _of_fetch, _of_python):
        call = read(text)
        if call is not None:
            method, address, headers, body, body_as = call
            if not re.match(r"https?://", address):
                raise InputError(
                    tr("The call names no address."), remedy=tr("Paste it whole, with its https:// address.")
                )
            method = method.upper() if method.upper() in ("GET", "PUT", "POST") else "GET" if body is None else "POST"
            return Draft(kind="http", method=method, address=address, headers=headers, body=body, body_as=body_as)
    return None


def _computed(what: str) -> InputError:
    return InputError(
        tr("'{what}' is worked out by the snippet, and snippets are not run.", what=" ".join(what.split())[:60]),
        kept=tr("Nothing was kept of it."), remedy=tr("Write the value in its place, then paste it again."),
    )  # fmt: skip


def _text_of(value: Any, what: str) -> str:
    if isinstance(value, str):
        return value
    raise _computed(what)


def _headers(value: Any) -> dict[str, str]:
    return {str(k): str(v) for k, v in value.items()} if isinstance(value, Mapping) else {}


# -- Python


def _of_python(text: str) -> Call | None:
    if not re.search(r"\b(requests|httpx|session|client|aiohttp)\b[\w.()]*\.(get|post|put|request|stream)\s*\(", text):
        return None
    try:
        tree = ast.parse(text)
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        raise InputError(
            tr("The Python in it cannot be read ({error}).", error=type(error).__name__),
            remedy=tr("Paste it from its first line to its last."),
        ) from error
    known: dict[str, Any] = {}
    for node in ast.walk(tree):
        if isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name):
            known[node.targets[0].id] = node.value
    calls = [n for n in ast.walk(tree) if isinstance(n, ast.Call) and isinstance(n.func, ast.Attribute)
             and n.func.attr in _METHODS and (n.args or n.keywords)]  # fmt: skip
    for call in sorted(calls, key=lambda one: one.func.attr == "get"):  # type: ignore[attr-defined]
        found = _python_call(call, known)
        if found is not None:
            return found
    return None


def _python_call(call: ast.Call, known: Mapping[str, Any]) -> Call | None:
    assert isinstance(call.func, ast.Attribute)
    method, arguments = call.func.attr, list(call.args)
    given = {k.arg: k.value for k in call.keywords if k.arg}
    if method in ("request", "stream"):
        first = arguments.pop(0) if arguments else given.get("method")
        method = str(_python(first, known)) if first is not None else "GET"
    where = arguments[0] if arguments else given.get("url")
    if where is None:
        return None
    address = _python(where, known)
    if not isinstance(address, str) or "://" not in address:
        return None
    headers = _headers(_python(given["headers"], known)) if "headers" in given else {}
    if "params" in given and isinstance(query := _python(given["params"], known), dict):
        address += ("&" if "?" in address else "?") + urlencode(query)
    if "auth" in given and isinstance(pair := _python(given["auth"], known), list) and len(pair) == 2:
        address = address.replace("://", f"://{pair[0]}:{pair[1]}@", 1)
    for name, body_as in (("json", "json"), ("data", "form"), ("content", "plain"), ("files", "multipart")):
        if name in given:
            body = _python(given[name], known)
            if isinstance(body, str):
                try:
                    body, body_as = json.loads(body), "json"
                except (ValueError, RecursionError):
                    body_as = "plain"
            return method, address, headers, body, body_as
    return method, address, headers, None, "json"


def _python(node: Any, known: Mapping[str, Any], deep: int = 0) -> Any:
    """The value of an expression that is one as it stands: constants, names given before, what is read from the
    environment by its name. Raises InputError for anything else."""
    if deep > _MOST_DEEP:
        raise _computed("…")

    def inner(one: Any) -> Any:
        return _python(one, known, deep + 1)

    match node:
        case ast.Constant(value=value):
            return value
        case ast.Dict(keys=keys, values=values):
            return {str(inner(k)): inner(v) for k, v in zip(keys, values, strict=True) if k is not None}
        case ast.List(elts=elements) | ast.Tuple(elts=elements):
            return [inner(one) for one in elements]
        case ast.Name(id=name):
            return inner(known[name]) if name in known else f"${{{name}}}"
        case ast.JoinedStr(values=values):
            return "".join(
                str(inner(one.value) if isinstance(one, ast.FormattedValue) else inner(one)) for one in values
            )
        case ast.BinOp(left=left, op=ast.Add(), right=right):
            return f"{inner(left)}{inner(right)}"
        case ast.UnaryOp(op=ast.USub(), operand=operand) if isinstance(value := inner(operand), int | float):
            return -value
        case ast.Subscript(slice=ast.Constant(value=str(name))):
            return f"${{{name}}}"
        case ast.Call(func=ast.Attribute(attr="getenv" | "get"), args=[ast.Constant(value=str(name)), *_]):
            return f"${{{name}}}"
        case ast.Call(func=ast.Attribute(attr="dumps"), args=[value, *_]):
            return json.dumps(inner(value))
        case ast.Call(func=ast.Attribute(attr="encode", value=encoded)):
            return inner(encoded)
    raise _computed(ast.unparse(node))


# -- scripts of browsers


def _of_fetch(text: str) -> Call | None:
    found = re.search(r"\b(?:fetch|axios(?:\.(?P<verb>post|get|put))?)\s*\(", text)
    if found is None:
        return None
    known = {m[1]: m[2] for m in re.finditer(r"\b(?:const|let|var)\s+(\w+)\s*=\s*([\"'`].*?[\"'`])\s*;?", text)}
    script = _Script(text, found.end(), known)
    address = _text_of(script.value(), "fetch")
    parts = []
    while script.skip(","):
        if script.peek() in (")", ""):
            break
        parts.append(script.value())
    options: dict[str, Any] = next((one for one in reversed(parts) if isinstance(one, dict)), {})
    method = str(options.get("method") or found["verb"] or "GET")
    body = options.get("body", options.get("data"))
    if found["verb"] in ("post", "put") and len(parts) > 1:
        body = parts[0]
    elif found["verb"] in ("post", "put") and parts:
        body, options = parts[0], {}
    if isinstance(body, str):
        try:
            body = json.loads(body)
        except (ValueError, RecursionError):
            return method, address, _headers(options.get("headers")), body, "plain"
    return method, address, _headers(options.get("headers")), body, "json"


class _Script:
    """Values of a script that are ones as they stand: strings, numbers, objects, lists, JSON.stringify of one."""

    def __init__(self, text: str, at: int, known: Mapping[str, str]) -> None:
        self._text, self._at, self._known = text, at, known

    def peek(self) -> str:
        while True:
            rest = self._text[self._at :]
            skipped = re.match(r"(?:\s+|//[^\n]*|/\*.*?\*/)+", rest, re.DOTALL)
            if skipped is None:
                return rest[:1]
            self._at += skipped.end()

    def skip(self, sign: str) -> bool:
        if self.peek() == sign:
            self._at += 1
            return True
        return False

    def value(self, deep: int = 0) -> Any:
        sign, rest = self.peek(), self._text[self._at :]
        if deep > _MOST_DEEP:
            raise _computed("…")
        if sign in ("{", "["):
            return self._object(deep) if sign == "{" else self._list(deep)
        if sign in "\"'`" and sign:
            return self._string(sign)
        if found := re.match(r"-?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?", rest):
            self._at += found.end()
            return json.loads(found[0])
        if found := re.match(r"JSON\.stringify\s*\(", rest):
            self._at += found.end()
            value = self.value(deep + 1)
            while self.skip(","):
                self.value(deep + 1)
            self.skip(")")
            return json.dumps(value)
        if found := re.match(r"(true|false|null|undefined)\b", rest):
            self._at += found.end()
            return {"true": True, "false": False}.get(found[1])
        if found := re.match(r"[\w.$]+", rest):
            self._at += found.end()
            name = found[0].rsplit(".", 1)[-1]
            if self.peek() == "(":
                raise _computed(f"{found[0]}(…)")
            return self._known[name][1:-1] if name in self._known else f"${{{name}}}"
        raise _computed(rest[:40])

    def _string(self, sign: str) -> str:
        found = re.compile(rf"{sign}((?:[^{sign}\\]|\\.)*){sign}", re.DOTALL).match(self._text, self._at)
        if found is None:
            raise _computed(self._text[self._at : self._at + 40])
        self._at = found.end()
        text = re.sub(r"\\(.)", lambda m: {"n": "\n", "t": "\t"}.get(m[1], m[1]), found[1], flags=re.DOTALL)
        if sign == "`":
            text = re.sub(r"\$\{\s*([\w.$]+)\s*\}", self._named, text)
        if self.peek() == "+":
            self._at += 1
            return text + _text_of(self.value(), text)
        return text

    def _named(self, found: re.Match[str]) -> str:
        name = found[1].rsplit(".", 1)[-1]
        return self._known[name][1:-1] if name in self._known else f"${{{name}}}"

    def _object(self, deep: int) -> dict[str, Any]:
        out: dict[str, Any] = {}
        self.skip("{")
        while not self.skip("}"):
            sign = self.peek()
            if sign in ("", "."):
                raise _computed(self._text[self._at : self._at + 40])
            if sign in "\"'":
                name = self._string(sign)
            elif found := re.match(r"[\w$]+", self._text[self._at :]):
                name, self._at = found[0], self._at + found.end()
            else:
                raise _computed(self._text[self._at : self._at + 40])
            out[name] = self.value(deep + 1) if self.skip(":") else self._known.get(name, f" ${{{name}}} ")[1:-1]
            self.skip(",")
        return out

    def _list(self, deep: int) -> list[Any]:
        out: list[Any] = []
        self.skip("[")
        while not self.skip("]"):
            if not self.peek():
                raise _computed("[")
            out.append(self.value(deep + 1))
            self.skip(",")
        return out


# -- PowerShell

_WEB_CALL: Final = re.compile(r"\b(?:Invoke-RestMethod|Invoke-WebRequest|irm|iwr)\b(.*)", re.IGNORECASE | re.DOTALL)
_HASH: Final = r"@\{(?P<hash>(?:[^{}]|\{[^{}]*\})*)\}"
_VALUE: Final = r"""(?:"(?:[^"`]|`.)*"|'[^']*'|[^\s;}]+)"""


def _of_powershell(text: str) -> Call | None:
    text = re.sub(r"`\s*\n\s*", " ", text)
    found = _WEB_CALL.search(text)
    if found is None:
        return None
    rest = found[1]

    def option(*names: str) -> str:
        """What stands behind an option, a variable that was set before in its place."""
        a_hash = _HASH.replace("(?P<hash>", "(?:")
        for name in names:
            any_of = rf"-{name}\s+(?P<value>\([^()]*{a_hash}[^()]*\)|{a_hash}|{_VALUE})"
            got = re.search(any_of, rest, re.IGNORECASE | re.DOTALL)
            if got:
                return _set_before(text, got["value"])
        return ""

    plain = next((m[0] for m in re.finditer(r"[\"']?https?://[^\s\"']+[\"']?", rest)), "")
    address = _unquoted(option("Uri") or plain)
    headers, body_text = _hash(option("Headers")), option("Body")
    if kind := option("ContentType"):
        headers["Content-Type"] = _unquoted(kind)
    if not body_text:
        return option("Method") or "GET", address, headers, None, "json"
    if "@{" in body_text:
        return _unquoted(option("Method")) or "POST", address, headers, _hash(body_text), "json"
    plain = _unquoted(body_text)
    try:
        return _unquoted(option("Method")) or "POST", address, headers, json.loads(plain), "json"
    except (ValueError, RecursionError):
        return _unquoted(option("Method")) or "POST", address, headers, plain, "plain"


def _set_before(text: str, value: str) -> str:
    name = re.fullmatch(r"\$(\w+)", value)
    if name is None:
        return value
    found = re.search(rf"\${name[1]}\s*=\s*((?:\(?\s*@\{{.*?\}}[^\n;]*)|[^\n;]+)", text, re.DOTALL)
    return found[1].strip() if found else f"${{{name[1]}}}"


def _hash(text: str) -> dict[str, str]:
    found = re.search(_HASH, text, re.DOTALL)
    pairs = re.findall(rf"""["']?([\w.-]+)["']?\s*=\s*({_VALUE})""", found["hash"]) if found else []
    return {name: _unquoted(value) for name, value in pairs}


def _unquoted(value: str) -> str:
    value = value.strip()
    if value[:1] in ("'", '"') and value[-1:] == value[:1] and len(value) > 1:
        inner = value[1:-1]
        value = inner.replace("''", "'") if value[0] == "'" else re.sub(r"`(.)", r"\1", inner)
    return re.sub(r"\$(?:env:)?(\w+)", r"${\1}", value)


# -- requests kept as JSON


def _of_json(text: str) -> Call | None:
    if not text.lstrip().startswith("{"):
        return None
    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        return None
    if isinstance(tree, dict) and ("openapi" in tree or "swagger" in tree):
        raise InputError(
            tr("This describes all operations of a service, and which of them speaks is not said."),
            remedy=tr("Paste one call of it, as its documentation shows it."),
        )
    requests = sorted(_requests(tree), key=lambda one: one[0].upper() == "GET" or one[3] is None)
    return requests[0] if requests else None


def _requests(tree: Any, deep: int = 0) -> Iterator[Call]:
    if deep > _MOST_DEEP:
        return
    if isinstance(tree, list):
        for one in tree:
            yield from _requests(one, deep + 1)
    elif isinstance(tree, dict):
        request = tree.get("request")
        if isinstance(request, dict) and "url" in request:
            yield _request(request)
        for name, one in tree.items():
            if name != "request":
                yield from _requests(one, deep + 1)


def _request(request: Mapping[str, Any]) -> Call:
    url = request["url"]
    address = str(url.get("raw", "") if isinstance(url, dict) else url)
    given = request.get("headers", request.get("header", ()))
    headers = _headers(given) if isinstance(given, dict) else {
        str(one.get("name", one.get("key", ""))): str(one.get("value", "")) for one in given or ()
        if isinstance(one, dict) and not one.get("disabled") and not str(one.get("name", "")).startswith(":")
    }  # fmt: skip
    body = request.get("postData", request.get("body"))
    text = body if isinstance(body, str) else (
        str(body.get("text", body.get("raw", ""))) if isinstance(body, dict) else "")  # fmt: skip
    method = str(request.get("method", "GET"))
    if not text:
        return method, address, headers, None, "json"
    try:
        return method, address, headers, json.loads(text), "json"
    except (ValueError, RecursionError):
        return method, address, headers, text, "plain"
