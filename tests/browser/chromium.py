"""The browser that tests, benchmarks and pictures drive: Chromium without windows, all of it drawn in software."""

from __future__ import annotations

import shutil

from playwright.sync_api import Browser, Playwright

PROGRAM = "chromium-headless-shell"
"""Without the parts that only a window needs; a page costs a quarter less of the processor's time than in the whole."""

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--enable-unsafe-swiftshader",
]


def launched(playwright: Playwright) -> Browser:
    """One that runs until it is closed."""
    return playwright.chromium.launch(executable_path=shutil.which(PROGRAM), args=FLAGS)
