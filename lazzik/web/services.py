"""What routes work with. Each is made when it is first asked for: the front page needs none of it but the database."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from threading import Lock, RLock, Thread
from typing import TYPE_CHECKING, Any

from starlette.datastructures import State

from lazzik.core.errors import LazzikError
from lazzik.core.progress import Stopped

if TYPE_CHECKING:
    from lazzik.core.cache import BoundedCache
    from lazzik.core.evaluate.memo import Memo
    from lazzik.core.evaluate.mesh_density import CoarseMarks
    from lazzik.core.scene.shelf_item import ShelfItem
    from lazzik.store.runs import Runs
    from lazzik.store.scenes import SceneStore
    from lazzik.store.shelf_items import ShelfItems
    from lazzik.store.versions import Versions
    from lazzik.web.drafts import Drafts
    from lazzik.work.long import LongWork
    from lazzik.work.pool import Workers

LOG = logging.getLogger("lazzik")


class Services(State):
    """The state of an application: what it is given, and what is made of that. Safe between threads."""

    def __init__(self, **given: Any) -> None:
        """Keep the `database`, the `workers`, the `crew` of long jobs, and what else is given."""
        super().__init__(given)
        object.__setattr__(self, "_making", RLock())

    def __getattr__(self, name: str) -> Any:
        if name not in MAKERS:
            return super().__getattr__(name)
        with self._making:
            if name not in self._state:
                self._state[name] = MAKERS[name](self)
            return self._state[name]


def _store(services: Services) -> SceneStore:
    from lazzik.store.scenes import SceneStore

    store = SceneStore(services.database)
    store.snapshot_due = partial(snapshot, services.workers, store, Lock())
    return store


def _versions(services: Services) -> Versions:
    from lazzik.store.versions import Versions

    return Versions(services.database, services.store)


def _drafts(_: Services) -> Drafts:
    from lazzik.web.drafts import Drafts

    return Drafts()


def _long(services: Services) -> LongWork:
    from lazzik.work.long import LongWork

    return LongWork(services.crew, services.store)


def _runs(services: Services) -> Runs:
    from lazzik.store.runs import Runs

    return Runs(services.database.folder)


def _shelf(services: Services) -> ShelfItems:
    from lazzik.store.shelf_items import ShelfItems

    return ShelfItems(services.database, _shipped)


def _shipped() -> Sequence[ShelfItem]:
    """What every shelf holds from the start; made when a shelf is first looked at."""
    from lazzik.demo.shelf_items import shipped

    return shipped()


def _memo(_: Services) -> Memo:
    from lazzik.core.evaluate.memo import Memo

    return Memo()


def _marks(_: Services) -> CoarseMarks:
    from lazzik.core.evaluate.mesh_density import CoarseMarks

    return CoarseMarks()


def _at_rest(_: Services) -> BoundedCache[bytes]:
    from lazzik.core.cache import BoundedCache

    return BoundedCache(64 * 2**20)


MAKERS: Mapping[str, Callable[[Services], object]] = {
    "store": _store, "versions": _versions, "drafts": _drafts, "long": _long, "runs": _runs,
    "runs_at_work": lambda _: {}, "shelf": _shelf, "memo": _memo, "marks": _marks, "at_rest": _at_rest,
}  # fmt: skip


def snapshot(heavy: Workers, store: SceneStore, turn: Lock, scene_id: str, number: int) -> None:
    """Have the whole copy of a revision written, whenever a worker has time; nobody waits for it. One after the other:
    many people's at once would start all the workers."""
    from lazzik.work import tasks

    def write() -> None:
        try:
            with turn:
                store.keep_snapshot(scene_id, number, heavy.run(tasks.snapshot, store.folder, scene_id, number))
        except (LazzikError, Stopped) as error:  # opening reads a few patches more, and the next one makes good for it
            LOG.info("no whole copy of revision %s was written: %s", number, error)

    Thread(target=write, daemon=True, name="snapshot").start()
