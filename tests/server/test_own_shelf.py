"""A person's own shelf: kept from one move, used in another, out as MaterialX and in again, nobody else's."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import MaterialX as mx
import numpy as np
from django.contrib.auth.models import User
from django.test import Client, override_settings
from PIL import Image as Pillow

from server.moves.bench import Bench
from server.moves.models import Kept, Move
from server.moves.room import blobs_of, purge
from server.moves.store import blob_path
from tests.making import image, material, quad, scene
from tests.server.making import GLB, ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.images import pixels
from trasloco.scene.model import Input, Texture

STRIPES = np.zeros((16, 16, 3), np.uint8)
STRIPES[:, ::2] = (200, 40, 90)
CLOTH = write_glb(
    scene(
        quad(material="material:cloth"),
        materials=(
            material(
                "cloth",
                base_color=Input((1.0, 1.0, 1.0), Texture("image:stripes", "rgb", "srgb")),
                roughness=(0.62,),
                sheen_color=(0.5, 0.25, 0.125),
            ),
        ),
        images=(image("stripes", STRIPES),),
    )
)


def numbers_of(archive: zipfile.ZipFile) -> dict[str, list[float]]:
    """Numbers of a document's surface by input, to single precision."""
    document = mx.createDocument()
    mx.readFromXmlString(document, archive.read("materials.mtlx").decode())
    (surface,) = document.getNodes("open_pbr_surface")
    told = {given.getName(): given.getValueString() for given in surface.getInputs()}
    return {
        name: [round(float(v), 6) for v in text.split(",")]
        for name, text in told.items()
        if text[:1].isdigit()
    }


class OwnShelf(ServerTest):
    def setUp(self) -> None:
        self.first = self.made({"cloth.glb": CLOTH}, name="first")
        self.cloth = self.materials(self.first)["cloth"]["id"]

    def materials(self, move: int) -> dict[str, dict[str, Any]]:
        return {m["name"]: m for m in self.ask(f"/moves/{move}/fit")["materials"]}

    def kept(self, name: str = "Striped cloth") -> dict[str, Any]:
        made = self.ask(f"/moves/{self.first}/keep", "POST", {"material": self.cloth, "name": name})
        return dict(made)

    def bench(self, move: int) -> Bench:
        return Bench(Move.objects.get(id=move))

    def worn(self, move: int, slot: str) -> tuple[Any, np.ndarray[Any, Any]]:
        scene = self.bench(move).reference()
        found = scene.materials[slot]
        texture = found.inputs["base_color"].texture
        assert texture is not None
        return found, pixels(scene.images[texture.image])

    def test_kept_in_one_move_and_put_on_a_slot_of_another(self) -> None:
        told = self.kept()
        self.assertEqual((told["name"], told["images"]), ("Striped cloth", 1))
        other = self.made({"rich.glb": GLB}, name="second")
        slot = next(iter(self.materials(other).values()))
        self.ask(f"/moves/{other}/from-kept", "POST", {"kept": told["id"], "slot": slot["id"]})
        self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        found, texels = self.worn(other, slot["id"])
        self.assertEqual(found.name, slot["name"])
        self.assertAlmostEqual(found.inputs["roughness"].factor[0], 0.62, 6)
        np.testing.assert_allclose(found.inputs["sheen_color"].factor, (0.5, 0.25, 0.125), atol=1e-6)
        np.testing.assert_array_equal(np.asarray(texels)[..., :3], STRIPES)
        self.assertFalse([f for f in self.bench(other).findings() if f.kind == "library"])
        self.ask(f"/moves/{other}/undo", "POST")
        self.assertEqual(self.materials(other)[slot["name"]]["inputs"], slot["inputs"])

    def test_a_second_slot_takes_it_at_once_and_a_new_material_starts_as_it(self) -> None:
        told = self.kept()
        other = self.made({"rich.glb": GLB}, name="second")
        part = self.ask(f"/moves/{other}/inventory")["parts"][0]["id"]
        wanted = {"kept": told["id"], "name": "Awning", "on": [part]}
        self.ask(f"/moves/{other}/from-kept", "POST", wanted)
        self.assertEqual([(job.state, job.refusal) for job in self.work()], [("done", None)])
        self.assertIn("Awning", self.materials(other))
        slot = next(m for name, m in self.materials(other).items() if name != "Awning")
        self.ask(f"/moves/{other}/from-kept", "POST", {"kept": told["id"], "slot": slot["id"]})
        self.assertEqual(self.work(), [])
        self.assertAlmostEqual(self.worn(other, slot["id"])[0].inputs["roughness"].factor[0], 0.62, 6)
        twice = self.ask(f"/moves/{other}/from-kept", "POST", wanted, expect=422)
        self.assertIn("Awning already", twice["what"])
        self.ask(f"/moves/{other}/from-kept", "POST", {"kept": told["id"]}, expect=422)

    def test_out_as_materialx_and_in_again(self) -> None:
        response = self.client.get(f"/api/moves/{self.first}/material.zip?material={self.cloth}")
        archive = zipfile.ZipFile(io.BytesIO(response.content))
        document = mx.createDocument()
        mx.readFromXmlString(document, archive.read("materials.mtlx").decode())
        self.assertTrue(document.validate()[0])
        (surface,) = document.getNodes("open_pbr_surface")
        self.assertAlmostEqual(surface.getInputValue("specular_roughness"), 0.62, 6)
        picture = next(name for name in archive.namelist() if name.endswith(".png"))
        self.assertIn(picture, {e.getValueString() for e in document.traverseTree() if e.isA(mx.Input)})
        with Pillow.open(io.BytesIO(archive.read(picture))) as held:
            np.testing.assert_array_equal(np.asarray(held.convert("RGB")), STRIPES)
        (brought,) = self.upload({"mine.zip": response.content}, path="/kept/bring")
        self.assertEqual((brought["name"], brought["images"]), ("cloth", 1))
        again = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/kept/{brought['id']}.zip").content))
        self.assertEqual(numbers_of(again), numbers_of(archive))
        told = self.upload({"no.png": b"\x89PNG"}, path="/kept/bring", expect=422)
        self.assertIn("no MaterialX document", told["what"])

    def test_names_are_free_and_what_is_taken_off_comes_back(self) -> None:
        first, second = self.kept("Cloth, worn"), self.kept("Cloth, worn")
        self.assertEqual(second["name"], "Cloth, worn, 2")
        self.ask(f"/kept/{second['id']}", "PUT", {"name": "Cloth, clean"})
        self.ask(f"/kept/{first['id']}", "DELETE")
        self.assertEqual([k["name"] for k in self.ask("/kept")], ["Cloth, clean"])
        self.ask(f"/kept/{first['id']}/back", "POST")
        self.assertEqual([k["name"] for k in self.ask("/kept")], ["Cloth, clean", "Cloth, worn"])
        response = self.client.get(f"/api/kept/{first['id']}.png")
        with Pillow.open(io.BytesIO(response.content)) as held:
            self.assertEqual(held.size, (76, 76))

    def test_it_outlives_the_move_it_came_from(self) -> None:
        told = self.kept()
        files = Kept.objects.get(id=told["id"]).files
        self.assertLess(set(files.values()), blobs_of())
        purge(Move.objects.get(id=self.first))
        self.assertTrue(all(blob_path(blob).is_file() for blob in files.values()))

    def test_it_is_nobody_else_s(self) -> None:
        people = {name: User.objects.create_user(name, password="many words") for name in ("ada", "bice")}
        told = Kept.objects.get(id=self.kept()["id"])
        Kept.objects.filter(id=told.id).update(owner=people["ada"])
        with override_settings(ACCOUNTS=True):
            self.client = Client()
            self.client.force_login(people["bice"])
            self.assertEqual(self.ask("/kept"), [])
            for method, end in (("GET", ".zip"), ("GET", ".png"), ("DELETE", ""), ("POST", "/back")):
                answer = self.client.generic(method, f"/api/kept/{told.id}{end}")
                self.assertEqual(answer.status_code, 404, (method, end))

    def test_variants_of_one_lie_with_it(self) -> None:
        def keep(name: str, base: int | None = None) -> dict[str, Any]:
            body = {"material": self.cloth, "name": name, "variant_of": base}
            return self.ask(f"/moves/{self.first}/keep", "POST", body)  # type: ignore[no-any-return]

        def shelf() -> dict[str, int | None]:
            return {one["name"]: one["variant_of"] for one in self.ask("/kept")}

        new, other = keep("Velvet"), keep("Felt")
        worn = keep("worn", new["id"])
        faded = keep("faded", worn["id"])  # a variant of a variant is one of the same
        self.assertEqual((worn["variant_of"], faded["variant_of"]), (new["id"], new["id"]))
        again = keep("worn", new["id"])
        self.assertEqual(again["name"], "worn, 2")
        self.assertEqual(keep("worn", other["id"])["name"], "worn")
        # What becomes a variant takes its own along; nothing is a variant of itself.
        put = {"name": "Velvet", "variant_of": other["id"]}
        self.assertEqual(self.ask(f"/kept/{new['id']}", "PUT", put)["variant_of"], other["id"])
        self.assertEqual(shelf()["faded"], other["id"])
        put = {"name": "Felt", "variant_of": other["id"]}
        self.assertIsNone(self.ask(f"/kept/{other['id']}", "PUT", put)["variant_of"])
        # Taken off, its variants stand by themselves until it is back.
        self.ask(f"/kept/{other['id']}", "DELETE")
        self.assertIsNone(shelf()["faded"])
        self.ask(f"/kept/{other['id']}/back", "POST")
        self.assertEqual(shelf()["faded"], other["id"])
        self.ask(f"/kept/{new['id']}", "PUT", {"name": "Velvet", "variant_of": 10**9}, expect=404)
