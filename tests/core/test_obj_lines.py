"""Lines of OBJ files beside what Python makes of the same words."""

from __future__ import annotations

import random
from unittest import TestCase

import numpy as np

from trasloco.formats.obj_lines import NOWHERE, Unreadable, corner_of, lines_of


class Numbers(TestCase):
    def test_every_spelling_is_the_number_that_python_reads(self) -> None:
        rng = random.Random(3)
        spelled = [
            "0",
            "-0",
            "+1",
            "1.",
            ".5",
            "-.5e-3",
            "1e5",
            "1E+05",
            "12345678901234567890",
            "007",
            "1_0",
        ]
        spelled += [f"{rng.uniform(-1e3, 1e3):.{rng.randint(0, 17)}f}" for _ in range(300)]
        spelled += [
            f"{rng.uniform(-1, 1) * 10.0 ** rng.randint(-40, 40):.{rng.randint(0, 17)}e}" for _ in range(300)
        ]
        data = "".join(f"v {word} 0 0\n" for word in spelled).encode()
        found = lines_of(data).points[:, 0]
        meant = np.array([float(word) for word in spelled])
        np.testing.assert_allclose(found, meant, rtol=1e-14)
        short = np.array(
            [len(word.strip("-").replace(".", "")) <= 15 and "e" not in word for word in spelled[11:311]]
        )
        self.assertGreater(short.sum(), 100)
        np.testing.assert_array_equal(found[11:311][short], meant[11:311][short])

    def test_what_is_not_finite_is_read_and_stays_so(self) -> None:
        found = lines_of(b"v nan inf -inf\nv 1 2\nv 1 2 3\n").points
        self.assertTrue(np.isnan(found[0, 0]) and found[0, 1] == np.inf and found[0, 2] == -np.inf)
        self.assertTrue(np.isnan(found[1, :3]).all())  # fewer than three: nowhere
        self.assertEqual(found[2, :3].tolist(), [1, 2, 3])

    def test_a_word_that_is_no_number_is_told_with_its_line(self) -> None:
        for line, row in (
            ("v 1 x 3", 3),
            ("vt", 3),
            ("vn 1 2", 3),
            ("f 1 two 3", 3),
            ("f 1.5 2 3", 3),
            ("v 1 2 3-4", 3),
        ):
            with self.subTest(line), self.assertRaises(Unreadable) as told:
                lines_of(f"# a remark\nv 0 0 0\n{line}\nv 1 1 1\n".encode())
            self.assertEqual(told.exception.row, row)


class Faces(TestCase):
    def test_corners_count_from_the_start_and_from_the_end(self) -> None:
        found = lines_of(b"v 0 0 0\nv 1 0 0\nvt 0 0\nf 1/1 2/-1 -1//5\nv 0 1 0\nf -1 3 4\n")
        self.assertEqual(
            found.corners.tolist(),
            [[0, 0, -1], [1, 0, -1], [1, -1, NOWHERE], [2, -1, -1], [2, -1, -1], [NOWHERE, -1, -1]],
        )
        self.assertEqual(found.sizes.tolist(), [3, 3])

    def test_corners_are_as_python_reads_them(self) -> None:
        rng = random.Random(4)
        points, uvs, normals = 7, 5, 3

        def index() -> str:
            return rng.choice(["", str(rng.randint(-8, 8))])

        words = ["/".join((str(rng.randint(-9, 9)), index(), index())) for _ in range(400)]
        data = "v 0 0 0\n" * points + "vt 0 0\n" * uvs + "vn 0 0 1\n" * normals
        data += "".join("f " + " ".join(words[k : k + 4]) + "\n" for k in range(0, 400, 4))
        meant = [list(corner_of(word, (points, uvs, normals))) for word in words]
        self.assertEqual(lines_of(data.encode()).corners.tolist(), meant)

    def test_faces_too_short_are_counted_even_where_they_are_no_numbers(self) -> None:
        found = lines_of(b"v 0 0 0\nf 1 1\nf\nf a b\nf 1 1 1\n")
        self.assertEqual((found.short, found.sizes.tolist()), (3, [3]))


class Others(TestCase):
    def test_words_between_keep_what_came_before_them(self) -> None:
        text = b"mtllib a b.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\no One two\nusemtl Red\nf 1 2 3\n\tg\tlegs \nf 1 2 3\nl 1 2\n"
        found = lines_of(text)
        self.assertEqual(
            [(one.row, one.words, one.faces, one.counts[0]) for one in found.others],
            [
                (1, ["mtllib", "a", "b.mtl"], 0, 0),
                (5, ["o", "One", "two"], 0, 3),
                (6, ["usemtl", "Red"], 0, 3),
                (8, ["g", "legs"], 1, 3),
                (10, ["l", "1", "2"], 2, 3),
            ],
        )

    def test_nothing_and_no_last_line_feed(self) -> None:
        self.assertEqual(len(lines_of(b"").points), 0)
        found = lines_of(b"# only\n\n   \nv 1 2 3 0.5 0.25 1")
        self.assertEqual(
            (found.points.tolist(), found.widths.tolist(), found.others), ([[1, 2, 3, 0.5, 0.25, 1]], [6], [])
        )
