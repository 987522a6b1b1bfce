"""A clip proved frame by frame: moments by the rate, nothing where all arrived, more and more where the
motion did not.
"""

import json
import tempfile
from contextlib import redirect_stdout
from dataclasses import replace
from io import StringIO
from pathlib import Path
from unittest import TestCase

import numpy as np

from tests.making import cube, material, quad, scene, sky
from trasloco import cli, move
from trasloco.errors import Refused
from trasloco.formats.gltf_write import write_glb
from trasloco.proof.sequence import frame_times
from trasloco.render.picture import Quality, View
from trasloco.scene.images import identify, pixels, unit_floats
from trasloco.scene.lit import Environment
from trasloco.scene.model import Channel, Clip, Scene
from trasloco.scene.transforms import looking

SMALL = Quality(48, 27, 8, 1)


def winch() -> Scene:
    """A red box that is drawn 3 m up in two seconds, over a grey floor under an even sky."""
    given = scene(
        quad(6, "material:floor"),
        cube(1, "material:box"),
        materials=(material("floor"), material("box", base_color=(0.6, 0.05, 0.05))),
        images=(sky(),),
        names=("Floor", "Load"),
        environment=Environment("image:sky", 100.0),
    )
    drawn = Channel(
        "part:Load", "translation", np.array([0, 2], np.float32), np.array([[0, 0, 0], [0, 3, 0]], np.float32)
    )
    return replace(given, clips={"clip:Hoist": Clip("clip:Hoist", "Hoist", (drawn,))})


VIEW = View("Front", looking([0, 1.5, 7], [0, 1.2, 0]), 0.8)


class Moments(TestCase):
    def test_both_ends_are_among_them(self) -> None:
        np.testing.assert_allclose(frame_times(winch(), "clip:Hoist", 2.0), [0, 0.5, 1.0, 1.5, 2.0])

    def test_too_many_and_none_are_refused(self) -> None:
        for clip, rate in (("clip:Hoist", 5000.0), ("clip:other", 2.0), ("clip:Hoist", 0.0)):
            with self.assertRaises(Refused):
                frame_times(winch(), clip, rate)


class Frames(TestCase):
    def test_what_arrived_whole_differs_by_nothing_and_lost_motion_more_and_more(self) -> None:
        given = winch()
        same = list(move.prove_clip(given, given, "clip:Hoist", VIEW, 1.0, SMALL))
        self.assertEqual(
            [(f.number, f.time_s, f.comparison.mean) for f in same],
            [(1, 0.0, 0.0), (2, 1.0, 0.0), (3, 2.0, 0.0)],
        )
        still = [
            f.comparison.judged
            for f in move.prove_clip(given, replace(given, clips={}), "clip:Hoist", VIEW, 1.0, SMALL)
        ]
        self.assertLess(still[0], 0.5)
        self.assertGreater(min(still[1:]), 5)

    def test_all_frames_are_exposed_alike(self) -> None:
        frames = list(move.prove_clip(winch(), winch(), "clip:Hoist", VIEW, 1.0, SMALL))
        self.assertEqual(len({f.ev100 for f in frames}), 1)

    def test_the_command_writes_numbered_pictures(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            glb, out = Path(folder) / "winch.glb", Path(folder) / "frames"
            lit = replace(winch(), environment=None, images={})
            glb.write_bytes(write_glb(lit))
            said = StringIO()
            with redirect_stdout(said):
                cli.app(
                    [
                        "frames",
                        str(glb),
                        "--from",
                        "plain",
                        "--to",
                        "lanterna",
                        "--clip",
                        "Hoist",
                        "--out",
                        str(out),
                        "--rate",
                        "1",
                        "--samples",
                        "2",
                        "--width",
                        "48",
                        "--json",
                    ],
                    standalone_mode=False,
                )
            told = json.loads(said.getvalue())
            self.assertEqual([f["time_s"] for f in told["frames"]], [0.0, 1.0, 2.0])
            self.assertLess(max(f["judged"] for f in told["frames"]), 1.0)
            self.assertEqual(len(list(out.glob("*.png"))), 9)
            first, last = (pixels_of(out / f"reference-000{k}.png") for k in (1, 3))
            self.assertGreater(float(np.abs(first - last).max()), 0.2)


def pixels_of(path: Path) -> np.ndarray:
    return unit_floats(pixels(identify("image:x", path.name, path.name, path.read_bytes())))
