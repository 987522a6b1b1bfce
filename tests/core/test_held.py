"""What is made of the small deliveries stays what it was; ``make held`` asks it of the large ones too."""

import json
from pathlib import Path
from unittest import TestCase

from django.conf import settings

from tests.held import HELD, SMALL, differences, held_of
from tests.making import demo_files


class Held(TestCase):
    def test_every_small_delivery_arrives_as_it_was_recorded(self) -> None:
        demo_files()
        held = json.loads(HELD.read_text())
        now = {what: made for name in SMALL for what, made in held_of(name, Path(settings.DATA_DIR) / "demo")}
        told = [
            line for what, made in now.items() for line in differences(held.get(what, "nothing"), made, what)
        ]
        self.assertEqual(told, [])
        self.assertGreater(len(now), 15)
