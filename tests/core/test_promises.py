"""Every mark is held to its word: generated materials through plan, carry, package and arrival, for every
pair of built-in sheets.
"""

import random
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, material, noise_image, quad, scene
from trasloco import move
from trasloco.fit.formulas.codes import encode_values
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.model import Crossing, Plan
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.mends.settling import settle
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.scene.resolve import emission_in_one, input_values
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.model import Sheet

SOURCES = [s for s in built_in_sheets().values() if s.role == "source"]
DESTINATIONS = [s for s in built_in_sheets().values() if s.role == "destination"]
ROUNDS = 10
FEATURES = ("plain", "tinted", "inverted", "channel", "deep", "odd", "green down", "curved")
RANGES = {
    "ior": (1.0, 2.4),
    "attenuation_distance": (0.1, 3.0),
    "emission_strength": (1.0, 40.0),
    "iridescence_ior": (1.1, 2.0),
    "iridescence_thickness": (100.0, 800.0),
}


def drawn(rng: random.Random) -> Scene:
    """A material of some inputs, each a constant or an image with a feature."""
    names = [
        "base_color",
        "metalness",
        "roughness",
        *rng.sample(
            [n for n in INPUTS if n not in ("base_color", "metalness", "roughness")], rng.randint(1, 9)
        ),
    ]
    if "normal" in names and "height" in names:
        names.remove("height")
    inputs: dict[str, Input] = {}
    images = []
    for name in names:
        spec = INPUTS[name]
        low, high = RANGES.get(name, (0.05, 0.95))
        factor = tuple(round(rng.uniform(low, high), 3) for _ in range(spec.channels))
        if (
            name in VECTORS
            or name == "height"
            or (
                rng.random() < 0.6
                and name not in RANGES
                and name not in ("attenuation_color", "dispersion", "anisotropy_rotation")
            )
        ):
            feature = rng.choice(FEATURES)
            channels = 4 if feature == "channel" else 3
            picture = noise_image(
                name,
                24 if feature == "odd" else 16,
                40 if feature == "odd" else 16,
                channels,
                np.uint16 if feature == "deep" else np.uint8,
                seed=rng.randrange(99),
            )
            images.append(picture)
            texture = Texture(
                picture.id,
                "rgb" if spec.channels == 3 else rng.choice("rgba") if feature == "channel" else "r",
                "srgb" if spec.color and feature != "deep" else "linear",
            )
            if name in VECTORS:
                texture = replace(texture, green_up=feature != "green down", strength=rng.choice((1.0, 0.5)))
            elif name == "height":
                texture = replace(texture, strength=0.02, invert=feature == "inverted")
            elif feature in ("inverted", "curved") and spec.channels == 1:
                texture = replace(
                    texture,
                    invert=True,
                    curve="squared" if feature == "curved" and name == "roughness" else "linear",
                )
            ones = spec.default if name in VECTORS else (1.0,) * spec.channels
            inputs[name] = Input(
                factor if feature == "tinted" and name not in VECTORS and name != "height" else ones, texture
            )
        else:
            inputs[name] = Input(factor)
    mode = rng.choice(("opaque", "mask", "blend")) if "opacity" in inputs else "opaque"
    return replace(
        scene(quad(), materials=(material(alpha_mode=mode, **inputs),), images=tuple(images)),
        declares=DECLARED,
    )


class Promises(TestCase):
    def test_every_mark_of_every_pair_of_sheets(self) -> None:
        counted: dict[str, int] = {}
        for source in SOURCES:
            for destination in DESTINATIONS:
                for number in range(ROUNDS):
                    name = f"{source.name} to {destination.name} {number}"
                    with self.subTest(name):
                        reference = move.mend(settle(drawn(random.Random(name)), source, ()), source)
                        plan = move.plan(reference, source, destination)
                        carried = move.carry(reference, plan, destination)
                        arrival = move.arrive(move.package(carried, destination), destination)
                        for crossing in carried.plan.crossings:
                            counted[crossing.mark] = counted.get(crossing.mark, 0) + 1
                            self.hold(crossing, carried.plan, reference, arrival, destination)
        print("\n    crossings held to their marks:", dict(sorted(counted.items())))
        self.assertGreater(counted["exact"], 150)
        self.assertGreater(counted["close"], 40)

    def hold(
        self, crossing: Crossing, plan: Plan, reference: Scene, arrival: Scene, destination: Sheet
    ) -> None:
        arrived = next(iter(arrival.materials.values()))
        label = f"{crossing.id} {crossing.mark} ({crossing.reason}) by {[s.text for s in crossing.steps]}"
        if crossing.mark in ("lost", "blocked"):
            self.assertTrue(crossing.reason, label)
            self.assertEqual(crossing.landing.input, "", label)
            return
        if crossing.mark == "close":
            self.assertTrue(crossing.reason, label)
        if not crossing.landing.input:
            return
        got = self.values(crossing.landing.input, arrived, arrival)
        wanted = self.meant(crossing, reference)
        if crossing.name in ("emission", "emission_strength"):
            # They mean something as a product, which a format may hold in one number.
            fate = {c.name: c.mark for c in plan.crossings}
            if crossing.name == "emission_strength" and fate.get("emission", "lost") != "lost":
                return  # held with the colour
            if fate.get("emission_strength", "lost") != "lost":
                sent = next(iter(reference.materials.values()))
                wanted = wanted * self.values("emission_strength", sent, reference)
                got = got * self.values("emission_strength", arrived, arrival)
        if any(step.kind in ("metal", "points") for step in crossing.steps):
            return  # held by tests of their own
        planned = next((i for i in plan.images if i.path == crossing.landing.image), None)
        tolerance = (
            1e-5 * max(1.0, float(np.abs(wanted).max()))
            if planned is None
            else self.code_size(crossing, planned.depth)
        )
        encode = (
            planned.encoding
            if planned is not None and wanted.shape[-1] == 3 and crossing.landing.input not in VECTORS
            else "linear"
        )
        if crossing.landing.input in VECTORS or planned is None:
            a, b = wanted, got
        else:
            a, b = encode_values(wanted, encode), encode_values(got, encode)  # type: ignore[arg-type]
        if crossing.mark == "exact":
            rows, columns = max(a.shape[0], b.shape[0]), max(a.shape[1], b.shape[1])
            difference = np.abs(
                np.broadcast_to(a, (rows, columns, a.shape[2]))
                - np.broadcast_to(b, (rows, columns, b.shape[2]))
            )
            self.assertLessEqual(float(difference.max()), tolerance, label)
        elif planned is not None and crossing.rms is not None:
            if a.shape[:2] != b.shape[:2]:
                smaller = resample(wanted, b.shape[1], b.shape[0])
                smaller = smaller if smaller.ndim == 3 else smaller[..., None]
                a = smaller if crossing.landing.input in VECTORS else encode_values(smaller, encode)  # type: ignore[arg-type]
            apart = a - b
            if any(step.kind == "pad" for step in crossing.steps):
                shape = apart.shape[:2]
                seen = self.values("opacity", next(iter(reference.materials.values())), reference)[..., 0]
                seen = seen if seen.shape in (shape, (1, 1)) else resample(seen, shape[1], shape[0])
                apart = apart * (seen > 1 / 255)[..., None]
            found = float(np.sqrt(np.mean(apart**2)))
            half = (
                0.5 if crossing.landing.input in VECTORS else 1.0
            )  # marks measure directions as they are stored, in half their length
            self.assertLessEqual(found * half, crossing.rms + tolerance, label)

    def code_size(self, crossing: Crossing, depth: int) -> float:
        code = 1 / (255 if depth == 8 else 65535)
        if crossing.landing.input in VECTORS:
            return 2 * 1.5 * code + 1e-4
        return (1.001 if any(step.kind == "depth" for step in crossing.steps) else 0.51) * code + 2e-6

    def values(self, name: str, of: Material, held: Scene) -> Any:
        given = of.inputs.get(name, Input(INPUTS[name].default))
        return input_values(name, given, held.images.get(given.texture.image) if given.texture else None)

    def meant(self, crossing: Crossing, reference: Scene) -> Any:
        """What the reference says in terms of what the crossing lands on."""
        values = self.values(crossing.name, next(iter(reference.materials.values())), reference)
        if any(step.kind == "see_through" for step in crossing.steps):
            return 1 - values
        if any(step.settings.get("mean") for step in crossing.steps):
            return values.reshape(-1, values.shape[-1]).mean(axis=0).reshape(1, 1, -1)
        if crossing.name == "ior" and crossing.landing.input == "specular":
            weight = self.values("specular", next(iter(reference.materials.values())), reference)
            return np.minimum(((values - 1) / (values + 1)) ** 2 / 0.04 * weight, 1)
        return values


class Rules(TestCase):
    def arrived(
        self, made: Material, destination: str, *images: Any
    ) -> tuple[dict[str, Crossing], Material, Scene]:
        given = replace(scene(quad(), materials=(made,), images=images), declares=DECLARED)
        sheet, plain = built_in_sheets()[destination], built_in_sheets()["plain"]
        plan = move.plan(given, plain, sheet)
        carried = move.carry(given, plan, sheet)
        arrival = move.arrive(move.package(carried, sheet), sheet)
        return {c.name: c for c in carried.plan.crossings}, next(iter(arrival.materials.values())), arrival

    def test_specular_colour_becomes_metalness_where_nothing_else_is_taken(self) -> None:
        brass = material(
            base_color=(0.0, 0.0, 0.0),
            metalness=(0.0,),
            roughness=(0.3,),
            specular_color=(0.91 / 0.04, 0.78 / 0.04, 0.42 / 0.04),
        )
        crossings, made, _ = self.arrived(brass, "lanterna")
        np.testing.assert_allclose(made.inputs["base_color"].factor, (0.91, 0.78, 0.42), atol=0.02)
        self.assertGreater(made.inputs["metalness"].factor[0], 0.99)
        self.assertEqual((crossings["specular_color"].mark, crossings["base_color"].mark), ("close", "close"))
        _, kept, _ = self.arrived(brass, "fornace")
        np.testing.assert_allclose(
            kept.inputs["specular_color"].factor, brass.inputs["specular_color"].factor, rtol=1e-5
        )

    def test_specular_images_become_metalness_images(self) -> None:
        shine = np.zeros((16, 16, 3), np.uint8)
        shine[:, :8] = (245, 229, 173)  # a metal on the left, nothing special on the right: 0.04 linear
        shine[:, 8:] = 56
        from tests.making import image

        half = material(
            base_color=Input((0.0, 0.0, 0.0)),
            metalness=(0.0,),
            roughness=(0.3,),
            specular_color=Input((25.0, 25.0, 25.0), Texture("image:shine", "rgb", "srgb")),
        )
        crossings, made, arrival = self.arrived(half, "taccuino", image("shine", shine))
        metal = input_values(
            "metalness", made.inputs["metalness"], arrival.images[made.inputs["metalness"].texture.image]
        )[..., 0]  # type: ignore[union-attr]
        self.assertGreater(float(metal[:, :8].min()), 0.98)
        self.assertLess(crossings["specular_color"].rms or 1, 0.02)

    def test_an_index_becomes_a_specular_level(self) -> None:
        water = material(base_color=(0.5, 0.5, 0.5), ior=(1.33,))
        crossings, made, _ = self.arrived(water, "lanterna")
        self.assertAlmostEqual(made.inputs["specular"].factor[0], 0.5015, places=3)
        self.assertEqual(crossings["ior"].mark, "exact")
        crossings, made, _ = self.arrived(material(base_color=(0.5, 0.5, 0.5), ior=(2.4,)), "lanterna")
        self.assertEqual((crossings["ior"].mark, made.inputs["specular"].factor[0]), ("close", 1.0))

    def test_blending_becomes_a_cut_that_hides_as_much(self) -> None:
        from tests.making import image

        ramp = np.tile(np.arange(256, dtype=np.uint8)[None, :, None] // 2, (16, 1, 1))  # mean a quarter
        veil = material(alpha_mode="blend", base_color=(0.5, 0.5, 0.5), opacity=Texture("image:veil", "r"))
        crossings, made, arrival = self.arrived(veil, "taccuino", image("veil", ramp))
        self.assertEqual((made.alpha_mode, crossings["opacity"].mark), ("mask", "close"))
        alpha = input_values(
            "opacity", made.inputs["opacity"], arrival.images[made.inputs["opacity"].texture.image]
        )  # type: ignore[union-attr]
        self.assertAlmostEqual(
            float((alpha >= made.alpha_cutoff).mean()), float(ramp.mean() / 255), delta=0.01
        )

    def test_smaller_images_keep_shine_and_cut(self) -> None:
        from tests.making import image

        side = 2048 * 2
        tilt = np.where(np.arange(side) % 2 == 0, 0.3, -0.3)
        row = np.stack([-tilt, np.zeros(side), np.ones(side)], -1) / np.sqrt(1.09)
        normal = np.round((np.tile(row, (side // 64, 1, 1)) * 0.5 + 0.5) * 255).astype(np.uint8)
        made = material(
            base_color=(0.5, 0.5, 0.5), roughness=Texture("image:rough", "r"), normal=Texture("image:saw")
        )
        crossings, arrived, arrival = self.arrived(
            made, "lanterna", image("rough", np.full((16, side, 1), 102, np.uint8)), image("saw", normal)
        )
        self.assertIn("widen", [s.kind for s in crossings["roughness"].steps])
        rough = input_values(
            "roughness",
            arrived.inputs["roughness"],
            arrival.images[arrived.inputs["roughness"].texture.image],
        )  # type: ignore[union-attr]
        self.assertAlmostEqual(float(np.median(rough)), (0.4**4 + 0.09) ** 0.25, delta=0.01)

    def test_colour_under_a_cut_out_is_padded_and_that_is_told(self) -> None:
        from tests.making import image

        leaf = np.zeros((16, 16, 4), np.uint8)
        leaf[4:12, 4:12] = (30, 160, 60, 255)
        leaf[:4, :, :3] = 255
        made = material(
            alpha_mode="mask",
            base_color=Texture("image:leaf", "rgb", "srgb"),
            opacity=Texture("image:leaf", "a"),
        )
        crossings, arrived, arrival = self.arrived(made, "lanterna", image("leaf", leaf))
        from trasloco.scene.images import pixels

        texels = pixels(arrival.images[arrived.inputs["base_color"].texture.image])  # type: ignore[union-attr]
        self.assertEqual({tuple(t) for t in texels[..., :3].reshape(-1, 3)}, {(30, 160, 60)})
        self.assertTrue((texels[..., 3] == leaf[..., 3]).all())
        self.assertEqual(crossings["base_color"].mark, "close")
        self.assertIn("cut away", crossings["base_color"].reason)

    def test_occlusion_is_multiplied_in_only_where_a_sheet_says_so(self) -> None:
        from tests.making import image

        sheet = built_in_sheets()["taccuino"]
        asking = sheet.model_copy(
            update={"materials": sheet.materials.model_copy(update={"occlusion_multiplied": True})}
        )
        made = material(base_color=(0.5, 0.25, 1.0), occlusion=Texture("image:ao", "r"))
        given = replace(
            scene(quad(), materials=(made,), images=(image("ao", np.full((16, 16, 1), 128, np.uint8)),)),
            declares=DECLARED,
        )
        for told, expected in (
            (sheet, (0.5, 0.25, 1.0)),
            (asking, tuple(c * 128 / 255 for c in (0.5, 0.25, 1.0))),
        ):
            carried = move.carry(given, move.plan(given, built_in_sheets()["plain"], told), told)
            base = carried.scene.materials["material:m"].inputs["base_color"]
            shown = input_values(
                "base_color",
                base,
                carried.images.get(base.texture.image.removeprefix("image:")) if base.texture else None,
            )
            np.testing.assert_allclose(shown[0, 0], expected, atol=0.004)


class Emission(TestCase):
    def test_emission_arrives_with_its_strength_or_the_strength_is_told_as_lost(self) -> None:
        """A number, an image, a tinted image and a number above one, at every destination that knows
        emission.
        """
        picture = noise_image("glow", 8, 8)
        image = Texture(picture.id, "rgb", "srgb")
        for label, emission, strength in (
            ("number", Input((1.0, 0.5, 0.25)), 4.0),
            ("image", Input((1.0, 1.0, 1.0), image), 4.0),
            ("tinted image", Input((0.5, 0.5, 0.5), image), 3.0),
            ("above one", Input((4.0, 2.0, 1.0)), 1.0),
        ):
            relief = Texture(picture.id, "rgb", strength=0.5)  # another strength, which is none of its own
            lamp = material("lamp", emission=emission, emission_strength=(strength,), normal=relief)
            given = scene(quad(1, lamp.id), materials=(lamp,), images=(picture,))
            for destination in DESTINATIONS:
                with self.subTest(f"{label} to {destination.name}"):
                    plan = move.plan(given, SOURCES[0], destination)
                    carried = move.carry(given, plan, destination)
                    arrival = move.arrive(move.package(carried, destination), destination)
                    told = move.account(given, arrival, carried.plan, destination)
                    self.assertEqual([(e.title, e.sent, e.arrived) for e in told.unaccounted], [])
                    (there,) = arrival.materials.values()
                    lost = {c.name for c in plan.crossings if c.mark == "lost"}
                    if emission.texture is None and "emission" not in lost:
                        shines = np.array(emission_in_one(there))
                        sent = np.array(emission.factor) * (1.0 if "emission_strength" in lost else strength)
                        np.testing.assert_allclose(shines, sent, rtol=1e-5)
