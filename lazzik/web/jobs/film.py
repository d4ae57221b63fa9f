"""Films and rows of pictures: the page draws them one by one, and they are gathered here."""

from __future__ import annotations

import io
import os
import re
import subprocess
import tempfile
import zipfile
from collections.abc import Sequence
from contextlib import suppress
from itertools import zip_longest
from pathlib import Path
from threading import Lock
from typing import IO, TYPE_CHECKING, Annotated, Any, Literal, NamedTuple

import numpy as np
from fastapi import APIRouter, Request
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from lazzik.core.errors import InvalidEdit, LazzikError
from lazzik.core.scene.scene import Scene
from lazzik.web.jobs.queue import Job, Jobs, Running

if TYPE_CHECKING:
    from numpy.typing import NDArray

router = APIRouter(prefix="/jobs/{job_id}")

MOST_PICTURES = 20_000

BELOW = 10
"""How much less urgent an encoder is than the server, in the system's own steps."""

ENDS_WITHIN = 60
"""Seconds that an encoder may take to write out the rest."""

FILMS = {
    "webm": ("video/webm", "libvpx-vp9", ["-crf", "24", "-b:v", "0", "-deadline", "realtime", "-cpu-used", "6"]),
    "mp4": ("video/mp4", "libx264", ["-crf", "18", "-preset", "veryfast", "-movflags", "+faststart"]),
}
"""Ending -> media type, encoder, its settings."""


class FilmBroken(LazzikError):
    """An encoder that ended before the film did."""


class Film(BaseModel):
    """A film or a row of pictures to be drawn by the page."""

    form: Literal["webm", "mp4", "png"]
    count: Annotated[int, Field(ge=1, le=MOST_PICTURES)]
    width: Annotated[int, Field(ge=16, le=4096)]
    height: Annotated[int, Field(ge=16, le=4096)]
    fps: Annotated[float, Field(ge=0.01, le=1000, allow_inf_nan=False)]
    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 0
    """The scene's number of the first picture's frame."""


class Chapter(NamedTuple):
    """A named stretch of a film."""

    frame: int
    """The scene's frame with which it begins."""
    title: str


def chapters_of(scene: Scene) -> list[Chapter]:
    """The marks of a scene as chapters."""
    return [Chapter(mark.frame, mark.label) for mark in sorted(scene.marks, key=lambda mark: mark.frame)]


def metadata(plan: Film, chapters: Sequence[Chapter]) -> str:
    """Chapters of a film as the encoder reads them: each from its frame to the next one's, those outside left out.

    Some containers have no stretch without a chapter, so there is one before the first mark too.
    """
    last = plan.first + plan.count
    inside = [chapter for chapter in chapters if plan.first <= chapter.frame < last]
    if inside and inside[0].frame > plan.first:
        inside.insert(0, Chapter(plan.first, "Beginning"))
    lines = [";FFMETADATA1"]
    for chapter, after in zip_longest(inside, inside[1:]):
        end = after.frame if after else last
        begin, until = (round(1000 * (frame - plan.first) / plan.fps) for frame in (chapter.frame, end))
        title = re.sub(r"([=;#\\\n])", r"\\\1", chapter.title)
        lines += ["[CHAPTER]", "TIMEBASE=1/1000", f"START={begin}", f"END={max(until, begin + 1)}", f"title={title}"]
    return "\n".join(lines) + "\n"


class FilmReel:
    """Pictures one by one, in order, however many requests bring them at once."""

    def __init__(self, plan: Film) -> None:
        self.plan, self.taken = plan, 0
        self._lock = Lock()
        self._over = False

    def take(self, number: int, content: bytes) -> int:
        """Take the next picture, as PNG; how many there are then. Raises InvalidEdit, FilmBroken."""
        picture = _decoded(content, self.plan)
        with self._lock:
            if number != self.taken:
                raise InvalidEdit(f"Picture {self.taken} is next; {number} was sent", "pictures")
            if self._over:
                raise InvalidEdit("No more pictures are taken: the film is over", "pictures")
            self.add(content, picture)
            self.taken += 1
            if self.taken == self.plan.count:
                self._over = True
                self.finish()
            return self.taken

    def abandon(self) -> None:
        """No more pictures are wanted, nor what was made of them."""
        self.cancel()
        with self._lock:
            self._over = True

    def add(self, content: bytes, picture: NDArray[np.uint8]) -> None:
        """Add a picture, as it came and as (height, width, 3) colours."""
        raise NotImplementedError

    def finish(self) -> None:
        """Write out what was made."""
        raise NotImplementedError

    def cancel(self) -> None:
        """Let go of all that is held."""
        raise NotImplementedError


class Pictures(FilmReel):
    """Pictures into an archive."""

    def __init__(self, path: Path, plan: Film, chapters: Sequence[Chapter] = ()) -> None:
        super().__init__(plan)
        self._archive = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)

    def add(self, content: bytes, picture: NDArray[np.uint8]) -> None:
        """Keep the picture as it came."""
        self._archive.writestr(f"frame-{self.plan.first + self.taken:05}.png", content)

    def finish(self) -> None:
        self._archive.close()

    def cancel(self) -> None:
        self._archive.close()


class Encoded(FilmReel):
    """Pictures into a film, by the encoder that the package brings along."""

    def __init__(self, path: Path, plan: Film, chapters: Sequence[Chapter] = ()) -> None:
        super().__init__(plan)
        import imageio_ffmpeg

        _, codec, settings = FILMS[plan.form]
        raw = ["-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{plan.width}x{plan.height}", "-r", f"{plan.fps:.6f}"]
        film = ["-an", "-c:v", codec, "-pix_fmt", "yuv420p", *settings, "-f", plan.form, str(path)]
        self._metadata = path.with_name(f"{path.name}.chapters")
        marked = []
        if chapters:
            self._metadata.write_text(metadata(plan, chapters), encoding="utf-8")
            marked = ["-f", "ffmetadata", "-i", str(self._metadata), "-map", "0:v", "-map_chapters", "1"]
        command = [imageio_ffmpeg.get_ffmpeg_exe(), "-y", "-loglevel", "error", *raw, "-i", "-", *marked, *film]
        self._problems: IO[bytes] = tempfile.TemporaryFile()  # noqa: SIM115 (closed with the reel)
        self.encoder = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=self._problems
        )
        with suppress(OSError):  # it has ended already; the first picture tells why
            os.setpriority(os.PRIO_PROCESS, self.encoder.pid, BELOW)

    def add(self, content: bytes, picture: NDArray[np.uint8]) -> None:
        """Encode the picture."""
        assert self.encoder.stdin is not None
        try:
            self.encoder.stdin.write(picture.tobytes())
        except (OSError, ValueError):
            raise self._broken() from None

    def finish(self) -> None:
        assert self.encoder.stdin is not None
        try:
            self.encoder.stdin.close()
            if self.encoder.wait(timeout=ENDS_WITHIN):
                raise self._broken()
        except (OSError, subprocess.TimeoutExpired):
            raise self._broken() from None
        self._close()

    def cancel(self) -> None:
        """End the encoder, and wait for its end so that nothing of it stays."""
        self.encoder.kill()
        self.encoder.wait()
        with self._lock:
            if self.encoder.stdin is not None and not self.encoder.stdin.closed:
                with suppress(OSError):  # what was not written yet goes nowhere
                    self.encoder.stdin.close()
            self._close()

    def _close(self) -> None:
        self._problems.close()
        self._metadata.unlink(missing_ok=True)

    def _broken(self) -> FilmBroken:
        self.encoder.kill()
        code = self.encoder.wait()
        self._problems.seek(0)
        lines = self._problems.read().decode(errors="replace").strip().splitlines()
        why = lines[-1][:200] if lines else f"it ended with {code}"
        return FilmBroken(f"The encoder ended after {self.taken} of {self.plan.count} pictures: {why}")


@router.put("/pictures/{number}")
async def picture(job_id: str, number: int, request: Request, jobs: Running) -> dict[str, Any]:
    """The next picture of a film, as PNG."""
    return await run_in_threadpool(_taken, jobs, job_id, number, await request.body())


def _taken(jobs: Jobs, job_id: str, number: int, content: bytes) -> dict[str, Any]:
    job = jobs.find(job_id)
    reel = jobs.reel(job)
    if not isinstance(reel, FilmReel):
        raise _over(job)
    try:
        taken = reel.take(number, content)
    except (FilmBroken, OSError) as error:
        ended = jobs.end_reel(job)
        if ended is None:  # it was stopped while it took this picture, and broke for that
            raise _over(job) from None
        ended.abandon()
        jobs.file(job).unlink(missing_ok=True)
        job.update(
            state="failed", said=error.message if isinstance(error, FilmBroken) else f"{error.strerror or error}"
        )
        raise
    if not job.wanted:
        raise _over(job)
    if taken == reel.plan.count:
        jobs.end_reel(job)
        job.update(state="done", share=1.0, said="", result=jobs.file(job))
    else:
        job.update(share=taken / reel.plan.count, said=f"Picture {taken} of {reel.plan.count}")
    return job.news


def _over(job: Job) -> InvalidEdit:
    return InvalidEdit(f"{job.label} takes no more pictures: it is {job.state}", "pictures")


def _decoded(content: bytes, plan: Film) -> NDArray[np.uint8]:
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(content), formats=["PNG"]) as opened:
            if opened.size != (plan.width, plan.height):
                raise InvalidEdit(f"The picture is {opened.size[0]} × {opened.size[1]}, not as was said", "pictures")
            return np.asarray(opened.convert("RGB"))
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError):
        raise InvalidEdit("The picture is no PNG that can be read", "pictures") from None
