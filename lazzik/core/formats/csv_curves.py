"""Curves as comma-separated values (RFC 4180): a column of frames and a column for each address."""

from __future__ import annotations

import csv
import io

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import evaluate
from lazzik.core.evaluate.memo import Memo
from lazzik.core.scene.scene import Scene


def write_csv(scene: Scene, addresses: list[str], clock: Clock, memo: Memo | None = None) -> str:
    """The text of the table. Values are written so that reading them gives the same float64 again."""
    columns = evaluate(scene, addresses, clock, memo)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["frame", *addresses])
    for i, frame in enumerate(clock.frames):
        writer.writerow([f"{frame:.10g}", *(repr(float(columns[a][i])) for a in addresses)])
    return out.getvalue()
