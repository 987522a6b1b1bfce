"""Skins and shapes in COLLADA: held against its schema, another library, closed forms and the books."""

from __future__ import annotations

import io
from dataclasses import replace
from unittest import TestCase

import collada
import numpy as np
from collada.schema import ColladaValidator
from lxml import etree

from tests.carried import delivered
from tests.core.test_collada_layout import ASKED, NESTED, PLAIN
from tests.core.test_flat_layouts import unaccounted
from tests.everything import everything
from tests.making import cube, material, scene
from trasloco import move
from trasloco.formats.bundle import Bundle
from trasloco.formats.collada_read import read_collada
from trasloco.render.posing import posed
from trasloco.scene.model import Channel, Clip, MorphTarget, Node, Scene, Skin
from trasloco.scene.transforms import compose
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

MOVING = {"structure.motion": ["places", "skins", "shapes"]}
ALONE, RIGGED = changed(ASKED, MOVING), changed(NESTED, MOVING)
HALF = float(np.sqrt(0.5))


def puppet() -> Scene:
    """A box of 2 m whose upper points hang on a joint one metre up, and that has a shape that lifts it by 0.5 m;
    in a second the joint turns a quarter about Z and the shape comes in.
    """
    body = cube(2.0, "material:m")
    upper = body.positions[:, 1] > 0
    joints = np.zeros((len(upper), 4), np.uint16)
    joints[upper, 0] = 1
    weights = np.zeros((len(upper), 4), np.float32)
    weights[:, 0] = 1.0
    lifted = MorphTarget(np.tile(np.array([0, 0.5, 0], np.float32), (len(upper), 1)))
    given = scene(
        replace(body, joints=joints, weights=weights, morphs=(lifted,)),
        materials=(material(),),
        names=("Body",),
    )
    (part,) = given.parts()
    hip = Node("part:hip", "Hip", None, np.eye(4))
    neck = Node("part:neck", "Neck", "part:hip", compose((0.0, 1.0, 0.0)))
    inverse = np.stack([np.eye(4), compose((0.0, -1.0, 0.0))])
    ends = np.array([0.0, 1.0], np.float32)
    clip = Clip(
        "clip:bow",
        "Bow",
        (
            Channel("part:neck", "rotation", ends, np.array([[0, 0, 0, 1], [0, 0, HALF, HALF]], np.float32)),
            Channel(part.id, "weights", ends, np.array([[0.0], [1.0]], np.float32)),
        ),
    )
    return replace(
        given,
        nodes={hip.id: hip, neck.id: neck, part.id: replace(part, skin="skin:a")},
        meshes={id: replace(mesh, morph_names=("Lifted high",)) for id, mesh in given.meshes.items()},
        skins={"skin:a": Skin("skin:a", "Bones", ("part:hip", "part:neck"), inverse)},
        clips={clip.id: clip},
    )


def without_shape() -> Scene:
    given = puppet()
    stiff = {
        id: replace(mesh, primitives=tuple(replace(p, morphs=()) for p in mesh.primitives), morph_names=())
        for id, mesh in given.meshes.items()
    }
    return replace(given, meshes=stiff, clips={})


def without_joints() -> Scene:
    given = puppet()
    loose = {
        id: replace(mesh, primitives=tuple(replace(p, joints=None, weights=None) for p in mesh.primitives))
        for id, mesh in given.meshes.items()
    }
    nodes = {id: replace(node, skin=None) for id, node in given.nodes.items()}
    return replace(given, nodes=nodes, meshes=loose, skins={}, clips={})


def document(given: Scene, sheet: object) -> bytes:
    files = delivered(given, sheet).files  # type: ignore[arg-type]
    return next(data for path, data in files.items() if path.endswith(".dae"))


class Rigs(TestCase):
    def test_nothing_is_unaccounted_and_every_document_is_valid(self) -> None:
        valid = ColladaValidator()
        for number in range(3):
            for sheet in (ALONE, RIGGED):
                with self.subTest(f"{sheet.structure.groups}, {number}"):
                    given = everything(f"rig {number + 2}")
                    self.assertEqual(unaccounted(given, sheet), [])
                    held = etree.fromstring(document(move.mend(given, PLAIN), sheet))
                    self.assertTrue(valid.validate(held), valid.COLLADA_SCHEMA_1_4_1_INSTANCE.error_log)

    def test_another_library_finds_joints_and_what_they_pull_at(self) -> None:
        """It places a point at the sum of weight * joint's place * inverse of its bind * point, at rest itself."""
        held = collada.Collada(io.BytesIO(document(without_shape(), ALONE)))
        (skin,) = held.controllers
        names = [str(name) for name in skin.weight_joints.data.ravel()]
        called = {n.get("sid"): n.get("name") for n in held.xmlnode.iter() if n.get("type") == "JOINT"}
        self.assertEqual([called[name] for name in names], ["Hip", "Neck"])
        np.testing.assert_allclose(skin.joint_matrices[names[1]], compose((0.0, -1.0, 0.0)), atol=1e-7)
        self.assertEqual(list(skin.vcounts), [1] * 8)
        (triangles,) = skin.geometry.primitives
        pulled = np.array([int(one[0]) for one in skin.joint_index])
        self.assertEqual(set(triangles.vertex[pulled == 1][:, 1]), {1.0})
        self.assertEqual(set(triangles.vertex[pulled == 0][:, 1]), {-1.0})
        weights = skin.weights.data.ravel()[np.concatenate([np.ravel(one) for one in skin.weight_index])]
        np.testing.assert_array_equal(weights, np.ones(8))

    def test_another_library_finds_shapes(self) -> None:
        held = collada.Collada(io.BytesIO(document(without_joints(), ALONE)))
        (morph,) = held.controllers
        ((shape, weight),) = morph.target_list
        self.assertEqual((shape.name, float(weight)), ("Lifted_high", 0.0))
        places = next(iter(shape.sourceById.values())).data.reshape(-1, 3)
        base = morph.source_geometry.primitives[0].vertex
        np.testing.assert_allclose(places - base, np.tile([0, 0.5, 0], (8, 1)), atol=1e-7)

    def test_a_bow_is_where_geometry_says(self) -> None:
        """Half the shape lifts everything by 0.25 m; what hangs on the neck turns by 45° about (0, 1, 0)."""
        for sheet in (ALONE, RIGGED):
            reference = move.mend(puppet(), PLAIN)
            carried = move.carry(reference, move.plan(reference, PLAIN, sheet), sheet)
            arrival = move.arrive(move.package(carried, sheet), sheet)
            (mesh,) = arrival.meshes.values()
            self.assertEqual(mesh.morph_names, ("Lifted_high",))
            (clip,) = arrival.clips
            moved = posed(arrival, clip, 0.5)
            (part,) = moved.parts()
            (shown,) = moved.meshes[part.mesh or ""].primitives
            got = shown.positions @ np.asarray(moved.world_matrices()[part.id])[:3, :3].T
            got = got + np.asarray(moved.world_matrices()[part.id])[:3, 3]
            at_rest = cube(2.0).positions.astype(np.float64) + np.array([0, 0.25, 0])
            upper = cube(2.0).positions[:, 1] > 0
            out = at_rest - np.array([0, 1, 0])
            turned = np.stack(
                [HALF * (out[:, 0] - out[:, 1]), HALF * (out[:, 0] + out[:, 1]), out[:, 2]], axis=1
            )
            meant = np.where(upper[:, None], turned + np.array([0, 1, 0]), at_rest)
            found, expected = (np.unique(np.round(cloud, 2), axis=0) for cloud in (got, meant))
            np.testing.assert_allclose(found, expected, atol=0.011)


class Less(TestCase):
    def test_what_a_sheet_does_not_play_is_not_delivered_whatever_the_format_can(self) -> None:
        for name in ("taccuino", "plancia", "sipario"):
            for motion in (["places"], ["places", "shapes"]):
                sheet = changed(built_in_sheets()[name], {"structure.motion": motion})
                with self.subTest(f"{name}, {motion}"):
                    self.assertEqual(unaccounted(everything("less 1"), sheet), [])
                    reference = move.mend(puppet(), PLAIN)
                    carried = move.carry(reference, move.plan(reference, PLAIN, sheet), sheet)
                    arrival = move.arrive(move.package(carried, sheet), sheet)
                    shapes = [len(p.morphs) for mesh in arrival.meshes.values() for p in mesh.primitives]
                    self.assertEqual((shapes, arrival.skins), ([int("shapes" in motion)], {}))


class FromElsewhere(TestCase):
    def test_weights_that_move_are_read_in_steps_too(self) -> None:
        """The document's own terms, changed by hand: held until the next key."""
        data = document(puppet(), ALONE).decode()
        data = data.replace(">LINEAR LINEAR<", ">STEP STEP<")
        read = read_collada("a.dae", Bundle({"a.dae": data.encode()}))[0]
        (clip,) = read.clips.values()
        (told,) = (c for c in clip.channels if c.path == "weights")
        self.assertEqual((told.interpolation, read.nodes[told.node].name), ("STEP", "Body"))
        np.testing.assert_array_equal(told.values.ravel(), [0.0, 1.0])
