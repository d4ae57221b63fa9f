"""Requests made up from the OpenAPI document, and what the application answers to them.

Every operation is tried with values that its description allows and with others that it does not; whatever comes, the
answer is no server error and is one that the description tells of.
"""

from __future__ import annotations

import collections
import json
from collections.abc import Iterator
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, Verbosity, given, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode
from schemathesis.core.result import Ok
from starlette.testclient import TestClient

APART = ("/jobs/{job_id}/events", "/scenes/{scene_id}/remove")
"""An answer that ends only when a job does, and the one that would take the scene away from all others."""

ODD = (
    "", "0", "-1", "1e400", "NaN", "1" + "0" * 400, "\ud800", "post", "post/rotation.z", "post/shape", "dials/x",
    "a" * 5000, "null", "\x00", "٣", "../..", "post/rotation.z#gust.amplitude", "#", "/", "post/deform.x.y",
)  # fmt: skip
"""Texts that are tried where a description allows any text."""


ALWAYS = (302, 303, 400, 403, 404, 405)
"""What any request may be answered with: led elsewhere, not understood, kept out, not there."""


class Findings(collections.Counter[str]):
    """How often an operation was answered with a status; `wrong` holds the requests that should have been answered
    otherwise."""

    def __init__(self) -> None:
        super().__init__()
        self.wrong: list[str] = []

    def add(self, more: Findings) -> None:
        """Take those of another round."""
        self.update(more)
        self.wrong += more.wrong

    @property
    def cases(self) -> int:
        """How many requests were made."""
        return sum(self.values())


def fuzz(client: TestClient, document: dict[str, Any], scene: str, each: int, *, random: bool = False) -> Findings:
    """Make `each` requests of every operation, on a scene."""
    found = Findings()
    for operation in operations(document):
        told = set(document["paths"][operation.path][operation.method]["responses"])
        _try(operation, told, client, scene, found, each, random)
    return found


def _try(
    operation: Any, told: set[str], client: TestClient, scene: str, found: Findings, each: int, random: bool
) -> None:
    @settings(
        max_examples=each, deadline=None, database=None, derandomize=not random, verbosity=Verbosity.quiet,
        suppress_health_check=list(HealthCheck), phases=[Phase.explicit, Phase.generate],
    )  # fmt: skip
    @given(case=_cases(operation), draw=st.data())
    def attempt(case: Any, draw: Any) -> None:
        if "scene_id" in case.path_parameters and draw.draw(st.integers(0, 9)):
            case.path_parameters["scene_id"] = scene
        request = case.as_transport_kwargs(base_url="http://127.0.0.1:8460")
        _aim(request, draw)
        response = client.request(**_sent(request), follow_redirects=False)
        status = response.status_code
        found[f"{operation.method} {operation.path} {status}"] += 1
        if status not in (503, 507) and (status >= 500 or (str(status) not in told and status not in ALWAYS)):
            found.wrong.append(f"{status} {operation.label} {json.dumps(request, default=repr)[:600]}")

    attempt()


def operations(document: dict[str, Any]) -> Iterator[Any]:
    """What is tried, one by one."""
    schema = schemathesis.openapi.from_dict(document)
    for result in schema.get_all_operations():
        assert isinstance(result, Ok)  # the program describes itself well
        operation = result.ok()
        if operation.path not in APART:
            yield operation


def _cases(operation: Any) -> Any:
    good = operation.as_strategy(generation_mode=GenerationMode.POSITIVE)
    try:
        bad = operation.as_strategy(generation_mode=GenerationMode.NEGATIVE)
        return st.one_of(good, bad)
    except Exception:  # nothing of it can be described wrongly
        return good


def _aim(request: dict[str, Any], draw: Any) -> None:
    """Let many requests reach what they are about, and some texts be odd ones."""
    body = request.get("json")
    if isinstance(body, dict) and "revision" in body and draw.draw(st.booleans()):
        body["revision"] = 0
    for fields in (body, request.get("params"), request.get("data"), *_rows(body)):
        if isinstance(fields, dict):
            for name, value in fields.items():
                if isinstance(value, str) and name != "do" and draw.draw(st.integers(0, 3)) == 0:
                    fields[name] = draw.draw(st.sampled_from(ODD))


def _rows(body: Any) -> list[Any]:
    edits = body.get("edits") if isinstance(body, dict) else None
    return edits if isinstance(edits, list) else []


def _sent(request: dict[str, Any]) -> dict[str, Any]:
    """What the client takes: JSON is written here, so that values are tried that no client would write."""
    sent = {name: value for name, value in request.items() if name in ("method", "url", "params", "headers")}
    headers = {str(k): str(v) for k, v in (sent.get("headers") or {}).items() if str(k).lower() != "host"}
    sent["headers"] = {k: v for k, v in headers.items() if k.isascii() and v.isascii() and v.isprintable()}
    if request.get("params"):
        sent["params"] = [(str(k), _text(v)) for k, v in _pairs(request["params"])]
    if "json" in request:
        sent["content"] = json.dumps(request["json"]).encode()
        sent["headers"]["content-type"] = "application/json"
    elif request.get("files"):
        sent["files"] = [
            (_text(k), ("f.json", v if isinstance(v, bytes) else _text(v).encode()))
            for k, v in _pairs(request["files"])
        ]
    elif request.get("data") is not None:
        data = request["data"]
        if isinstance(data, dict):
            sent["data"] = {_text(k): _text(v) for k, v in data.items()}
        else:
            sent["content"] = data if isinstance(data, bytes) else _text(data).encode()
    return sent


def _pairs(values: Any) -> list[tuple[Any, Any]]:
    rows = values.items() if isinstance(values, dict) else values
    return [(k, each) for k, v in rows for each in (v if isinstance(v, list) else [v])]


def _text(value: Any) -> str:
    return str(value).encode("utf-8", "replace").decode()
