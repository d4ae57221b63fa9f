"""The deliver page: every format as it describes itself, written as a job; and films of pictures that a page draws."""

from __future__ import annotations

import io
import subprocess
import zipfile
from typing import Annotated, Any, Literal

import imageio_ffmpeg
import numpy as np
from fastapi import APIRouter, Body, Request, Response
from PIL import Image, UnidentifiedImageError
from pydantic import BaseModel, Field, ValidationError
from starlette.concurrency import run_in_threadpool

from lazzik.core.document import Quantity, mark_of
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.formats import FORMATS, Format
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.text import plain
from lazzik.web.context import Kept, Store, templates
from lazzik.web.jobs import Job, Jobs, Running
from lazzik.web.studio import count_moving

router = APIRouter(prefix="/scenes/{scene_id}/deliver")
pictures = APIRouter(prefix="/jobs/{job_id}")

MOST_PICTURES = 20_000

FILMS = {
    "webm": ("video/webm", "libvpx-vp9", ["-crf", "24", "-b:v", "0", "-deadline", "realtime", "-cpu-used", "6"]),
    "mp4": ("video/mp4", "libx264", ["-crf", "18", "-preset", "veryfast", "-movflags", "+faststart"]),
}
"""Ending -> media type, encoder, its settings."""


class Choice(BaseModel):
    """One choice of a format, as the page shows it."""

    name: str
    words: tuple[str, ...] = ()
    value: str
    unit: str = ""
    help: str = ""


@router.get("")
def page(request: Request, scene_id: str, store: Store) -> Response:
    """What can be taken away, and what each form carries."""
    state = store.open(scene_id)
    content = {
        "state": state, "scene": state.scene, "step": "deliver", "moving": count_moving(state.scene),
        "formats": [(kind, _choices(kind)) for kind in FORMATS.values()],
    }  # fmt: skip
    return templates.TemplateResponse(request, "deliver.html", content)


class Film(BaseModel):
    """A film or a row of pictures to be drawn by the page."""

    form: Literal["webm", "mp4", "png"]
    count: Annotated[int, Field(ge=1, le=MOST_PICTURES)]
    width: Annotated[int, Field(ge=16, le=4096)]
    height: Annotated[int, Field(ge=16, le=4096)]
    fps: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]
    first: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = 0
    """The scene's number of the first picture's frame."""


@router.post("/film")
def film(scene_id: str, body: Film, store: Store, jobs: Running) -> dict[str, Any]:
    """Begin a film; its pictures are sent one by one, in order."""
    scene = store.open(scene_id).scene
    if body.form != "png" and (body.width % 2 or body.height % 2):
        raise InvalidEdit("A film's width and height must be even numbers of pixels", "width")
    ending, media = ("zip", "application/zip") if body.form == "png" else (body.form, FILMS[body.form][0])
    job = jobs.add(Job(f"{'Pictures' if body.form == 'png' else 'Film'} of {scene.name}", media, stem(scene, ending)))
    reel = (_Zip if body.form == "png" else _Reel)(str(jobs.file(job)), body)
    jobs.reels[job.id] = reel
    job.tell(state="running", said="Waiting for the first picture")
    return job.news


@router.post("/{name}")
def begin(
    scene_id: str, name: str, store: Store, memo: Kept, jobs: Running, body: Annotated[dict[str, Any], Body()]
) -> dict[str, Any]:
    """Write the scene in a format, as a job."""
    scene = store.open(scene_id).scene
    chosen = _format(name, body)
    job = Job(f"{chosen.title} of {scene.name}", chosen.media, stem(scene, ending_of(chosen)))
    return jobs.start(job, lambda progress: chosen.deliver(scene, progress, memo)).news


@router.get("/{name}")
def at_once(request: Request, scene_id: str, name: str, store: Store, memo: Kept) -> Response:
    """The scene in a format as the answer itself, for scripts: choices stand in the query."""
    scene = store.open(scene_id).scene
    chosen = _format(name, dict(request.query_params))
    headers = {"Content-Disposition": f'attachment; filename="{stem(scene, ending_of(chosen))}"'}
    return Response(chosen.write(scene, memo=memo), media_type=chosen.media, headers=headers)


@pictures.put("/pictures/{number}")
async def picture(job_id: str, number: int, request: Request, jobs: Running) -> dict[str, Any]:
    """The next picture of a film, as PNG."""
    return await run_in_threadpool(_taken, jobs, job_id, number, await request.body())


def _taken(jobs: Jobs, job_id: str, number: int, content: bytes) -> dict[str, Any]:
    job = jobs.find(job_id)
    reel = jobs.reels.get(job_id)
    if reel is None:
        raise InvalidEdit(f"{job.label} takes no more pictures: it is {job.state}", "pictures")
    if number != reel.taken:
        raise InvalidEdit(f"Picture {reel.taken} is next; {number} was sent", "pictures")
    reel.take(content)
    job.tell(share=reel.taken / reel.plan.count, said=f"Picture {reel.taken} of {reel.plan.count}")
    if reel.taken == reel.plan.count:
        del jobs.reels[job_id]
        reel.close()
        job.tell(state="done", share=1.0, said="", result=jobs.file(job))
    return job.news


class _Zip:
    """Pictures one by one into an archive."""

    def __init__(self, path: str, plan: Film) -> None:
        self.plan, self.taken = plan, 0
        self._archive = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)

    def take(self, content: bytes) -> None:
        """Keep the next picture as it is."""
        _decoded(content, self.plan)
        self._archive.writestr(f"frame-{self.plan.first + self.taken:05}.png", content)
        self.taken += 1

    def close(self) -> None:
        """No more pictures."""
        self._archive.close()


class _Reel:
    """Pictures one by one into a film, by the encoder that the package brings along."""

    def __init__(self, path: str, plan: Film) -> None:
        self.plan, self.taken = plan, 0
        _, codec, settings = FILMS[plan.form]
        raw = ["-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{plan.width}x{plan.height}", "-r", f"{plan.fps:g}"]
        film = ["-an", "-c:v", codec, "-pix_fmt", "yuv420p", *settings, "-f", plan.form, path]
        command = [imageio_ffmpeg.get_ffmpeg_exe(), "-y", "-loglevel", "error", *raw, "-i", "-", *film]
        self._encoder = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)

    def take(self, content: bytes) -> None:
        """Encode the next picture."""
        picture = _decoded(content, self.plan)
        assert self._encoder.stdin is not None
        self._encoder.stdin.write(picture.tobytes())
        self.taken += 1

    def close(self) -> None:
        """No more pictures: the film is written out."""
        assert self._encoder.stdin is not None
        self._encoder.stdin.close()
        self._encoder.wait(timeout=60)


def _decoded(content: bytes, plan: Film) -> Any:
    try:
        with Image.open(io.BytesIO(content), formats=["PNG"]) as opened:
            if opened.size != (plan.width, plan.height):
                raise InvalidEdit(f"The picture is {opened.size[0]} × {opened.size[1]}, not as was said", "pictures")
            return np.asarray(opened.convert("RGB"))
    except (UnidentifiedImageError, OSError, SyntaxError, Image.DecompressionBombError):
        raise InvalidEdit("The picture is no PNG that can be read", "pictures") from None


def stem(scene: Scene, ending: str) -> str:
    """A file's name, from the scene's."""
    letters = "".join(c if c.isascii() and c.isalnum() else "-" for c in scene.name.lower()).strip("-")
    return f"{letters or 'scene'}.{ending}"


def ending_of(chosen: Format) -> str:
    """A format's ending; one with several forms ends as the chosen one is called."""
    return str(getattr(chosen, "form", chosen.ending))


def _format(name: str, choices: dict[str, Any]) -> Format:
    kind = FORMATS.get(name)
    if kind is None:
        raise UnknownAddress(f"There is no format '{name[:40]}'; there are {', '.join(FORMATS)}", name[:40])
    try:
        return kind.model_validate_strings(choices)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidEdit(f"{'.'.join(map(str, first['loc']))}: {plain(first['msg'])}", name) from None


def _choices(kind: type[Format]) -> list[Choice]:
    words = kind.choices()
    out = []
    for name, entry in kind.model_fields.items():
        quantity = mark_of(kind, name, Quantity)
        unit, said = (quantity.unit, quantity.help) if quantity else ("", "")
        out.append(Choice(name=name, words=words.get(name, ()), value=str(entry.default), unit=unit, help=said))
    return out
