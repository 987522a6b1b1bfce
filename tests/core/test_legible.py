"""Names that deceive or break: cleaned on receipt, told, and harmless in everything that is written of them."""

from __future__ import annotations

import json
import struct
import unicodedata
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.making import cube, material, scene
from trasloco import move
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.legible import whole_text
from trasloco.scene.digest import digest
from trasloco.scene.wording import legible
from trasloco.sheets.library import sheet_named


def called(name: str) -> bytes:
    """A GLB whose part and material have a name, as JSON writes it."""
    base = write_glb(scene(cube(), materials=(material(),), names=("Seat",)))
    length = struct.unpack("<I", base[12:16])[0]
    document = json.loads(base[20 : 20 + length])
    document["nodes"][0]["name"] = document["materials"][0]["name"] = name
    document["nodes"][0]["extras"] = {"note": name}
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    rest = base[20 + length :]
    head = b"glTF" + struct.pack("<II", 2, 20 + len(text) + len(rest))
    return head + struct.pack("<I", len(text)) + b"JSON" + text + rest


class Names(TestCase):
    def test_what_turns_hides_or_breaks_text_is_taken_out(self) -> None:
        for name, wanted in (
            ("Trunk lid", "Trunk lid"),
            ("Vorhang – Größe 2", "Vorhang – Größe 2"),
            ("幕", "幕"),
            ("👩‍🎤 singer", "👩‍🎤 singer"),
            ("one\nexact  forged", "one exact forged"),
            ("red\x1b[31m", "red [31m"),
            ("\u202egnp.exe", "gnp.exe"),
            ("\u2066left\u2069", "left"),
            ("half \ud83d", "half \ufffd"),
            ("x" * 100_000, "x" * 254 + "…"),
            ("\x00\x07", ""),
        ):
            self.assertEqual(legible(name), wanted)

    @settings(max_examples=300, deadline=None)
    @given(st.text(alphabet=st.characters(), max_size=300))
    def test_a_legible_name_is_one_line_that_can_be_written_and_stays_as_it_is(self, name: str) -> None:
        """By Unicode's own categories: no control, no separator of lines, no half of a pair."""
        made = legible(name)
        self.assertFalse({unicodedata.category(c) for c in made} & {"Cc", "Cs", "Zl", "Zp"})
        self.assertFalse(
            {unicodedata.bidirectional(c) for c in made}
            & {"LRE", "RLE", "LRO", "RLO", "PDF", "LRI", "RLI", "FSI", "PDI"}
        )
        self.assertEqual(legible(made), made)
        made.encode()

    def test_a_whole_move_bears_them_and_tells(self) -> None:
        plain, lanterna = sheet_named("plain"), sheet_named("lanterna")
        for name in ("a\ud800b", "line\nexact: all of it\x1b[31m", "\u202elive", "y" * 100_000, "\x00"):
            received = move.receive({"a.glb": called(name)})
            part = received.scene.parts()[0]
            self.assertEqual((part.name, legible(part.id[5:])), (legible(name) or "unnamed", part.id[5:]))
            self.assertEqual([f.kind for f in received.findings], ["names_cleaned"])
            digest(received.scene)
            reference = move.mend(received.scene, plain, [])
            carried = move.carry(reference, move.plan(reference, plain, lanterna), lanterna)
            package = move.package(carried, lanterna)
            arrival = move.arrive(package, lanterna)
            self.assertEqual(move.account(reference, arrival, carried.plan, lanterna).unaccounted, [])
        self.assertEqual(move.receive({"a.glb": called("Trunk")}).findings, ())

    def test_only_halves_of_pairs_are_replaced_in_what_rides_along(self) -> None:
        given_ = {"a\udc00": ["x\ud800", 1, None], "name": "kept \ud800", "😀": "😀\n"}
        self.assertEqual(
            whole_text(given_), {"a\ufffd": ["x\ufffd", 1, None], "name": "kept \ud800", "😀": "😀\n"}
        )
