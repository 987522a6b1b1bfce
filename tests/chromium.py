"""The browser that tests, benches and pictures of the screens are made with."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Browser, Playwright, sync_playwright

_FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--enable-unsafe-swiftshader",
]


def launched(play: Playwright) -> Browser:
    """The browser without a window, as it is installed here or as ``CHROMIUM`` says."""
    return play.chromium.launch(executable_path=os.environ.get("CHROMIUM", "/usr/bin/chromium"), args=_FLAGS)


@contextmanager
def browser() -> Iterator[Browser]:
    """The browser, closed afterwards."""
    with sync_playwright() as play:
        found = launched(play)
        yield found
        found.close()
