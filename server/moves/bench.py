"""A move on the bench: each of the core's verbs for one move, through the store. Views and jobs ask here and nowhere else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from functools import cached_property
from typing import Any

import numpy as np

from server.moves.models import Move, Revision
from server.moves.sheets import sheet_of
from server.moves.store import get_blob, put_blob, store
from trasloco import move as verbs
from trasloco.accounts.model import Accounts
from trasloco.decisions.kinds import in_force, read_by
from trasloco.decisions.targets import idle
from trasloco.errors import Cancelled, Refused
from trasloco.fit.atlas import laid_out
from trasloco.fit.families.sets import Member, Proposal, looked_at, proposals, set_of_image, sets_of, waiting
from trasloco.fit.geometry.collision import collision_cost
from trasloco.fit.model import Carried, Crossing, Plan
from trasloco.fit.steps import encode_values
from trasloco.fit.steps.resampling import resample
from trasloco.fit.workshop import Order, baked, drawn, how_baked, plane_of, planes
from trasloco.formats.gltf_write import GlbOptions, write_glb
from trasloco.formats.receive import Received
from trasloco.handover.packing import Package
from trasloco.inventory.again import Remnant
from trasloco.inventory.media import texel_at
from trasloco.inventory.paint import paint_of
from trasloco.inventory.survey import with_states
from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.lightmaps import Baked, OnLight
from trasloco.light.lightmaps.wishes import Wish, wish_of
from trasloco.light.surroundings import Surroundings, surroundings_of
from trasloco.mends.colors import loss_as_vertex_colors
from trasloco.mends.settling import settle
from trasloco.progress import Progress, part_of, silent
from trasloco.proof.alone import alone_picture
from trasloco.proof.compare import Verdict, compare
from trasloco.proof.sample import EV100, as_meant, render_sample, sample_scene
from trasloco.render.picture import displayed, framing, views_of
from trasloco.scene.color import luminance
from trasloco.scene.digest import digest
from trasloco.scene.findings import Finding
from trasloco.scene.images import Pixels, encode, identify, pixels, unit_floats
from trasloco.scene.inputs import INPUTS, VECTORS
from trasloco.scene.layers import flattened, lie_alike
from trasloco.scene.model import Decision, Scene
from trasloco.scene.resolve import channel_of, color_of, input_values
from trasloco.sheets.model import Sheet
from trasloco.shelf import shelf

VERSION = "8"
"""Part of every key: raised when the core's results change their meaning."""


_LIGHT = {"lightmaps", "paths", "bounces", "bake_seconds", "lightmap_mib", "directed", "matters", "denoised", "stitched", "texels_per_metre", "receives"}
"""What is decided of lightmaps alone."""
NOT_IN_LAYERS = {"meant", "accept", "ev100", "effects", "views", "limits", "intensity", "level", *_LIGHT}
"""What does not change the layers that light is mixed from."""
_NOT_REFERENCE = {"meant", "accept", "ev100", "effects", "views", "limits", *_LIGHT}
_CHOICE = {"include", "leave_out", "only", "geometry_only", "join"}

_BAKES_KEPT = 3
_GATHERED: dict[int, dict[str, Gathered]] = {}
"""Light gathered last for the move that was baked last, by what it depends on: a bake that was cancelled, or is asked for with more paths or another layout of one image, goes on from it."""


class Bench:
    """All results of a move as it stands now. Make a new one after a decision."""

    def __init__(self, move: Move) -> None:
        self.move = move
        self.source: Sheet = sheet_of(move.source, "source")
        self.destination: Sheet = sheet_of(move.destination, "destination")

    @cached_property
    def revision(self) -> Revision:
        found = self.move.revisions.order_by("-number").first()
        assert found is not None
        return found

    @cached_property
    def decisions(self) -> list[Decision]:
        return [Decision(row.target, row.field, row.value) for row in self.move.decisions.filter(undone=False).order_by("id")]

    @cached_property
    def received_key(self) -> str:
        return digest("received", VERSION, self.revision.files)

    def received(self) -> Received:
        """The read delivery. Raises Refused when it cannot be read."""
        made: Received = store.get_or_make(self.received_key, lambda: verbs.receive({path: get_blob(blob) for path, blob in self.revision.files.items()}))
        return made

    @cached_property
    def reference_key(self) -> str:
        kept = [d for d in self.decisions if d.field not in _NOT_REFERENCE]
        return digest("reference", self.received_key, self.source, kept)

    def reference(self) -> Scene:
        made: Scene = store.get_or_make(self.reference_key, lambda: verbs.mend(self.received().scene, self.source, self.decisions), keep=False)
        return made

    @cached_property
    def _looked_at(self) -> list[Decision]:
        return read_by(self.decisions, "survey")

    @cached_property
    def findings_key(self) -> str:
        return digest("findings", self.received_key, self.source, self.destination, self._looked_at)

    def findings(self, progress: Progress = silent) -> list[Finding]:
        """The survey; checks run again only when unit, axis, sheets or files change."""
        found: list[Finding] = store.get_or_make(self.findings_key, lambda: verbs.survey(self.received(), self.source, self.destination, self._looked_at, progress))
        return with_states(found, self.decisions)

    def known_findings(self) -> tuple[list[Finding], bool]:
        """What is known so far, and whether that is all: while the delivery is first surveyed, what its structure tells."""
        if store.has(self.findings_key) or not self.move.jobs.filter(kind="receive", state="running").exists():
            return self.findings(), True
        found: list[Finding] = store.get_or_make(digest("first", self.findings_key), lambda: verbs.survey(self.received(), self.source, self.destination, self._looked_at, first=True), keep=False)
        return with_states(found, self.decisions), False

    @cached_property
    def again_key(self) -> str:
        return digest("again", self.reference_key, self.findings_key, [d for d in self.decisions if d.field == "accept"])

    def again(self, progress: Progress = silent) -> list[Remnant]:
        """What the mends left or made."""
        made: list[Remnant] = store.get_or_make(self.again_key, lambda: verbs.survey_again(self.reference(), self.source, self.destination, self.findings(), progress))
        return made

    def known_again(self) -> list[Remnant] | None:
        """The same where it was looked for since the last mend."""
        return self.again() if store.has(self.again_key) else None

    @cached_property
    def idle_key(self) -> str:
        return digest("idle", VERSION, self.reference_key, in_force(self.decisions))

    def idle(self) -> set[tuple[str, str]]:
        """Targets and fields that are decided and do nothing any more."""
        def make() -> set[tuple[str, str]]:
            return {(d.target, d.field) for d in idle(in_force(self.decisions), self.received().scene, self.settled(), self.reference())}

        made: set[tuple[str, str]] = store.get_or_make(self.idle_key, make)
        return made

    def known_idle(self) -> set[tuple[str, str]] | None:
        """The same where it was looked for."""
        return self.idle() if store.has(self.idle_key) else None

    @cached_property
    def plan_key(self) -> str:
        return digest("plan", self.reference_key, self.destination)

    def plan(self, progress: Progress = silent) -> Plan:
        made: Plan = store.get_or_make(self.plan_key, lambda: verbs.plan(self.reference(), self.source, self.destination, self.decisions, progress))
        return made

    def carried(self, progress: Progress = silent) -> Carried:
        def make() -> Carried:
            plan = self.plan(part_of(progress, 0, 0.3))
            return verbs.carry(self.reference(), plan, self.destination, part_of(progress, 0.3, 1))

        made: Carried = store.get_or_make(digest("carried", self.plan_key), make)
        return made

    @cached_property
    def wish(self) -> Wish:
        """What is asked of lightmaps."""
        return wish_of(in_force(self.decisions), self.destination.lightmaps)

    @cached_property
    def light_key(self) -> str:
        return digest("lightmaps", VERSION, self.plan_key, replace(self.wish, threads=0))

    @cached_property
    def landed_key(self) -> str:
        """What is delivered depends on the plan, and on the light where it is written down."""
        return digest(self.plan_key, self.light_key) if self.wish.wanted else self.plan_key

    def has_light(self) -> bool:
        """Whether the lightmaps that are asked for were already baked."""
        return store.has(self.light_key)

    def baked(self, progress: Progress = silent, on_pass: OnLight | None = None) -> Baked:
        """The lightmaps. What was gathered before for the same light, finished or not, is gone on from."""
        unfinished = digest("unfinished bake", self.move.id)
        if self.move.id not in _GATHERED:
            _GATHERED.clear()
        known = _GATHERED.setdefault(self.move.id, {})
        if not known:
            known.update(store.get(unfinished) or {})

        def heard(keys: Sequence[str], found: Sequence[Gathered]) -> None:
            known.clear()
            known.update(zip(keys, found, strict=True))
            if on_pass is not None:
                on_pass(keys, found)

        def make() -> Baked:
            carried = self.carried(part_of(progress, 0, 0.1))
            try:
                found = verbs.bake(self.reference(), carried, self.destination, in_force(self.decisions), part_of(progress, 0.1, 1), heard, dict(known))
            except Cancelled:
                store.put(unfinished, dict(known))
                raise
            store.drop(unfinished)
            self._forget_old_bakes()
            return found

        made: Baked = store.get_or_make(self.light_key, make)
        return made

    def _forget_old_bakes(self) -> None:
        """Bakes hold all that was gathered, some tens of MiB each: only the last few of a move are kept, those that undo may come back to."""
        listed = digest("bakes of", self.move.id)
        earlier = [key for key in store.get(listed) or () if key != self.light_key]
        for key in earlier[: -(_BAKES_KEPT - 1)]:
            store.drop(key)
        store.put(listed, [*earlier[-(_BAKES_KEPT - 1) :], self.light_key])

    def landed(self, progress: Progress = silent) -> Carried:
        """What is handed over: as carried, with lightmaps where they are asked for."""
        if not self.wish.wanted:
            return self.carried(progress)
        return verbs.lit(self.carried(part_of(progress, 0, 0.1)), self.baked(part_of(progress, 0.1, 1)))

    def package(self, progress: Progress = silent) -> Package:
        made: Package = store.get_or_make(digest("package", self.landed_key), lambda: verbs.package(self.landed(progress), self.destination))
        return made

    def arrival(self, progress: Progress = silent) -> Scene:
        made: Scene = store.get_or_make(digest("arrival", self.landed_key), lambda: verbs.arrive(self.package(progress), self.destination), keep=False)
        return made

    @cached_property
    def accounts_key(self) -> str:
        return digest("accounts", VERSION, self.landed_key)

    def accounts(self, progress: Progress = silent) -> Accounts:
        """What the delivered bytes say against the reference."""
        def make() -> Accounts:
            arrival = self.arrival(part_of(progress, 0, 0.7))
            landed = self.landed(part_of(progress, 0.7, 0.8))
            return verbs.account(self.reference(), arrival, landed.plan, self.destination, landed.scene)

        made: Accounts = store.get_or_make(self.accounts_key, make)
        return made

    def known_accounts(self) -> Accounts | None:
        """The accounts where they were taken already."""
        return self.accounts() if store.has(self.accounts_key) else None

    def has_arrival(self) -> bool:
        """Whether the package was already written and read back."""
        return store.has(digest("package", self.landed_key))

    def view_glb(self) -> str:
        """Blob of the geometry for the live view: parts and slots with our ids, no images."""
        scene = self.settled()
        blob: str = store.get_or_make(digest("view", *_seen_of(scene)), lambda: _view_of(scene))
        return blob

    def received_glb(self) -> str:
        """The same before any mend but what findings look at: what they count their faces by."""
        kept = self._looked_at
        blob: str = store.get_or_make(digest("received view", self.received_key, self.source, kept), lambda: _view_of(settle(self.received().scene, self.source, kept)))
        return blob

    def settled(self) -> Scene:
        """The reference with what was left out still in it, so that the view can show it as left out."""
        kept = [d for d in self.decisions if d.field not in _CHOICE]
        made: Scene = store.get_or_make(digest("settled", self.received_key, self.source, kept), lambda: verbs.mend(self.received().scene, self.source, kept), keep=False)
        return made

    def travelling(self) -> set[str]:
        """Ids of the parts, lights and cameras that come along."""
        kept = [d for d in self.decisions if d.field != "join"]
        made: set[str] = store.get_or_make(digest("travelling", self.received_key, self.source, kept), lambda: {n.id for n in verbs.mend(self.received().scene, self.source, kept).nodes.values() if n.mesh or n.light or n.camera}, keep=False)
        return made

    def input_png(self, material: str, name: str, side: int) -> bytes:
        """What an input of the reference says, as an 8-bit picture of at most ``side`` texels: colours as sRGB, scalars as grey, normals as usual. Layers that lie otherwise than their base are left out: only the model can show them."""
        scene = self.settled()
        found = scene.materials.get(material)
        given = found.inputs.get(name) if found else None
        if given is None:
            raise Refused("There is no such input.", f"{material}/{name}", "Reload the page.")
        image = scene.images.get(given.texture.image) if given.texture else None
        if image is not None and not image.usable:
            image = None
        held = [scene.images[t.image] for t in given.textures if t.image in scene.images and scene.images[t.image].usable]
        key = digest("input", side, name, given, [one.digest for one in held])

        def make() -> str:
            if given.layers and held and lie_alike(given) and name not in VECTORS:
                width, height = (min(max(getattr(one, axis) for one in held), side) for axis in ("width", "height"))
                return put_blob(encode(_picture(flattened(name, given, scene.images, width, height), False, INPUTS[name].color, side), "png"))
            small = None
            if image is not None:
                texels = pixels(image)
                small = _pooled(texels, side)
                if texels.dtype.kind == "u" and small is not texels:
                    small = np.round(small).astype(texels.dtype)
            values = input_values(name, given if image else replace(given, texture=None), image, small)
            return put_blob(encode(_picture(values, name in VECTORS or name == "height", INPUTS[name].color, side), "png"))

        return get_blob(store.get_or_make(key, make))

    def image_png(self, image_id: str, side: int, channel: str = "rgb") -> bytes:
        """An image as it is, small, or one of its channels as grey."""
        image = self.received().scene.images.get(image_id) or self.reference().images.get(image_id)
        if image is None or not image.usable:
            raise Refused("There is no picture of it.", image_id, "Relink the image.")

        def make() -> str:
            # Thinned before anything is made of it: a large image takes its own bytes, and not many times that.
            whole = pixels(image)
            step = max(min(whole.shape[:2]) // (4 * side), 1)
            thin = np.ascontiguousarray(whole[::step, ::step])
            texels = unit_floats(color_of(thin) if channel == "rgb" else np.repeat(channel_of(thin, channel)[..., None], 3, axis=2))
            shown = texels if not image.floating else encode_values(texels / (texels + _bright(texels)), "srgb")
            return put_blob(encode(_shrunk(shown, side), "png"))

        return get_blob(store.get_or_make(digest("image", image.digest, side, channel), make))

    def surroundings(self) -> Surroundings | None:
        """What lights the reference from all round."""
        made: Surroundings | None = store.get_or_make(digest("surroundings", VERSION, self.reference_key), lambda: surroundings_of(self.reference(), self.received().scene))
        return made

    def beside(self) -> Scene:
        """The reference with every image of the delivery, read by a material or not."""
        scene = self.reference()
        return replace(scene, images={**self.received().scene.images, **scene.images})

    def families(self) -> tuple[list[Proposal], list[Member]]:
        """Sets of images proposed for slots, and the images that no material reads and nobody can be sure of."""

        def make() -> tuple[list[Proposal], list[Member]]:
            scene = self.beside()
            loose = waiting(scene)
            seen = looked_at(loose)
            return proposals(scene, seen), sets_of(loose, seen)[1]

        made: tuple[list[Proposal], list[Member]] = store.get_or_make(digest("families", VERSION, self.reference_key), make)
        return made

    def siblings(self, material: str, image: str) -> Proposal | None:
        """What else the set of an image would fill in a material."""
        scene = self.beside()
        return set_of_image(scene, material, image, looked_at(waiting(scene)))

    def paint(self, material: str) -> dict[str, Any]:
        """What the vertex colours of a material are, and what its image would lose as vertex colours."""
        scene = self.reference()
        if material not in scene.materials:
            raise Refused("There is no such material.", material, "Reload the page.")

        def make() -> dict[str, Any]:
            found = paint_of(scene, material)
            base = scene.materials[material].inputs.get("base_color")
            image = scene.images.get(base.texture.image) if base is not None and base.texture is not None else None
            loss = loss_as_vertex_colors(scene, material) if image is not None and image.usable else None
            return {"kind": found.kind if found else None, "sure": found.sure if found else 0.0, "evidence": found.evidence if found else "", "flat": bool(found and found.flat), "loss_as_colors": loss}

        made: dict[str, Any] = store.get_or_make(digest("paint", VERSION, self.reference_key, material), make)
        return made

    def collision(self, part: str) -> list[dict[str, Any]]:
        scene = self.settled()
        if part not in scene.nodes or scene.nodes[part].mesh is None:
            raise Refused("There is no such part.", part, "Reload the page.")
        return [{"shape": shape, **asdict(cost)} for shape, cost in collision_cost(scene, part).items()]

    def crossing(self, crossing_id: str) -> Crossing:
        for crossing in self.plan().crossings:
            if crossing.id == crossing_id:
                return crossing
        raise Refused("There is no such crossing.", crossing_id, "Reload the page.")

    def crossing_png(self, crossing_id: str, side: int) -> bytes:
        """What is delivered for a crossing: its channel of the delivered image, or its constant."""
        crossing = self.crossing(crossing_id)
        planned = next((i for i in self.plan().images if i.path == crossing.landing.image), None)

        def make() -> str:
            if planned is not None and baked(crossing):
                scene, atlas = laid_out(self.reference(), crossing.material, how_baked(self.plan().of(crossing.material)), planned.width)
                shown = drawn(Order(crossing, planned, scene, {crossing.material: atlas}))
                return put_blob(encode(_picture(shown, False, INPUTS[crossing.name].color, side), "png"))
            if planned is None or crossing.given.texture is None:
                values = np.asarray(crossing.landing.value or crossing.given.factor, np.float32).reshape(1, 1, -1)
                if not np.isfinite(values).all():
                    values = np.ones((1, 1, 1), np.float32)
                return put_blob(encode(_picture(values, False, INPUTS[crossing.name].color, side), "png"))
            codes = unit_floats(plane_of(Order(crossing, planned, self.reference(), {})))
            return put_blob(encode(_shrunk(codes if codes.ndim == 3 else np.repeat(codes[..., None], 3, axis=2), side), "png"))

        return get_blob(store.get_or_make(digest("crossing", self.plan_key, crossing_id, side), make))

    def step_png(self, crossing_id: str, at: int, side: int) -> bytes:
        """What a crossing's texels are after its step ``at``, counted from 1; 0 is the channel as it was read."""
        crossing = self.crossing(crossing_id)
        planned = next((i for i in self.plan().images if i.path == crossing.landing.image), None)
        if planned is None or crossing.given.texture is None or crossing.mark in ("lost", "blocked"):
            raise Refused("There is no picture of this step.", crossing_id, "It has no image on the way.")

        def make() -> str:
            shown: Any = None
            wanted = list(crossing.steps[:at])
            for step, plane in planes(Order(crossing, planned, self.reference(), {})):
                if step is not None and not any(step is one for one in wanted):
                    break
                texels = unit_floats(plane.texels)
                shown = texels if plane.encoding == "srgb" or plane.vectors or texels.ndim == 2 else encode_values(texels, "srgb")
            return put_blob(encode(_shrunk(shown if shown.ndim == 3 else np.repeat(shown[..., None], 3, axis=2), side), "png"))

        return get_blob(store.get_or_make(digest("step", self.plan_key, crossing_id, at, side), make))

    def alone_png(self, name: str, arrival: bool, view_name: str, width: int, height: int) -> bytes:
        """One input alone on the model, as it is meant or as it arrived, from a camera of the reference."""
        if name not in INPUTS:
            raise Refused(f"There is no input called {name}.", "the view", "Choose one of the inputs.")
        views = {view.name: view for view in (*views_of(self.reference()), framing(self.reference()))}
        view = views.get(view_name, framing(self.reference()))
        scene = self.arrival() if arrival else self.reference()
        key = digest("alone", VERSION, self.landed_key if arrival else self.reference_key, name, arrival, view.name, width, height)
        return get_blob(store.get_or_make(key, lambda: put_blob(encode(alone_picture(scene, name, view, width, height), "png"))))

    def texel(self, image_id: str, u: float, v: float) -> dict[str, Any]:
        """The exact colour of an image at a place, linear and as sRGB codes."""
        image = self.received().scene.images.get(image_id)
        if image is None or not image.usable:
            raise Refused("There is no picture of it.", image_id, "Relink the image.")
        found = texel_at(image, u, v)
        return {"linear": list(found.linear), "srgb": list(found.srgb), "x": found.x, "y": found.y}

    def _only(self, material: str) -> Scene:
        """The reference reduced to one material and the parts that wear it."""
        scene = self.reference()
        meshes = {id: replace(mesh, primitives=tuple(p for p in mesh.primitives if p.material == material)) for id, mesh in scene.meshes.items()}
        meshes = {id: mesh for id, mesh in meshes.items() if mesh.primitives}
        nodes = {id: replace(n, mesh=n.mesh if n.mesh in meshes else None, light=None, camera=None, skin=None) for id, n in scene.nodes.items()}
        return replace(scene, nodes=nodes, meshes=meshes, materials={material: scene.materials[material]}, lights={}, cameras={}, skins={}, clips={}, environment=None)

    def sample_key(self, material: str) -> str:
        scene = self.reference()
        found = scene.materials.get(material)
        if found is None:
            raise Refused("There is no such material.", material, "Reload the page.")
        images = [scene.images[t.image].digest for i in found.inputs.values() for t in i.textures if t.image in scene.images]
        paint = [p.colors for m in scene.meshes.values() for p in m.primitives if p.material == material]
        sizes = [d for d in self.decisions if d.field in ("largest_side", "paint") and d.target in (material, "scene")]
        return digest("sample", VERSION, found, images, paint, self.source, self.destination, sizes)

    def sample_png(self, material: str, side: int) -> bytes:
        """The reference's sample alone, for lists."""
        key = digest(self.sample_key(material), "reference", side)
        return get_blob(store.get_or_make(key, lambda: put_blob(encode(displayed(render_sample(self.reference(), material, side, 12).radiance, EV100), "png"))))

    def sample(self, material: str, quick: bool = False) -> dict[str, Any]:
        """Sample of one material on both sides, with its measured difference; the arrival comes from that material's own delivered bytes. ``quick`` is a small one for while something is changed."""
        side, samples = (72, 6) if quick else (144, 24)

        def delivered() -> tuple[Scene, Plan, Scene]:
            scene = self._only(material)
            plan = verbs.plan(scene, self.source, self.destination, self.decisions)
            return scene, plan, verbs.arrive(verbs.package(verbs.carry(scene, plan, self.destination), self.destination), self.destination)

        def make() -> dict[str, Any]:
            scene, plan, arrival = store.get_or_make(digest("sample delivered", self.sample_key(material)), delivered, keep=False)
            arrived = next(iter(arrival.materials), None)
            meant = [crossing.name for crossing in plan.of(material) if baked(crossing)]
            if arrived and meant:
                arrival = as_meant(arrival, arrived, scene, material, meant)
            before = render_sample(scene, material, side, samples)
            after = render_sample(arrival, arrived, side, samples) if arrived else before
            flat_ids = tuple(sample_scene(scene, material).materials)
            compared = compare(before, after, EV100, (*flat_ids, "none"), ("sample",))
            mine = next((s for s in compared.materials if s.id == material), None)
            mean = mine.mean if mine else compared.mean
            pictures = {name: put_blob(encode(displayed(p.radiance, EV100), "png")) for name, p in (("reference", before), ("arrival", after))}
            return {"mean": mean, "p95": compared.p95, "noise": compared.noise, "verdict": Verdict().words(mean), "drawn": [INPUTS[name].label for name in meant], **pictures}

        made: dict[str, Any] = store.get_or_make(digest(self.sample_key(material), quick), make)
        return made


def shelf_sample(name: str, side: int) -> bytes:
    """A picture of a material of the library."""
    material = shelf().get(name)
    if material is None:
        raise Refused(f"There is no {name} on the shelf.", "the shelf", "Reload the page.")
    scene = Scene("shelf", {}, {}, {material.id: material})
    return get_blob(store.get_or_make(digest("shelf", VERSION, material, side), lambda: put_blob(encode(displayed(render_sample(scene, material.id, side, 16).radiance, EV100), "png"))))


def file_picture(path: str, blob: str, side: int) -> bytes:
    """A small picture of an image file, floating ones brought to what a screen shows."""

    def make() -> str:
        image = identify(path, path.rsplit("/", 1)[-1], path, get_blob(blob))
        if not image.usable:
            raise Refused("There is no picture of it.", path, "It is not an image that is read.")
        texels = unit_floats(color_of(pixels(image)))
        return put_blob(encode(_shrunk(encode_values(texels / (texels + _bright(texels)), "srgb") if image.floating else texels, side), "png"))

    return get_blob(store.get_or_make(digest("delivered picture", VERSION, blob, side), make))


def _bright(texels: Any) -> float:
    """What is shown at half of white in a picture of light: five times its middle brightness, so that skies in nit are seen as well as pictures around 1."""
    lit = luminance(texels)
    lit = lit[lit > 1e-9]
    return float(max(5 * np.exp(np.log(lit).mean()), 1e-6)) if lit.size else 1.0


def _shrunk(values: Any, side: int) -> Pixels:
    """Encoded values (H, W, 3) as 8-bit texels of at most ``side``."""
    values = _pooled(values, side)
    height, width = values.shape[:2]
    scale = min(1.0, side / max(height, width))
    if scale < 1:
        values = resample(values, max(1, round(width * scale)), max(1, round(height * scale)))
    return np.asarray(np.round(np.clip(values, 0, 1) * 255), np.uint8)


def _pooled(values: Any, side: int) -> Any:
    """Means of whole blocks, down to no less than ``side``: nearly all of the shrinking, at a fraction of a filter's cost."""
    factor = max(values.shape[:2]) // side
    if factor < 2 or min(values.shape[:2]) < factor:
        return values
    rows, columns = values.shape[0] // factor * factor, values.shape[1] // factor * factor
    blocks = values[:rows, :columns].reshape(rows // factor, factor, columns // factor, factor, values.shape[2])
    return blocks.mean(axis=(1, 3), dtype=np.float32)


def _picture(values: Any, vectors: bool, color: bool, side: int) -> Pixels:
    values = _pooled(values, side)
    shown = values * 0.5 + 0.5 if vectors else encode_values(values, "srgb" if color else "linear")
    if shown.shape[2] == 1:
        shown = np.repeat(shown, 3, axis=2)
    return _shrunk(np.ascontiguousarray(shown, dtype=np.float32), side)


def _seen_of(scene: Scene) -> tuple[Any, ...]:
    """All that the live view's geometry is made of; equal content is the same view, whatever was decided to get there."""
    nodes = [(n.id, n.name, n.parent, n.matrix, n.mesh, n.tags) for n in scene.nodes.values()]
    return nodes, scene.meshes, [(m.id, m.name) for m in scene.materials.values()], scene.name


def _view_of(scene: Scene) -> str:
    return put_blob(write_glb(scene, GlbOptions(materials=False, images=False, ids=True, motion=False, lights=False, cameras=False, tangents=False, clouds=False)))
