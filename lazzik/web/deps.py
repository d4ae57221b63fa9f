"""What routes depend on: the store, the kept motion, the workers.

(They are coroutines, though they wait for nothing: what is none is called in a thread, and to get there and back takes
longer than the rest of a small request.)
"""

from __future__ import annotations

from typing import Annotated, cast

from fastapi import Depends, Request

from lazzik.core.evaluate.memo import Memo
from lazzik.store.database import Database
from lazzik.store.runs import Runs
from lazzik.store.scenes import SceneStore, State
from lazzik.store.shelf_items import ShelfItems
from lazzik.store.versions import Versions
from lazzik.work.long import LongWork
from lazzik.work.pool import Workers
from lazzik.work.source import Source


async def _store(request: Request) -> SceneStore:
    return cast(SceneStore, request.app.state.store)


async def _memo(request: Request) -> Memo:
    return cast(Memo, request.app.state.memo)


async def _workers(request: Request) -> Workers:
    return cast(Workers, request.app.state.workers)


async def _database(request: Request) -> Database:
    return cast(Database, request.app.state.database)


DatabaseOf = Annotated[Database, Depends(_database)]


async def _versions(request: Request) -> Versions:
    return cast(Versions, request.app.state.versions)


VersionsOf = Annotated[Versions, Depends(_versions)]


async def _shelf(request: Request) -> ShelfItems:
    return cast(ShelfItems, request.app.state.shelf)


ShelfOf = Annotated[ShelfItems, Depends(_shelf)]


Store = Annotated[SceneStore, Depends(_store)]


Kept = Annotated[Memo, Depends(_memo)]


async def _runs(request: Request) -> Runs:
    return cast(Runs, request.app.state.runs)


RunsOf = Annotated[Runs, Depends(_runs)]


Heavy = Annotated[Workers, Depends(_workers)]


async def _long(request: Request) -> LongWork:
    return cast(LongWork, request.app.state.long)


Long = Annotated[LongWork, Depends(_long)]


def source_of(store: SceneStore, state: State) -> Source:
    """Where a worker finds a state."""
    return Source(store.folder, state.id, state.revision)
