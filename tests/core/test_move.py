"""The whole move, on the demo's own deliveries, with figures."""

import json
import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from tests.carried import delivered
from tests.command import trasloco
from tests.core.test_arrival import rich
from tests.core.test_fit import BOTTEGA, LANTERNA, PLAIN
from tests.making import demo_files
from trasloco import move
from trasloco.formats.bundle import gather
from trasloco.proof.compare import Verdict, compare
from trasloco.proof.proving import under_light_of
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render, views_of
from trasloco.render.sample import render_sample
from trasloco.scene.digest import digest
from trasloco.scene.model import Scene

QUALITY = Quality(240, 135, 24, 3)


def mean_difference(reference: Scene, arrival: Scene, view: View) -> tuple[float, float]:
    worst = move.prove(reference, under_light_of(reference, arrival), [view], QUALITY).worst.comparison
    return worst.mean, worst.noise


PAPERS = ("contents.txt", "packing-list.json", "packing-list.txt", "report.html", "return-note.txt")
"""What lies beside a package."""


class Teatrino(TestCase):
    def test_the_demo_is_as_promised(self) -> None:
        clean, sky, _ = demo_files()
        made = move.receive(gather([clean, sky])).scene
        self.assertGreaterEqual(len(made.parts()), 40)
        self.assertGreaterEqual(len(made.materials), 12)
        self.assertEqual(len(made.cameras), 2)
        self.assertEqual(sorted({light.kind for light in made.lights.values()}), ["point", "sun"])
        self.assertIsNotNone(made.environment)
        sides = {max(i.width, i.height) for i in made.images.values() if i.kind == "png"}
        self.assertTrue(min(sides) >= 512 and max(sides) == 2048)

    def test_every_fault_of_the_received_delivery_is_found_and_nothing_else_is_turned(self) -> None:
        received = move.receive(gather([demo_files()[2]]))
        found: dict[str, set[str]] = {}
        for finding in move.survey(received, BOTTEGA, LANTERNA):
            names = {received.scene.nodes[t].name for t in finding.targets if t in received.scene.nodes} or {
                finding.where.split(" · ")[0]
            }
            found.setdefault(finding.kind, set()).update(names)
        self.assertEqual(found["faces_away"], {"Wing flat left 1", "Trunk lid"})
        self.assertEqual(found["leftover_tint"], {"Trunk body", "Trunk lid"})
        self.assertEqual(found["duplicate"], {"Pulcino", "Pulcino copy"})
        self.assertEqual(found["stray"], {"packing crate", "work light", "rehearsal viewpoint"})
        self.assertEqual(found["missing_image"], {"laurel_mask.tga"})
        self.assertEqual(found["refused_size"], {"costume_col.jpg", "costume_gloss.png"})
        self.assertTrue({"unit", "axis"} <= set(found))

    def test_after_mends_and_fit_it_proves_clearly_closer_than_passed_on_untouched(self) -> None:
        clean, sky, archive = demo_files()
        common = move.mend(move.receive(gather([clean, sky])).scene, PLAIN)
        view = views_of(common)[0]
        received = move.receive(gather([archive]))
        mends = [d for f in move.survey(received, BOTTEGA, LANTERNA) if f.mends for d in f.mends[0].decisions]
        reference = move.mend(received.scene, BOTTEGA, mends)
        fitted = move.arrive(
            move.package(
                move.carry(reference, move.plan(reference, BOTTEGA, LANTERNA, mends), LANTERNA), LANTERNA
            ),
            LANTERNA,
        )
        literal = move.mend(received.scene, PLAIN)
        untouched = move.arrive(
            move.package(move.carry(literal, move.pass_on_untouched(literal, LANTERNA), LANTERNA), LANTERNA),
            LANTERNA,
        )
        # Even the unit and the axis put right by hand, the rest passed on as it is.
        sized = move.mend(received.scene, PLAIN, [d for d in mends if d.target == "scene"])
        turned = move.arrive(
            move.package(move.carry(sized, move.pass_on_untouched(sized, LANTERNA), LANTERNA), LANTERNA),
            LANTERNA,
        )
        (good, noise), (bad, _), (halfway, _) = (
            mean_difference(common, made, view) for made in (fitted, untouched, turned)
        )
        print(
            f"\n    fitted ΔE {good:.2f} (noise {noise:.2f}), untouched ΔE {bad:.2f}, untouched but sized ΔE {halfway:.2f}"
        )
        self.assertLess(good, 2.3)
        self.assertGreater(bad, 15)
        self.assertGreater(halfway, 5)
        self.assertGreater(halfway - good, 4)


class Proofs(TestCase):
    def test_a_scene_against_itself_differs_by_nothing(self) -> None:
        given = rich()
        proof = move.prove(given, given, quality=Quality(64, 36, 4, 2))
        self.assertEqual(
            (proof.worst.comparison.mean, proof.worst.comparison.noise, proof.verdict), (0.0, 0.0, "not seen")
        )

    def test_noise_is_of_the_size_of_what_sampling_alone_does(self) -> None:
        """Two unpaired pictures of one scene: their mean difference is noise, and the floor must be near it."""
        given = flatten(rich())
        view = views_of(rich())[0]
        whole = render(given, view, Quality(96, 54, 32, 2))
        first = Picture(whole.even, whole.even, whole.ids, 16, 0)
        second = Picture(whole.odd, whole.odd, whole.ids, 16, 0)
        real = compare(first, second, 6.0, given.material_ids, given.part_ids)
        halves = render(given, view, Quality(96, 54, 16, 2))
        independent = Picture(second.even * 0 + halves.even, halves.odd, whole.ids, 16, 0)
        other = Picture(whole.odd, whole.even, whole.ids, 16, 0)
        floor = compare(independent, other, 6.0, given.material_ids, given.part_ids)
        self.assertGreater(real.mean, 0)
        self.assertTrue(0.2 * floor.mean < floor.noise < 5 * floor.mean)

    def test_verdicts_have_the_words_and_limits(self) -> None:
        limits = Verdict()
        self.assertEqual(
            [limits.words(v) for v in (0.5, 1.5, 3.0, 8.0)],
            ["not seen", "hardly seen", "seen when compared", "seen at once"],
        )
        self.assertEqual(Verdict(not_seen=2.0).words(1.5), "not seen")

    def test_materials_are_told_apart(self) -> None:
        given = rich()
        changed = move.mend(given, PLAIN, [])
        from trasloco.scene.model import Decision

        changed = move.mend(
            given,
            PLAIN,
            [
                Decision("material:cloth/base_color", "factor", [0.9, 0.1, 0.1]),
                Decision("material:cloth/emission", "factor", [0.0, 0.0, 0.0]),
            ],
        )
        shares = move.prove(given, changed, quality=Quality(160, 90, 8, 1)).worst.comparison.materials
        self.assertEqual(shares[0].id, "material:cloth")

    def test_the_first_picture_is_coarse_and_early(self) -> None:
        seen: list[tuple[str, tuple[int, ...]]] = []
        move.prove(
            rich(),
            rich(),
            quality=Quality(64, 36, 8, 1),
            on_pass=lambda view, side, picture, ev: seen.append((side, picture.even.shape)),
        )
        self.assertEqual(
            [s for s in seen if s[1] == (9, 16, 3)],
            [("reference", (9, 16, 3)), ("reference", (9, 16, 3)), ("arrival", (9, 16, 3))],
        )
        self.assertEqual(seen[0], ("reference", (9, 16, 3)))
        self.assertIn(("arrival", (36, 64, 3)), seen)

    def test_samples_show_the_material(self) -> None:
        given = rich()
        red, blue = (
            render_sample(given, f"material:{m}", 48, 4).radiance.mean(axis=(0, 1))
            for m in ("paint", "cloth")
        )
        self.assertGreater(red[2], red[0])
        self.assertGreater(blue[0], blue[2])


class Purity(TestCase):
    def test_the_same_inputs_make_the_same_bytes(self) -> None:
        first, second = (delivered(rich(), LANTERNA).files for _ in range(2))
        self.assertEqual(digest(first), digest(second))

    def test_plans_and_scenes_have_stable_digests(self) -> None:
        self.assertEqual(digest(rich()), digest(rich()))
        self.assertNotEqual(digest(np.zeros(3)), digest(np.zeros(4)))


class CommandLine(TestCase):
    def test_survey_move_and_refusal(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            from trasloco.formats.gltf_write import write_glb

            source = Path(folder) / "rich.glb"
            source.write_bytes(write_glb(rich()))
            told = trasloco("survey", str(source), "--json")
            self.assertEqual((told.returncode, json.loads(told.stdout)["parts"]), (1, 5), told.stderr)
            self.assertEqual(
                {f["kind"] for f in json.loads(told.stdout)["findings"]}, {"not_normals", "half_metal"}
            )  # its images are noise
            decisions = Path(folder) / "d.json"
            decisions.write_text(json.dumps([{"target": "part:Pane", "field": "include", "value": False}]))
            out = Path(folder) / "out"
            moved = trasloco(
                "move",
                str(source),
                "--from",
                "plain",
                "--to",
                "lanterna",
                "--out",
                str(out),
                "--decisions",
                str(decisions),
                "--json",
            )
            self.assertEqual(moved.returncode, 1, moved.stderr)
            document = json.loads(moved.stdout)
            self.assertEqual(document["plan"]["marks"]["lost"], 2)  # sheen and its roughness
            self.assertEqual(
                sorted(p.relative_to(out).as_posix() for p in out.rglob("*") if p.is_file()),
                sorted([*document["files"], *PAPERS]),
            )
            listed = (out / "contents.txt").read_text()
            self.assertIn("Mended and decided\n  Pane: left out\n", listed)
            self.assertNotIn("\n  Pane\n", listed)
            # Nothing is written over, and nothing is delivered that is empty.
            command = ("move", str(source), "--from", "plain", "--to", "lanterna", "--out", str(out))
            again = trasloco(*command, "--json", "--within", "5")
            self.assertEqual(json.loads(again.stdout)["out"], f"{out}-2")
            subject = json.loads(again.stdout)["proof"]["subject"]
            self.assertLessEqual(subject["high"] - subject["low"], 10)
            none = [{"target": "scene", "field": "leave_out", "value": [{"name": "*"}]}]
            decisions.write_text(json.dumps(none))
            empty = trasloco(*command, "--decisions", str(decisions))
            self.assertEqual(empty.returncode, 2, empty.stdout)
            self.assertIn("empty", empty.stderr)
            self.assertFalse(Path(f"{out}-3").exists())
            everything = trasloco(
                "move",
                str(source),
                "--from",
                "plain",
                "--to",
                "fornace",
                "--out",
                str(Path(folder) / "f"),
                "--json",
            )
            self.assertEqual(json.loads(everything.stdout)["plan"]["marks"]["blocked"], 0)
            for words in (
                ("survey", str(Path(folder) / "nowhere.glb")),
                ("move", str(source), "--from", "plain", "--to", "narnia", "--out", str(out)),
                (*command, "--within", "0.001"),
                (
                    "move",
                    str(source),
                    "--from",
                    "plain",
                    "--to",
                    "lanterna",
                    "--out",
                    str(out),
                    "--decisions",
                    str(source),
                ),
            ):
                refused = trasloco(*words)
                self.assertEqual(refused.returncode, 2, words)
                self.assertNotIn("Traceback", refused.stderr)
                self.assertTrue(refused.stderr.strip())
