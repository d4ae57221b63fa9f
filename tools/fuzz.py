"""`make fuzz`: ten thousand random requests made up from the OpenAPI document. Exit code 1 if any was answered by a
server error, or by a status that the document does not tell of."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from starlette.testclient import TestClient

from lazzik.demo.begun import first_scene
from lazzik.web.app import create_app
from tests.fuzzing import Findings, fuzz, operations

CASES = 10_000


def main() -> None:
    """Fuzz a server with one small scene."""
    cases = int(sys.argv[1]) if len(sys.argv) > 1 else CASES
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Path(folder) / "data")
        scene = app.state.store.create(first_scene("Fuzzed"), "new").id
        document = app.openapi()
        found, count = Findings(), len(list(operations(document)))
        with TestClient(app, base_url="http://127.0.0.1:8460", raise_server_exceptions=False) as client:
            while found.cases < cases:  # an operation with few fields has fewer different requests
                found.add(fuzz(client, document, scene, -(-(cases - found.cases) // count), random=True))
    for line, count in sorted(found.items()):
        print(f"{count:>6}  {line}")
    print(f"{found.cases:,} requests, {len(found.wrong)} answered wrongly")
    print("\n".join(found.wrong))
    sys.exit(bool(found.wrong))


if __name__ == "__main__":
    main()
