"""Loose images over the API: proposed for slots, accepted as decisions, undone."""

from tests.making import demo_files
from tests.server.making import ServerTest


class FamiliesApi(ServerTest):
    def trunk(self) -> int:
        demo_files()
        move: int = self.ask("/moves/from-sample", "POST", {"file": "trunk-and-images.zip"})["id"]
        self.work()
        return move

    def test_loose_images_fall_into_place_and_can_be_taken_out_again(self) -> None:
        move = self.trunk()
        told = self.ask(f"/moves/{move}/families")
        by_name = {
            p["material_name"]: {f["input"]: f["file"] for f in p["fillings"]} for p in told["proposals"]
        }
        self.assertEqual(set(by_name), {"Trunk leather", "Footlight brass", "Trunk label"})
        self.assertEqual(
            by_name["Footlight brass"],
            {
                "base_color": "footlight brass, albedo.png",
                "roughness": "footlight brass, gloss.png",
                "metalness": "footlight brass, metallic.png",
            },
        )
        self.assertEqual(
            set(by_name["Trunk leather"]), {"base_color", "normal", "occlusion", "roughness"}
        )  # its metalness is 0 everywhere, as the slot says already
        self.assertEqual([u["file"] for u in told["unsure"]], ["photo 0412.png"])
        self.ask(
            f"/moves/{move}/decisions",
            "POST",
            [d for p in told["proposals"] for f in p["fillings"] for d in f["decisions"]],
        )
        fit = self.ask(f"/moves/{move}/fit")
        brass = next(m for m in fit["materials"] if m["name"] == "Footlight brass")
        self.assertEqual(
            {i["name"]: i["invert"] for i in brass["inputs"] if i["file"]},
            {"base_color": False, "metalness": False, "roughness": True},
        )
        self.assertEqual(self.ask(f"/moves/{move}/families")["proposals"], [])
        self.ask(f"/moves/{move}/undo", "POST")
        self.assertEqual(len(self.ask(f"/moves/{move}/families")["proposals"]), 3)

    def test_one_image_brings_its_siblings(self) -> None:
        move = self.trunk()
        told = self.ask(f"/moves/{move}/families")
        leather = next(p for p in told["proposals"] if p["material_name"] == "Trunk leather")
        other = next(p for p in told["proposals"] if p["material_name"] == "Footlight brass")
        offered = self.ask(
            f"/moves/{move}/siblings?material={other['material']}&image={leather['fillings'][0]['image']}"
        )
        self.assertEqual(
            {f["input"] for f in offered[0]["fillings"]}, {f["input"] for f in leather["fillings"]}
        )
        self.assertEqual(
            self.ask(
                f"/moves/{move}/siblings?material={other['material']}&image={told['unsure'][0]['image']}"
            ),
            [],
        )
