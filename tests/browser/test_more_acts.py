"""More acts of the work, each with what it leaves behind; the list in ``docs/acts.md`` holds their presses."""

from __future__ import annotations

import base64
import io
import re
from collections.abc import Callable
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import Route, expect
from scipy.ndimage import distance_transform_edt

from server.moves.models import DecisionRow, Move
from tests.browser.acts import ActsTest
from trasloco.meshes.rims import rims_of
from trasloco.scene.extent import part_bounds


class MoreActs(ActsTest):
    def test_acts_of_parts_faces_and_the_view(self) -> None:
        self.opened()
        self.places()
        self.shapes()
        self.view()
        self.faces()
        self.compared()

    def test_acts_of_light_proof_and_handover(self) -> None:
        self.opened()
        self.lamps()
        self.surroundings()
        self.materials()
        self.proof()
        self.around()
        self.compared()

    def becomes(self, told: Callable[[], float], wanted: float) -> None:
        """A number of the move comes to be another one once what was pressed is decided."""
        for _ in range(100):
            if abs(told() - wanted) < 1e-4:
                return
            self.page.wait_for_timeout(100)
        self.assertAlmostEqual(told(), wanted, places=4)

    def row(self, name: str) -> Any:
        return self.page.get_by_role("treegrid", name="parts").get_by_role("row").filter(has_text=name)

    def box(self, name: str) -> Any:
        held = self.bench().reference()
        return part_bounds(held)[next(n.id for n in held.parts() if n.name == name)]

    def view_at(self, x: float, y: float) -> tuple[float, float]:
        """A place of the view, by shares of its size."""
        box = self.page.get_by_role("region", name="View").locator("canvas").bounding_box()
        assert box is not None
        return box["x"] + x * box["width"], box["y"] + y * box["height"]

    def drawn(self) -> None:
        """Waits until the view is drawn."""
        for _ in range(100):
            if self.in_view().any():
                self.page.wait_for_timeout(1000)
                return
            self.page.wait_for_timeout(200)
        self.fail("nothing is drawn")

    def in_view(self) -> np.ndarray:
        """Where in the view's canvas the model is, of shape (height, width)."""
        canvas = self.page.get_by_role("region", name="View").locator("canvas")
        data = canvas.evaluate("one => one.toDataURL('image/png')")
        picture = Image.open(io.BytesIO(base64.b64decode(data.partition(",")[2]))).convert("RGBA")
        return np.asarray(np.array(picture)[..., 3] > 128)

    def on_model(self) -> dict[str, float]:
        """A place of the view's canvas at which the model is, as far from its border as one is."""
        there = self.in_view()
        high, wide = there.shape
        # Below are the view's presses, above its lenses, at the right the staff.
        there[: high // 6] = there[int(high * 0.75) :] = False
        there[:, int(wide * 0.8) :] = False
        deep = distance_transform_edt(there)
        y, x = np.unravel_index(int(deep.argmax()), deep.shape)
        self.assertGreater(deep[y, x], 4, "nothing is to be seen")
        box = self.page.get_by_role("region", name="View").locator("canvas").bounding_box()
        assert box is not None
        return {"x": (x + 0.5) / wide * box["width"], "y": (y + 0.5) / high * box["height"]}

    def places(self) -> None:
        page = self.page
        with self.act("Stand a part on another", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_label("Stand on"), "Crate")
            self.done()
        self.becomes(lambda: float(self.box("Trunk")[0, 1]) - float(self.box("Crate")[1, 1]), 0.0)
        self.undo()
        with self.act("Stand a part on the ground", "inventory?tab=parts") as press:
            press(self.row("Crate"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_role("button", name="Stand on the ground"))
            self.done()
        self.becomes(lambda: float(self.box("Crate")[0, 1]) - 0.0, 0.0)
        self.undo()
        with self.act("Move a part by numbers", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_label("Move y"), "1")
            self.done()
        self.becomes(lambda: float(self.box("Trunk")[0, 1]) - 0.5, 0.0)
        self.undo()
        with self.act("Rename parts by a pattern", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="More tools"))
            late: list[Route] = []
            page.route("**/rename-preview", lambda answer: late.append(answer))
            press(page.get_by_label("Name pattern"), "Chest {n}")
            for answer in late:
                answer.continue_()
            page.unroute("**/rename-preview")
            expect(self.row("Chest 1")).to_have_count(1)
        self.undo()
        with self.act("Find parts by name", "inventory?tab=parts") as press:
            press(page.get_by_label("Search parts"), "cra")
            expect(self.row("Crate")).to_have_count(1)
            expect(self.row("Trunk")).to_have_count(0)
        with self.act("Size everything by a factor", "inventory") as press:
            press(page.get_by_role("button", name="Measure"))
            press(page.get_by_label("Factor of everything"), "2")
            self.done()
        self.becomes(lambda: float(np.ptp(self.box("Trunk")[:, 0])) - 2.0, 0.0)
        self.undo()

    def shapes(self) -> None:
        page = self.page
        with self.act("Turn the faces of a part round", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="Turn faces"))
            self.done()
        self.undo_at_once()
        self.undo()
        with self.act("Make its edges hard above an angle", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_role("button", name="Hard above 30°"))
            self.done()
        trunk = next(n.mesh for n in self.bench().reference().parts() if n.name == "Trunk") or ""
        # Each side of a box has four corners of its own.
        self.becomes(lambda: len(self.bench().reference().meshes[trunk].primitives[0].positions), 24)
        self.undo()
        with self.act("Choose what stands for a part when things collide", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_label("Collides as"), re.compile("^a hull ·|^a hull$"))
            self.done()
        self.becomes(lambda: sum(n.tags.collision == "hull" for n in self.bench().reference().parts()), 1)
        with self.act("Bound the triangles of a part", "inventory?tab=parts") as press:
            press(self.row("Trunk"))
            press(page.get_by_role("button", name="More tools"))
            press(page.get_by_label("At most, each"), "8")
            self.done()
        self.undo()

    def undo_at_once(self) -> None:
        """An undo pressed before the act was kept takes back that act, not the one before it."""
        late: list[Route] = []
        self.page.route(
            "**/decisions",
            lambda asked: late.append(asked) if asked.request.method == "POST" else asked.continue_(),
        )
        self.page.get_by_role("button", name="Turn faces").click()
        self.page.keyboard.press("Control+z")
        self.page.wait_for_timeout(500)
        before = self.decided()
        (sent,) = late
        sent.continue_()
        self.page.unroute("**/decisions")
        self.done(before)
        expect(self.page.get_by_role("button", name="Redo")).to_be_enabled()
        rows = DecisionRow.objects.filter(move=Move.objects.latest("id"))
        added = rows.exclude(id__in=[one for one, _ in before])
        self.assertEqual(list(added.values_list("undone", flat=True)), [True])
        self.assertEqual(before, self.decided() - set(added.values_list("id", "undone")))

    def view(self) -> None:
        page = self.page
        with self.act("See the vertex colours alone", "inventory") as press:
            press(page.get_by_role("button", name="Vertex colour"))
            expect(page.get_by_role("button", name="Vertex colour")).to_have_attribute("aria-pressed", "true")
        with self.act("See one input alone on the model", "inventory?lens=facing") as press:
            press(page.get_by_role("button", name="One input…"))
            press(page.get_by_label("Input shown alone"), "Roughness")
            self.assertIn("input=roughness", page.url)
        with self.act("Stand in it at eye height", "inventory") as press:
            self.drawn()
            press(page.get_by_role("button", name="Stand in it"))
            expect(page.get_by_role("group", name="Walking")).to_be_visible()
            with page.expect_response(re.compile(r"/walk$")) as step:
                page.get_by_role("region", name="View").locator("canvas").press("ArrowUp")
            self.assertTrue(step.value.ok)
        with self.act("Keep a view for proofs", "inventory") as press:
            self.drawn()
            press(page.get_by_role("button", name="Keep for proofs"))
            self.done()
        with self.act("Light a place of the model from a side", "inventory") as press:
            self.drawn()
            press(page.get_by_role("button", name="Light a place"))
            with page.expect_response(re.compile(r"/light-place$")) as made:
                press(page.get_by_role("region", name="View").locator("canvas"), at=self.on_model())
            self.assertTrue(made.value.ok, made.value.text())
        self.becomes(lambda: len(self.bench().reference().lights), 2)
        self.undo()
        with self.act("Press a picture onto the model", "inventory") as press:
            self.drawn()
            press(page.get_by_role("button", name="Press on"))
            with page.expect_response(re.compile(r"/press-on$")) as laid:
                press(page.get_by_role("region", name="View").locator("canvas"), at=self.on_model())
            self.assertTrue(laid.value.ok, laid.value.text())

    def faces(self) -> None:
        page = self.page
        status = page.get_by_role("form", name="Picked faces").get_by_role("status")
        before = self.open_edges()
        with self.act("Pick faces by a brush", "inventory") as press:
            self.drawn()
            press(page.get_by_role("button", name="Pick faces"))
            self.drawn()
            press(page.get_by_label("How faces are picked"), "by a brush")
            self.draw(self.view_at(0.35, 0.5), self.view_at(0.65, 0.5))
            expect(status).to_have_text(re.compile(r"faces? picked"))
        with self.act("Take picked faces away", "inventory") as press:
            self.drawn()
            press(page.get_by_role("button", name="Pick faces"))
            self.drawn()
            press(page.get_by_role("region", name="View").locator("canvas"), at=self.on_model())
            expect(status).to_have_text("1 face picked")
            press(page.get_by_role("button", name="Take away"))
            self.done()
        self.undo()
        with self.act("Cover a hole", "inventory?tab=findings") as press:
            press(page.get_by_role("button", name="Pick faces"))
            self.drawn()
            press(page.get_by_label("How faces are picked"), "by a rectangle")
            self.draw(self.view_at(0.05, 0.15), self.view_at(0.95, 0.8))
            expect(status).to_have_text(re.compile(r"faces picked"))
            press(page.get_by_role("button", name="Cover the hole"))
            expect(page.get_by_role("form", name="Picked faces")).to_have_count(0, timeout=60_000)
        # The crate came without its top: four edges.
        self.becomes(self.open_edges, before - 4)
        with self.act("Fill the frame of picked faces with a panel", "inventory") as press:
            press(page.get_by_role("button", name="Pick faces"))
            self.drawn()
            press(page.get_by_role("region", name="View").locator("canvas"), at=self.on_model())
            press(page.get_by_label("Fill the frame with"), "a panel that shines")
            expect(page.get_by_role("form", name="Picked faces")).to_have_count(0, timeout=60_000)
        self.becomes(
            lambda: sum(one.kind == "rectangle" for one in self.bench().reference().lights.values()), 1
        )

    def open_edges(self) -> int:
        held = self.bench().reference()
        return sum(len(rim.corners) for m in held.meshes.values() for rim in rims_of(m.primitives))

    def lamps(self) -> None:
        page = self.page
        with self.act("Add a lamp", "light") as press:
            press(page.get_by_label("Add a light"), "a point")
            expect(page.get_by_label("Strength of Added point 1")).to_be_visible()
        with self.act("Take an added lamp away", "light") as press:
            row = page.get_by_role("row").filter(has_text="Added point 1")
            press(row.get_by_label("More", exact=True), "take it away")
            expect(page.get_by_label("Strength of Added point 1")).to_have_count(0)
        with self.act("Set a lamp's strength", "light") as press:
            press(page.get_by_label("Strength of Spot"), "50")
            self.done()
            expect(page.get_by_label("Strength of Spot")).to_have_value("50")
        with self.act("Move a lamp round the subject", "light") as press:
            press(page.get_by_label("Spot, degrees round"), "90")
            self.done()
        with self.act("One more lamp like it", "light") as press:
            press(page.get_by_label("More", exact=True).first, "one more like it")
            expect(page.get_by_label("Strength of Spot, again")).to_be_visible()
        with self.act("Let a lamp throw no shadows", "light") as press:
            press(page.get_by_label("Spot casts shadows", exact=True))
            self.done()
        with self.act("Light a place with this lamp", "light") as press:
            press(page.get_by_label("More", exact=True).first, "light a place…")
            expect(page.get_by_role("group", name="Light a place")).to_be_visible()
            self.drawn()
            with page.expect_response(re.compile(r"/light-place$")) as made:
                press(page.get_by_role("region", name="View").locator("canvas"), at=self.on_model())
            self.assertTrue(made.value.ok, made.value.text())
        with self.act("Switch all lamps off", "light") as press:
            press(page.get_by_role("button", name="Switch all off"))
            expect(page.get_by_label("Spot on", exact=True)).not_to_be_checked()
        self.undo()

    def surroundings(self) -> None:
        page = self.page
        with self.act("Put a plain colour behind the subject", "light") as press:
            press(page.get_by_role("button", name=re.compile("^Backdrop")))
            press(page.get_by_label("Behind the subject"), "a plain colour")
            self.done()
        self.undo()
        with self.act("Fix the exposure", "light") as press:
            press(page.get_by_label("set by hand"))
            self.done()
        self.undo()

    def materials(self) -> None:
        page = self.page
        with self.act("Put a material of the library on a slot", "fit?material=material:Lacquer") as press:
            press(page.get_by_role("button", name="From the shelf"))
            press(page.get_by_role("button", name=re.compile("^Footlight brass")).first)
            self.done()
        self.undo()
        with self.act("Set a number by typing", "fit?material=material:Lacquer") as press:
            press(page.get_by_role("button", name="Change Roughness"))
            press(page.get_by_label("Roughness", exact=True), "0.25")
            self.done()
        self.becomes(
            lambda: self.bench().reference().materials["material:Lacquer"].inputs["roughness"].factor[0], 0.25
        )
        before = self.bench().reference().materials["material:Leaf"].inputs["roughness"].factor[0]
        with self.act("Put what one material differs by on another", "fit?material=material:Leaf") as press:
            page.keyboard.down("Control")
            press(page.get_by_role("listbox", name="materials").get_by_text("Lacquer"))
            page.keyboard.up("Control")
            press(page.get_by_label("The variant"), "Lacquer")
            press(page.get_by_label("What it is a variant of"), "Lacquer, as received")
            press(page.get_by_role("button", name="Put it on Leaf"))
            self.done()
        # From 0.4 to 0.25.
        self.becomes(
            lambda: self.bench().reference().materials["material:Leaf"].inputs["roughness"].factor[0],
            before * 0.25 / 0.4,
        )

    def proof(self) -> None:
        page = self.page
        with self.act("Draw one side alone", "proof") as press:
            press(page.get_by_role("button", name="more choices"))
            press(page.get_by_label("Sides"), "the reference alone")
            press(page.get_by_role("button", name="Draw"))
            expect(page.get_by_role("link", name="Save as PNG")).to_be_visible(timeout=120_000)
        page.evaluate("localStorage.removeItem('trasloco proof wish')")
        with self.act("Prove", "proof") as press:
            press(page.get_by_role("button", name="Prove", exact=True))
            expect(page.get_by_role("button", name="Wipe")).to_be_visible(timeout=180_000)
            expect(page.get_by_label("Figures")).to_be_visible(timeout=180_000)
        with self.act("Wipe between both sides", "proof") as press:
            press(page.get_by_role("button", name="Wipe"))
            expect(page.get_by_role("slider", name="Wipe")).to_be_visible()

    def around(self) -> None:
        page = self.page
        with self.act("See all keys", "inventory") as press:
            press(page.get_by_role("button", name="Keys"))
            expect(page.get_by_text("Pictures of a proof")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("3")
        page.wait_for_url("**/light")
        with self.act("Take back what was decided last", "inventory") as press:
            press(page.get_by_role("button", name="Undo"))
            expect(page.get_by_role("button", name="Redo")).to_be_enabled(timeout=60_000)
        with self.act("Go back to how it was received", "inventory") as press:
            press(page.get_by_role("button", name="History"))
            press(page.get_by_role("button", name="As it was received"))
            expect(page.get_by_role("button", name="Undo", exact=True)).to_be_disabled(timeout=60_000)
        with self.act("Choose another destination", "inventory") as press:
            press(page.get_by_label("Destination sheet"), "Fornace")
            expect(page.get_by_label("Destination sheet")).to_have_value("fornace")
        with self.act("Deliver", "handover") as press:
            button = page.get_by_role("button", name="Deliver", exact=True)
            expect(button).to_be_enabled(timeout=120_000)
            press(button)
            expect(page.get_by_role("link", name="Download")).to_be_visible(timeout=120_000)
