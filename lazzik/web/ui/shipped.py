"""The scripts, styles, fonts and drawings that ship with the application, and how a browser comes by them.

A page gets all its modules in one piece, what is none in another and all its styles in a third: each request costs a
browser more than a hundred kilobytes do, and it finds a module only once it has read the one before. Addresses have a
version in them that is another as soon as any file is, so that what a browser has it keeps for good and asks for no
more.
"""

from __future__ import annotations

import mimetypes
import re
from collections.abc import Sequence
from functools import cache, cached_property
from hashlib import sha256

from markupsafe import Markup
from starlette.exceptions import HTTPException
from starlette.types import Receive, Scope, Send

from lazzik.core.formats.scripts import PLACES, WEB, joined

PREFIX = "/static"

EVERY = "ui/page.js"
"""What every page runs, before what it runs alone."""

STYLES = ("vendor/bootstrap/bootstrap.min.css", "css/tokens.css", "css/base.css", "ui/ui.css")
"""What every page looks like, before what it looks like alone."""

LIBRARIES = (
    "vendor/htmx.org/htmx.min.js", "vendor/idiomorph/idiomorph-ext.min.js",
    "vendor/bootstrap/bootstrap.bundle.min.js", "vendor/msgpack/msgpack.min.js",
)  # fmt: skip
"""What every page takes from others that is no module."""

TOGETHER = "joined/libraries.js"
"""What all of them together are called."""

FONTS = "-latin-wght-normal.woff2"
"""How the names of those end that hold the letters of every page."""

ICONS = "icons.svg"
DRAWINGS = "vendor/bootstrap-icons/bootstrap-icons.svg"
"""The whole set, of which a page gets what the program names: to read it takes longer than all scripts do."""

FOR_GOOD = b"public, max-age=31536000, immutable"


class Shipped:
    """All of them, by name: 'studio/studio.js' is of the room studio, 'lib/api.js' of what rooms share. An application
    of its own, below PREFIX."""

    def __init__(self) -> None:
        rooms = {folder.resolve(): f"{folder.parent.name}/" for folder in sorted(WEB.glob("*/static"))}
        self.files = {
            f"{room}{path.relative_to(folder).as_posix()}": path
            for folder, room in {(WEB / "static").resolve(): "", **rooms}.items()
            for path in sorted(folder.rglob("*"))
            if path.is_file()
        }
        self._joined: dict[str, tuple[str, ...]] = {TOGETHER: LIBRARIES}

    @cached_property
    def version(self) -> str:
        """Another one whenever a file is."""
        facts = [(name, path.stat()) for name, path in self.files.items()]
        return sha256(repr([(name, fact.st_size, fact.st_mtime_ns) for name, fact in facts]).encode()).hexdigest()[:12]

    @property
    def base(self) -> str:
        """The address that all names stand behind."""
        return f"{PREFIX}/{self.version}"

    @property
    def imports(self) -> dict[str, str]:
        """The import map of a page, for what is looked into while it is open."""
        named = {name: f"{self.base}/{place.removeprefix('static/')}" for name, place in PLACES.items()}
        return {**named, "lazzik/": f"{self.base}/"}

    @property
    def libraries(self) -> Markup:
        """The tag by which a page has what it takes from others."""
        return Markup('<script src="{}/{}" defer></script>').format(self.base, TOGETHER)

    def script(self, own: str, awaited: bool = False) -> Markup:
        """The tag by which a page runs what every page runs, and a module of its own ('' if it has none). Of a page
        that awaits it nothing is seen before it ran: what is laid out before is laid out once more after."""
        name = f"joined/{own or EVERY}"
        self._joined[name] = (EVERY, own) if own else (EVERY,)
        tag = Markup('<script type="module" src="{}/{}"{}></script>')
        return tag.format(self.base, name, Markup(' blocking="render"') * awaited)

    @cached_property
    def fonts(self) -> Markup:
        """The tags by which a page asks for its fonts beside its styles, and not once something is laid out, which
        would be laid out once more when they are there."""
        tag = Markup('<link rel="preload" href="{}/{}" as="font" type="font/woff2" crossorigin>\n')
        return Markup("").join(tag.format(self.base, name) for name in self.files if name.endswith(FONTS))

    def style(self, rooms: Sequence[str]) -> Markup:
        """The tag by which a page has the styles that every page has, and those of some rooms."""
        name = f"joined/{'-'.join(rooms) or 'page'}.css"
        self._joined[name] = (*STYLES, *(f"{room}/{room}.css" for room in rooms))
        return Markup('<link rel="stylesheet" href="{}/{}">').format(self.base, name)

    @cache  # noqa: B019 - there is one for as long as the process lives
    def content(self, name: str) -> bytes:
        """The bytes of a file, or of what is joined of several. Raises KeyError."""
        if name == ICONS:
            return self._icons().encode()
        if name not in self._joined:
            return self.files[name].read_bytes()
        parts = [self.files[part] for part in self._joined[name]]
        if name.endswith(".css") or name == TOGETHER:
            return "\n".join(part.read_text() for part in parts).encode()
        return joined(parts).encode()

    def _icons(self) -> str:
        """Of the whole set of drawings, those whose name stands somewhere in the program."""
        sources = [path for pattern in ("*/templates/*.html", "*/static/*.js", "*/*.py") for path in WEB.glob(pattern)]
        named = set(re.findall(r'"([a-z0-9-]+)"', " ".join(path.read_text() for path in sources)))
        drawings = re.findall(r'(<symbol[^>]*\bid="([^"]+)".*?</symbol>)', self.files[DRAWINGS].read_text(), re.S)
        kept = "".join(drawing for drawing, name in drawings if name in named)
        return f'<svg xmlns="http://www.w3.org/2000/svg">{kept}</svg>'

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        name = scope["path"].removeprefix(scope.get("root_path", "")).lstrip("/")
        kept = name.startswith(f"{self.version}/")
        name = name.removeprefix(f"{self.version}/")
        if scope["method"] not in ("GET", "HEAD") or not (name in self.files or name in self._joined or name == ICONS):
            raise HTTPException(404)
        tag, media = f'"{self.version}"'.encode(), mimetypes.guess_type(name)[0] or "application/octet-stream"
        headers = [
            (b"content-type", f"{media}{'; charset=utf-8' * media.startswith('text/')}".encode()),
            (b"cache-control", FOR_GOOD if kept else b"no-cache"),
            (b"etag", tag),
        ]
        if dict(scope["headers"]).get(b"if-none-match") == tag:
            await send({"type": "http.response.start", "status": 304, "headers": headers})
            await send({"type": "http.response.body", "body": b""})
            return
        body = self.content(name)
        headers.append((b"content-length", str(len(body)).encode()))
        await send({"type": "http.response.start", "status": 200, "headers": headers})
        await send({"type": "http.response.body", "body": b"" if scope["method"] == "HEAD" else body})


SHIPPED = Shipped()
