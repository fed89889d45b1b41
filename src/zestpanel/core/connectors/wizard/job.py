"""A reply that names a job: it is followed until the sound is there, and what was seen is put into the file."""

from __future__ import annotations

import json
import re
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from zestpanel.core.audio.kinds import kind_of_sound
from zestpanel.core.connectors.http.receiving import Received
from zestpanel.core.connectors.wizard.reply import leaves, look_into
from zestpanel.core.texts import tr

_NUMBERS: Final = ("job_id", "jobid", "task_id", "taskid", "request_id", "id", "uuid")
_STATES: Final = ("status", "state")
_LINK: Final = re.compile(r"(poll|status|self|href|url|link|get|operation)", re.IGNORECASE)
_FAILED: Final = re.compile(r"(fail|error|cancel|abort|reject)", re.IGNORECASE)
# the usual words for a job that goes on; others are taken for its end (common practice, no source)
_GOES_ON: Final = re.compile(
    r"(queue|pend|wait|run|process|progress|start|creat|accept|submit|new|work)", re.IGNORECASE
)
EVERY_S: Final = 1.0
LONGEST_S: Final = 90.0


@dataclass(slots=True)
class JobSeen:
    """job: as a connector file states it. reply: the places of the last answer. said: what was understood."""

    job: dict[str, Any]
    reply: dict[str, Any] = field(default_factory=dict)
    said: list[str] = field(default_factory=list)


def job_in(received: Received, address: str) -> dict[str, Any] | None:
    """How a connector file would state the job that a first reply speaks of; None where it speaks of none.

    address: where the request went; a number without a link is looked for below it (common practice, no source).
    """
    tree = _json(received)
    texts = {path: str(value) for path, value in leaves(tree) if isinstance(value, str | int) and value != ""}
    by_name = {path.rsplit(".", 1)[-1].lower(): path for path in reversed(texts)}
    number = next((by_name[name] for name in _NUMBERS if name in by_name), "")
    state = next((by_name[name] for name in _STATES if name in by_name), "")
    for header in ("location", "operation-location", "content-location"):
        if header in received.headers:
            return {
                "poll": f"header {header.title()}",
                "state": f"json {state}" if state else "status",
            }
    link = next((path for path, value in texts.items()
                 if re.match(r"(https?://|/)\S+$", value) and _LINK.search(path)), "")  # fmt: skip
    if link and (state or received.status == 202):
        return {"poll": f"json {link}", "state": f"json {state}" if state else "status"}
    if number and (state or received.status == 202):
        below = re.sub(r"[?#].*$", "", address).rstrip("/")
        return {
            "id": f"json {number}",
            "poll": f"{below}/{{job}}",
            "state": f"json {state}" if state else "status",
        }
    return None


def follow_job(
    job: Mapping[str, Any],
    first: Received,
    get: Callable[[str], Received],
    cancelled: Callable[[], bool],
    *,
    every_s: float = EVERY_S,
    longest_s: float = LONGEST_S,
) -> JobSeen:
    """Ask for the job until its answer holds sound or it ends otherwise. get: fetches an address.

    Raises SynthesisFailure, as ``get`` does.
    """
    number = at(first, str(job["id"])) if "id" in job else ""
    poll = str(job["poll"])
    address = (
        str(at(first, poll) or "") if poll.startswith(("header ", "json ")) else poll.replace("{job}", str(number))
    )
    seen = JobSeen(dict(job))
    states: list[str] = []
    until = time.monotonic() + longest_s
    while True:
        answer = get(address)
        if answer.status >= 400:
            seen.said.append(
                tr(
                    "Asked at {address}, the service answered {status}: write under job.poll where the job "
                    "is asked for.",
                    address=address,
                    status=answer.status,
                )
            )
            break
        if seen.job["state"] == "status" and (place := _state_in(answer)):
            seen.job["state"] = f"json {place}"
        state = str(answer.status if seen.job["state"] == "status" else at(answer, str(seen.job["state"])))
        if not states or states[-1] != state:
            states.append(state)
        reply, said = look_into(answer)
        if kind_of_sound(answer.data) or "audio" in reply:
            seen.job["done"], seen.reply = [state], reply
            seen.said += [tr("The job went through: {states}.", states=", then ".join(states)), *said]
            break
        if _FAILED.search(state):
            seen.job["failed"] = [state]
            seen.said.append(
                tr(
                    "The job ended as '{state}': {decode}",
                    state=state,
                    decode=answer.data[:200].decode("utf-8", "replace"),
                )
            )
            break
        if seen.job["state"] != "status" and not _GOES_ON.search(state):
            seen.job["done"] = [state]
            seen.said.append(
                tr(
                    "The job ended as '{state}', and no sound was found in its answer: write under job.fetch "
                    "where the sound is fetched, or under reply.audio where it is.",
                    state=state,
                )
            )
            break
        if time.monotonic() > until or cancelled():
            seen.said.append(
                tr(
                    "After {longest_s} s the job was still '{state}': write under job.done what ends it.",
                    longest_s=f"{longest_s:.0f}",
                    state=state,
                )
            )
            break
        time.sleep(every_s)
    return seen


def at(received: Received, place: str) -> Any:
    """The value at 'header NAME' or 'json PATH' of a reply; None for none."""
    kind, _, path = place.partition(" ")
    if kind == "header":
        return received.headers.get(path.lower())
    return dict(leaves(_json(received))).get(path)


def _state_in(received: Received) -> str:
    places = {
        path.rsplit(".", 1)[-1].lower(): path for path, value in leaves(_json(received)) if isinstance(value, str)
    }
    return next((places[name] for name in _STATES if name in places), "")


def _json(received: Received) -> Any:
    try:
        tree = json.loads(received.data)
    except (ValueError, RecursionError):
        return None
    return tree if isinstance(tree, dict | list) else None
