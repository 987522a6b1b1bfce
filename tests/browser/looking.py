"""Pages looked at by rules: WCAG 2.2 A and AA by axe-core in both themes, nothing beyond the page at any
width.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from playwright.sync_api import expect

from tests.browser.making import BrowserTest

AXE = Path(__file__).resolve().parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
FIND = """async (rules) => {
  const { violations } = await axe.run({ runOnly: rules });
  return violations.flatMap(({ id, nodes }) => nodes.map((node) => `${id}: ${node.html.slice(0, 200)} | ${node.failureSummary.slice(0, 200)}`));
}"""


WIDTHS = (1180, 1600, 1920)
BEYOND = """() => {
  if (document.documentElement.scrollWidth > innerWidth) return ["the page"];
  const pressed = [...document.querySelectorAll("button, a, input, select")];
  return pressed.filter((one) => {
    const box = one.getBoundingClientRect();
    if (!box.width || one.closest("[class*=overflow], .sr-only") || one.className.includes?.("sr-only")) return false;
    return box.right > innerWidth + 1 || box.left < -1;
  }).map((one) => one.outerHTML.slice(0, 120));
}"""


class LookingTest(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.page.add_init_script(path=AXE)
        self.found: list[str] = []
        self.looked = 0

    def look(self, where: str) -> None:
        """Look at the page as it is, in both themes."""
        for scheme in ("light", "dark"):
            self.page.emulate_media(color_scheme=scheme, reduced_motion="reduce")  # type: ignore[arg-type]
            told: list[Any] = self.page.evaluate(FIND, RULES)
            self.found += [f"{where}, {scheme}: {one}" for one in told]
            self.looked += 1
        self.page.emulate_media(color_scheme="light", reduced_motion="reduce")
        for width in WIDTHS:
            self.page.set_viewport_size({"width": width, "height": 800})
            beyond = self.page.evaluate(BEYOND)
            self.found += [f"{where}, {width} wide: {one} reaches beyond the page" for one in beyond]
        self.page.set_viewport_size({"width": 1280, "height": 800})

    def settled(self) -> None:
        """Wait until a page has come and stands still: it goes on asking whether others have changed
        something.
        """
        self.page.wait_for_load_state("load")
        expect(self.page.get_by_text("Fetching the page…")).to_have_count(0)
        self.page.wait_for_timeout(800)
