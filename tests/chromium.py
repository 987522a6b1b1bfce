"""The browser that tests, benches and pictures of the screens are made with."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlsplit

from playwright.sync_api import Browser, Page, Playwright, Route, sync_playwright

_THREE = Path(__file__).resolve().parents[1] / "web" / "node_modules" / "three"
STILL = "img[alt='What is seen first, rendered']"
LIVE = "[aria-label=View][aria-busy=false]"
SEEN = f"""
window.seen = {{}};
const look = () => {{
  const now = performance.now();
  if ([...document.querySelectorAll("h1")].some((one) => one.textContent === "What arrived")) seen.page ??= now;
  const still = document.querySelector("{STILL}");
  if (still?.complete && still.naturalWidth) seen.still ??= now;
  if (document.querySelector("{LIVE}")) seen.live ??= now;
  requestAnimationFrame(look);
}};
requestAnimationFrame(look);
"""
"""A script that writes down when the Inventory stop, its still and its live picture were first there."""
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


def served(page: Page, files: dict[str, bytes]) -> None:
    """A page of its own, with the library and these files, and nothing else."""

    def answer(route: Route) -> None:
        path = urlsplit(route.request.url).path
        if path.startswith("/three/"):
            body = (_THREE / path.removeprefix("/three/")).read_bytes()
            route.fulfill(body=body, content_type="text/javascript")
        elif path in files:
            kind = "text/html" if path == "/" else "application/octet-stream"
            route.fulfill(body=files[path], content_type=kind)
        else:
            route.fulfill(status=404)

    page.unroute_all()
    page.route("**/*", answer)
