"""The studio's page is sent as it is made: its head before what is shown is worked out."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi import FastAPI
from starlette.testclient import TestClient
from starlette.types import Message, Receive, Scope, Send

from lazzik.core.errors import LazzikError
from lazzik.web.studio import routes


def test_the_head_leaves_before_the_rest_is_worked_out(
    app: FastAPI, client: TestClient, scene: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    order: list[str] = []
    panels = routes._panels

    def noted(*args: Any) -> dict[str, Any]:
        order.append("worked out")
        return panels(*args)

    monkeypatch.setattr(routes, "_panels", noted)

    async def watched(scope: Scope, receive: Receive, send: Send) -> None:
        async def sent(message: Message) -> None:
            if body := message.get("body", b"").decode():
                order.append(f"{body.count('studio/studio.js')} scripts, {body.count('<main')} main")
            await send(message)

        await app(scope, receive, sent)

    page = TestClient(watched, base_url=str(client.base_url)).get(scene).text
    assert order == ["1 scripts, 0 main", "worked out", "0 scripts, 1 main"]
    assert page.count("</head>") == page.count("</html>") == 1
    assert "<title>Ridge station · Lazzik</title>" in page


def test_what_goes_wrong_with_the_rest_is_a_sentence_below_the_head(
    client: TestClient, scene: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    def wrong(*_: Any) -> dict[str, Any]:
        raise LazzikError("The mast has no foot.")

    monkeypatch.setattr(routes, "_panels", wrong)
    page = client.get(scene, headers={"accept": "text/html"}).text
    assert page.count("</head>") == page.count("</html>") == 1
    assert "The mast has no foot." in page.partition("</head>")[2]


def test_what_is_not_there_has_a_status_still(client: TestClient) -> None:
    assert client.get("/scenes/nowhere").status_code == 404
