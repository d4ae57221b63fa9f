"""Kept runs: what simulations have left on the disk, to keep or remove, and how much room they may take."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Path, Request, Response
from fastapi.responses import RedirectResponse

from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.simulate.run import run_played
from lazzik.store.runs import KeptRun
from lazzik.store.scenes import SceneStore
from lazzik.web.deps import RunsOf, Store
from lazzik.web.ui.templating import templates

router = APIRouter(prefix="/runs")

LEAST, MOST = 0.05, 10_000.0
"""Gigabytes that runs may be allowed."""

GIGA = 1e9

Key = Annotated[str, Path(pattern=r"^[0-9a-f]{64}$")]


@dataclass(frozen=True, kw_only=True)
class RunRow:
    """A run as the page shows it."""

    run: KeptRun
    used: datetime
    scene: str
    """What its scene is called; '' where there is none any more."""
    wanted: bool
    """Whether an object of that scene asks for it as it is now."""

    @property
    def size(self) -> str:
        """How much room it takes."""
        return told_size(self.run.bytes)


@router.get("")
def page(request: Request, store: Store, runs: RunsOf) -> Response:
    """All runs that are kept, those used last first."""
    names = {entry.id: entry.name for entry in store.entries()}
    found = runs.rows()
    asked = {scene: _asked(store, scene) for scene in {run.scene for run in found} & set(names)}
    rows = [
        RunRow(
            run=run, used=datetime.fromtimestamp(run.used, UTC).replace(tzinfo=None), scene=names.get(run.scene, ""),
            wanted=run.key in asked.get(run.scene, ()),
        )
        for run in found
    ]  # fmt: skip
    taken = sum(run.bytes for run in found)
    told = {"rows": rows, "taken": told_size(taken), "limit": f"{runs.limit / GIGA:.4g}",
            "share": min(1.0, taken / runs.limit)}  # fmt: skip
    return templates.TemplateResponse(request, "runs/page.html", told)


@router.post("/limit")
def limit(runs: RunsOf, limit: Annotated[str, Form(max_length=20)]) -> Response:
    """How many gigabytes runs may take from now on."""
    try:
        wanted = float(limit.replace(",", "."))
    except ValueError:
        wanted = float("nan")
    if not LEAST <= wanted <= MOST:
        raise InvalidEdit(
            f"The limit must be a number of gigabytes from {LEAST} to {MOST:,.0f}; '{limit}' is none", "limit"
        )
    runs.bound(round(wanted * GIGA))
    return _back()


@router.post("/{key}/keep")
def keep(key: Key, runs: RunsOf, kept: Annotated[bool, Form()]) -> Response:
    """Let a run stay whatever the limit, or no longer."""
    runs.keep(key, kept)
    return _back()


@router.post("/{key}/remove")
def remove(key: Key, runs: RunsOf) -> Response:
    """Remove a run. Where an object asks for it, it is worked out again."""
    runs.remove(key)
    return _back()


@router.post("/remove-unused")
def remove_unused(store: Store, runs: RunsOf) -> Response:
    """Remove all runs that no object of any scene asks for as it is now, but for those that are kept."""
    asked = {key for entry in store.entries() for key in _asked(store, entry.id)}
    for run in runs.rows():
        if run.key not in asked and not run.kept:
            runs.remove(run.key)
    return _back()


def told_size(count: float) -> str:
    """Bytes as a person reads them."""
    for unit, least in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= least:
            return f"{count / least:.3g} {unit}"
    return f"{count:.0f} bytes"


def _asked(store: SceneStore, scene_id: str) -> set[str]:
    """The runs that the objects of a scene ask for as it is now."""
    try:
        scene = store.open(scene_id).scene
    except UnknownAddress:  # it went just now
        return set()
    return {run_played(scene, node.id) for node in scene.carrying if node.carried is not None}


def _back() -> Response:
    return RedirectResponse("/runs", 303)
