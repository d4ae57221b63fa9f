"""`make soak`: a real server under load for minutes. It prints what came of it; exit code 1 if anything was lost.

First its sudden death, again and again, while four scenes are edited: every acknowledged edit has to be there after it.
Then eight people who make an edit a second each, beside one long edit after the other, a film that is being sent, and
fifty pages that listen to it: none is lost, none is answered by a server error, and a small edit takes at most three
times as long as for one person alone.
"""

from __future__ import annotations

import asyncio
import io
import json
import random
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import Any

from PIL import Image

from lazzik.core.channel.channel import Channel
from lazzik.core.scene.node import Node, Rotation
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from tests.serving import Server

ROUNDS, PEOPLE, LISTENERS = 20, 8, 50
MINUTES = 5.0
CROWD = 5000
"""Objects of the scene that is edited at length."""


class Person:
    """Edits one scene, one edit after the other, and knows which were acknowledged."""

    def __init__(self, server: Server, scene: str) -> None:
        self.server, self.scene = server, scene
        self.acknowledged = 0
        self.took: list[float] = []
        self.statuses: Counter[int] = Counter()

    def ask(self, method: str, path: str, body: Any = None) -> tuple[int, Any]:
        """A request of its own connection."""
        connection = HTTPConnection("127.0.0.1", self.server.port, timeout=120)
        try:
            content = None if body is None else json.dumps(body)
            connection.request(method, path, content, {"Content-Type": "application/json"})
            with connection.getresponse() as answer:
                text = answer.read()
                return answer.status, json.loads(text) if text[:1] in b"{[" else text
        finally:
            connection.close()

    def edit(self) -> None:
        """The n-th edit makes the post turn by n degrees."""
        edits = [{"do": "set", "address": "post/rotation.z", "value": self.acknowledged + 1}]
        begun = time.monotonic()
        status, answer = self.ask(
            "POST", f"/scenes/{self.scene}/edits", {"revision": self.acknowledged, "edits": edits}
        )
        while status == 202:  # it became a job; what it led to is told by its outcome
            time.sleep(0.05)
            _, news = self.ask("GET", f"/jobs/{answer['id']}")
            if news["state"] in ("done", "failed", "stopped"):
                status, answer = self.ask("GET", f"/jobs/{answer['id']}/result")
        self.took.append(time.monotonic() - begun)
        self.statuses[status] += 1
        if status == 200:
            self.acknowledged = answer["revision"]

    def stored(self) -> int:
        """What the server has."""
        _, document = self.ask("GET", f"/scenes/{self.scene}/deliver/scene")
        post = next(node for node in document["nodes"] if node["id"] == "post")
        return int(post.get("rotation", {}).get("z", 0))


def scene_of(server: Server, nodes: int) -> str:
    """A new scene on the server; its id."""
    layers = [{"kind": "noise", "id": "n", "label": "N"}]
    made = [Node(id="post", label="Post")]
    made += [
        Node(id=f"n{k}", label=f"N{k}", rotation=Rotation(z=Channel.model_validate({"layers": layers})))
        for k in range(nodes - 1)
    ]
    text = scene_text(Scene(name="Soak", nodes=tuple(made)))
    head = '--x\r\nContent-Disposition: form-data; name="file"; filename="s.json"\r\n\r\n'
    connection = HTTPConnection("127.0.0.1", server.port, timeout=120)
    kind = {"Content-Type": "multipart/form-data; boundary=x"}
    connection.request("POST", "/scenes/open", f"{head}{text}\r\n--x--\r\n".encode(), kind)
    with connection.getresponse() as answer:
        answer.read()
        return str(answer.headers["location"]).split("/")[2]


def deaths(rounds: int) -> bool:
    """Whether every acknowledged edit survived every death."""
    lost = edits = 0
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data", demo=False)
        try:
            people = [Person(server, scene_of(server, 1)) for _ in range(4)]
            for _ in range(rounds):
                threads = [threading.Thread(target=_until_death, args=(person,)) for person in people]
                for thread in threads:
                    thread.start()
                time.sleep(random.uniform(0.3, 1.5))
                server.kill()
                for thread in threads:
                    thread.join()
                server.start()
                for person in people:
                    stored = person.stored()
                    lost += stored not in (person.acknowledged, person.acknowledged + 1)
                    edits += stored - person.acknowledged
                    person.acknowledged = stored
            edits = sum(person.acknowledged for person in people)
        finally:
            server.kill()
    print(f"{rounds} sudden deaths, four scenes: {edits:,} edits, {lost} lost")
    return lost == 0


def _until_death(person: Person) -> None:
    try:
        while True:
            person.edit()
    except (OSError, HTTPException, ValueError):
        return


def crowd(minutes: float) -> bool:
    """Whether eight people work as well as one, beside all that is heavy."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "data", demo=False)
        try:
            alone = Person(server, scene_of(server, 1))
            for _ in range(30):
                alone.edit()
                time.sleep(0.2)
            people = [Person(server, scene_of(server, 1)) for _ in range(PEOPLE)]
            over = threading.Event()
            heavy = [threading.Thread(target=work, args=(server, over)) for work in (_long_edits, _film)]
            listening = threading.Thread(target=lambda: asyncio.run(_listen(server, over)))
            for thread in (*heavy, listening):
                thread.start()
            editing = [threading.Thread(target=_work, args=(person, minutes * 60)) for person in people]
            for thread in editing:
                thread.start()
            for thread in editing:
                thread.join()
            over.set()
            for thread in (*heavy, listening):
                thread.join()
            return _told(alone, people)
        finally:
            server.kill()


def _told(alone: Person, people: list[Person]) -> bool:
    statuses = sum((person.statuses for person in people), Counter[int]())
    took = [each for person in people for each in person.took]
    one, many = (statistics.quantiles(times, n=20)[-1] * 1000 for times in (alone.took, took))
    lost = sum(person.stored() != person.acknowledged for person in people)
    edits, refused = len(took), {status: count for status, count in statuses.items() if status != 200}
    print(f"{PEOPLE} people: {edits:,} edits, {lost} lost, others than 200: {refused or 'none'}")
    print(f"heavy work beside them: {dict(HEAVY)}")
    print(f"p95 of a small edit: {many:.0f} ms, of one alone {one:.0f} ms: {many / one:.1f} × (goal 3)")
    return lost == 0 and not refused and many <= 3 * one and not any(status >= 500 for _, status in HEAVY)


HEAVY: Counter[tuple[str, int]] = Counter()
"""What the heavy requests were answered with."""


def _work(person: Person, seconds: float) -> None:
    until = time.monotonic() + seconds
    time.sleep(random.random())
    while time.monotonic() < until:
        person.edit()
        time.sleep(1.0)


def _long_edits(server: Server, over: threading.Event) -> None:
    person = Person(server, scene_of(server, CROWD))
    while not over.is_set():
        edits = [
            {"do": "set", "address": f"n{k}/rotation.z#n.amplitude", "value": random.random() + 1} for k in range(1000)
        ]
        status, answer = person.ask(
            "POST", f"/scenes/{person.scene}/edits", {"revision": person.acknowledged, "edits": edits}
        )
        HEAVY["long edit", status] += 1
        while status == 202 and answer["state"] in ("waiting", "running"):
            time.sleep(0.5)
            answer = person.ask("GET", f"/jobs/{answer['id']}")[1]
        if status == 202:
            HEAVY[f"long edit {answer['state']}", 0] += 1
            answer = person.ask("GET", f"/jobs/{answer['id']}/result")[1]
        person.acknowledged = answer.get("revision", person.acknowledged)


JOBS: list[str] = []


def _film(server: Server, over: threading.Event) -> None:
    person = Person(server, scene_of(server, 1))
    picture = io.BytesIO()
    Image.effect_noise((1280, 720), 40).convert("RGB").save(picture, "PNG")
    plan = {"form": "webm", "count": 20_000, "width": 1280, "height": 720, "fps": 30}
    job = person.ask("POST", f"/scenes/{person.scene}/deliver/film", plan)[1]["id"]
    JOBS.append(job)
    number = 0
    connection = HTTPConnection("127.0.0.1", server.port, timeout=120)
    while not over.is_set():
        connection.request("PUT", f"/jobs/{job}/pictures/{number}", picture.getvalue())
        with connection.getresponse() as answer:
            answer.read()
            HEAVY["picture", answer.status] += 1
        number += 1
        time.sleep(0.1)
    person.ask("POST", f"/jobs/{job}/stop", {})


async def _listen(server: Server, over: threading.Event) -> None:
    while not JOBS:
        await asyncio.sleep(0.05)

    async def one() -> None:
        reader, writer = await asyncio.open_connection("127.0.0.1", server.port)
        writer.write(f"GET /jobs/{JOBS[0]}/events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n".encode())
        while not over.is_set():
            try:
                await asyncio.wait_for(reader.read(65536), 0.5)
            except TimeoutError:
                continue
        writer.close()

    await asyncio.gather(*(one() for _ in range(LISTENERS)))


def main() -> None:
    """Both, or with a number that many minutes of the second."""
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else MINUTES
    sys.exit(not (deaths(ROUNDS) & crowd(minutes)))


if __name__ == "__main__":
    main()
