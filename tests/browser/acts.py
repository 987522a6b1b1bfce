"""What tests of acts share: a small wagon on its way, and presses counted."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, expect

from server.moves.bench import Bench
from server.moves.models import DecisionRow, Move
from tests.browser.making import BrowserTest
from tests.making import cube, image, material, quad, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.mends.own_meshes import picked
from trasloco.scene.lit import Light
from trasloco.scene.model import Input, Node, Scene, Texture
from trasloco.scene.transforms import compose, looking

MOST = 4
LIST = Path(__file__).resolve().parents[2] / "docs" / "acts.md"


def wagon() -> Scene:
    """Two boxes, one without its top, and a flat with a leaf on it in a group, lit by a spot."""
    leaf = np.full((64, 64, 4), (40, 140, 60, 255), np.uint8)
    leaf[:, :32, 3] = 0
    box = cube(material="material:Lacquer")
    box = replace(box, uvs=(box.positions[:, :2] + np.float32(0.5),))
    made = scene(
        box,
        picked(replace(box, positions=box.positions + np.float32(2)), np.arange(12) // 2 != 3),
        quad(material="material:Leaf"),
        names=("Trunk", "Crate", "Flat"),
        materials=(
            material("Lacquer", base_color=(0.4, 0.1, 0.1), roughness=(0.4,)),
            material("Leaf", base_color=Input((1.0, 1.0, 1.0), Texture("image:leaf", "rgb", "srgb"))),
        ),
        images=(image("leaf", leaf),),
        lights=((Light("light:spot", "Spot", "spot", intensity=200.0), looking((0, 3, 3), (0, 0, 0))),),
    )
    above = Node("part:wagon", "Wagon", None, compose((0.0, 0.0, 0.0)))
    nodes = {id: replace(n, parent=above.id) if n.mesh else n for id, n in made.nodes.items()}
    return replace(made, nodes={above.id: above, **nodes})


class ActsTest(BrowserTest):
    def opened(self) -> None:
        self.counted: dict[str, int] = {}
        with tempfile.NamedTemporaryFile(suffix=".glb") as file:
            file.write(write_glb(wagon()))
            file.flush()
            self.drop([file.name], "plain", "lanterna")
        self.here = self.page.url.split("?")[0].rsplit("/", 1)[0]

    def bench(self) -> Bench:
        return Bench(Move.objects.latest("id"))

    @contextmanager
    def act(self, words: str, start: str) -> Iterator[Callable[..., None]]:
        """An act from a page: what is pressed, chosen, typed or drawn is counted."""
        self.page.goto(f"{self.here}/{start}")
        self.before = self.decided()
        self.presses = 0

        def press(
            what: Locator, value: str | re.Pattern[str] | None = None, at: dict[str, float] | None = None
        ) -> None:
            self.presses += 1
            if value is None:
                what.click(position=at)  # type: ignore[arg-type]
            elif what.evaluate("one => one.tagName") == "SELECT":
                words = value if isinstance(value, str) else self.option(what, value)
                what.select_option(label=words)
            else:
                what.fill(str(value))
                what.press("Enter")

        yield press
        self.counted[words] = self.presses
        self.assertLessEqual(self.presses, MOST, words)

    def draw(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        """The pointer drawn from one place of the page to another; it counts as a press."""
        self.presses += 1
        self.page.mouse.move(*start)
        self.page.mouse.down()
        self.page.mouse.move(*end, steps=5)
        self.page.mouse.up()

    def option(self, choice: Locator, words: re.Pattern[str]) -> str:
        """The option whose words fit."""
        return next(one for one in choice.locator("option").all_inner_texts() if words.search(one))

    def decided(self) -> set[tuple[int, bool]]:
        """What the move's history holds."""
        rows = DecisionRow.objects.filter(move=Move.objects.latest("id"))
        return set(rows.values_list("id", "undone"))

    def done(self, before: set[tuple[int, bool]] | None = None) -> None:
        """What was pressed since the act began, or since ``before``, is kept."""
        for _ in range(600):
            if self.decided() != (self.before if before is None else before):
                return
            self.page.wait_for_timeout(100)
        self.fail("nothing was decided")

    def undo(self) -> None:
        """Takes back what was decided last."""
        before = self.decided()
        button = self.page.get_by_role("button", name="Undo")
        expect(button).to_be_enabled()
        button.click()
        self.done(before)

    def worn(self) -> dict[str, set[str]]:
        held = self.bench().reference()
        return {
            n.name: {held.materials[p.material or ""].name for p in held.meshes[n.mesh].primitives}
            for n in held.nodes.values()
            if n.mesh
        }

    def compared(self) -> None:
        """Holds what was counted against the list."""
        told = dict(re.findall(r"^\| (.+?) \| (\d+) \|$", LIST.read_text(), re.MULTILINE))
        for words, presses in self.counted.items():
            self.assertEqual(told.get(words), str(presses), f"{words}: {LIST.name} says otherwise")
