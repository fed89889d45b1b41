"""Pages of the panel: what runs in them, and what their policies let in."""

from __future__ import annotations

import base64
import hashlib
import html
import json
from collections.abc import Mapping, Sequence
from importlib import resources
from typing import Final

from zestpanel.core.listening.elsewhere import page
from zestpanel.core.listening.elsewhere.description import Description, as_data

SCRIPTS: Final = ("sign.js", "sound.js", "keep.js", "before.js", "trial.js", "session.js")


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


def bare_page(language: str, title: str, lines: Sequence[str], more: str = "") -> str:
    """Words, and what is asked for by a form, with nothing that runs. more: HTML."""
    style = _asset("page.css")
    policy = f"default-src 'none'; style-src 'sha256-{_sha256(style)}'; base-uri 'none'; form-action 'self'"
    return _asset("bare.html").format(
        language=html.escape(language), policy=html.escape(policy), style=style, title=html.escape(title),
        lines="\n".join(f"<p>{html.escape(one)}</p>" for one in lines), more=more,
    )  # fmt: skip
