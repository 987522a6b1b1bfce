"""A real browser against a live server with a worker beside it."""

from __future__ import annotations

import os
import threading
import time
from typing import Any

from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.db import close_old_connections
from playwright.sync_api import Page, expect, sync_playwright

from server.moves.jobs import execute
from server.moves.models import Job
from tests.chromium import launched

# Playwright keeps an event loop in this thread, which Django would take for asynchronous code.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
expect.set_options(timeout=30_000)


class _Worker(threading.Thread):
    """Runs waiting jobs until told to stop, as the real worker does."""

    def __init__(self) -> None:
        super().__init__(daemon=True)
        self.over = threading.Event()

    def run(self) -> None:
        while not self.over.is_set():
            job = Job.objects.filter(state=Job.State.WAITING).order_by("id").first()
            if job is None:
                time.sleep(0.1)
                continue
            execute(job.id)
        close_old_connections()


class BrowserTest(StaticLiveServerTestCase):
    """One page a test; any script error or failed request of the page fails the test."""

    page: Page

    def setUp(self) -> None:
        self.worker = _Worker()
        self.worker.start()
        self.play = sync_playwright().start()
        self.browser = launched(self.play)
        self.page = self.browser.new_page(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        self.page.emulate_media(reduced_motion="reduce")
        # The lit view takes seconds without a graphics card; tests that look at it ask for it.
        self.page.add_init_script("localStorage.setItem('trasloco lens', 'facing')")
        self.faults: list[str] = []
        self.page.on("pageerror", lambda error: self.faults.append(str(error)))
        self.page.on(
            "response",
            lambda response: (
                self.faults.append(f"{response.status} {response.url}") if response.status >= 500 else None
            ),
        )

    def tearDown(self) -> None:
        self.browser.close()
        self.play.stop()
        self.worker.over.set()
        self.worker.join(60)
        # What a page asked for last is still being made; a process that ends under it is torn down with an abort.
        for thread in threading.enumerate():
            if "process_request_thread" in thread.name:
                thread.join(60)
        self.assertEqual(self.faults, [])

    def open(self, path: str) -> None:
        self.page.goto(f"{self.live_server_url}{path}")

    def drop(self, files: list[str], source: str, destination: str) -> None:
        """Make a move from files on the desk."""
        self.open("/")
        self.page.get_by_test_id("files").set_input_files(files)
        self.page.get_by_label("It comes from").select_option(source)
        self.page.get_by_label("It goes to").select_option(destination)
        self.page.get_by_role("button", name="Begin the move").click()
        self.page.wait_for_url("**/inventory")
        expect(self.page.get_by_role("heading", name="What arrived")).to_be_visible(timeout=180_000)
        expect(self.page.get_by_text("more findings may follow")).to_have_count(0, timeout=240_000)

    def figure(self, test_id: str) -> float:
        return float(self.page.get_by_test_id(test_id).inner_text().replace("ΔE", "").strip())

    def stop(self, name: str) -> Any:
        return self.page.get_by_role("navigation", name="Route").get_by_role("link", name=name)
