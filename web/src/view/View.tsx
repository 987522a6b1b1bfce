import { useLoader, useThree } from "@react-three/fiber";
import { memo, useCallback, useEffect, useMemo, useState } from "react";
import {
  type BufferGeometry,
  type Group,
  type Material as ThreeMaterial,
  Mesh,
  type Object3D,
  type Vector3,
} from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { clone as cloneWithSkins } from "three/examples/jsm/utils/SkeletonUtils.js";

import { type Inventory, type Lit, type Material, type Opening, pictures } from "../api/client";
import { afterDrawn } from "./afterDrawn";
import { Area, type Drawn, type DrawWith } from "./Area";
import { facesBefore, partOf } from "./faces";
import { type Ask, Framing, type Standing } from "./Framing";
import { ASSUMED_TEXELS } from "./lensNames";
import { materialFor, picturesInUse, uvName, type Wish } from "./lenses";
import { Halves, type Sharing } from "./lit/Halves";
import { LampMarks } from "./lit/LampMarks";
import { LitModel } from "./lit/LitModel";
import { useExposure } from "./lit/tone";
import { type Side } from "./lit/useLit";
import { Chosen, Marked, Numbers } from "./Marks";
import { Measured, Numbered, type Point } from "./Measured";
import type { Clock } from "./motion/clock";
import { Posed } from "./motion/Posed";
import { Rod } from "./Rod";
import type { RodShown } from "./rods";
import { Stage3D } from "./Stage3D";

/** A side in motion: its geometry with clips, which of them is shown, and the camera it is looked at through. */
export interface Shot {
  view: string;
  clip: string | null;
  through: { node: string; yfov_deg: number } | null;
}

interface Props {
  move: number;
  inventory: Inventory;
  wish: Wish;
  chosen: string[];
  onChoose: (part: string | null, more: boolean) => void;
  ask: Ask;
  rod: RodShown;
  /** Whether lamps are marked where they stand. */
  lamps: boolean;
  /** The side that is shown, and how it looks lit; nothing while that is not known, or lenses show something else. */
  side: Side;
  lit: Lit | null;
  /** Another side shown with it, how they share the picture, and where a wiped one is parted. */
  against: { side: Side; lit: Lit; shot: Shot | null } | null;
  sharing: Sharing;
  parted: number;
  /** Faces to hatch, by part and number as received; shown on the delivery before mends. */
  marked: Record<string, number[]> | null;
  /** While faces are picked by hand: hears of each face by part and number as received. */
  onFace: ((part: string, face: number) => void) | null;
  /** While places are pressed: those so far, and who hears of the next, in metres. */
  measured: Point[] | null;
  /** Places that are shown under their numbers, while others are pressed. */
  numbered?: [number, Point][] | null;
  onPoint: (point: Point) => void;
  /** Hears of a face that is pressed twice while faces are picked. */
  onSurface: (part: string, face: number) => void;
  standing?: Standing;
  /** Where it stands when it is opened, as far as that is known. */
  opening?: Opening | null;
  /** While a still is shown over it, nothing is drawn before it can be drawn lit. */
  covered?: boolean;
  /** Hears once the live picture is on the screen, lit. */
  onLive?: () => void;
  /** While a clip is looked at: this side in motion, and the moment. */
  shot: Shot | null;
  clock: Clock;
  /** A step while one stands in it. */
  walk: (eye: Point, heading: [number, number], far_m: number) => Promise<Point | null>;
  /** While something is drawn over the view instead of it being turned: what with, and who hears of it. */
  drawing: { shape: DrawWith; brush_px: number; onDrawn: (drawn: Drawn) => void } | null;
}

/** The live view: a quick look at the geometry under a lens, with the rod beside it. */
export const View = memo(function View(props: Props) {
  return (
    <Stage3D onMissed={() => props.onChoose(null, false)}>
      <Contents {...props} />
    </Stage3D>
  );
});

/** A root whose meshes without normals are faceted, as the format has it; faces keep their order. */
function withNormals(root: Group): Group {
  root.traverse((object) => {
    if (!(object instanceof Mesh) || (object.geometry as BufferGeometry).hasAttribute("normal")) return;
    const geometry = object.geometry as BufferGeometry;
    object.geometry = geometry.index ? geometry.toNonIndexed() : geometry.clone();
    (object.geometry as BufferGeometry).computeVertexNormals();
  });
  return root;
}

/** Textures arrive by the dozen; drawing once after they pause keeps a slow machine usable. */
function afterQuiet(act: () => void, quiet_ms: number): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  return () => {
    clearTimeout(timer);
    timer = setTimeout(act, quiet_ms);
  };
}

function Contents({
  move,
  inventory,
  wish,
  chosen,
  onChoose,
  ask,
  rod,
  lamps,
  side,
  lit,
  against,
  sharing,
  parted,
  marked,
  onFace,
  onSurface,
  measured,
  numbered = null,
  onPoint,
  drawing,
  walk,
  standing,
  opening = null,
  covered = false,
  onLive,
  shot,
  clock,
}: Props) {
  const early = side === "received" || marked !== null || onFace !== null;
  const still = side === "arrival" && lit ? lit.view : early ? inventory.received_view : inventory.view;
  const gltf = useLoader(GLTFLoader, pictures.view(shot?.view ?? still));
  const shownLit = wish.lens === "lit" ? lit : null;
  const { gl, invalidate } = useThree();
  const root = useMemo(() => withNormals(cloneWithSkins(gltf.scene) as Group), [gltf]);
  const [dressed, setDressed] = useState(false);
  const hearDressed = useCallback(() => setDressed(true), []);
  useEffect(() => {
    root.visible = !covered || dressed;
    invalidate();
  }, [root, covered, dressed, invalidate]);
  useEffect(() => {
    if (dressed && onLive) return afterDrawn(gl.getContext() as WebGL2RenderingContext, onLive);
  }, [dressed, onLive, gl]);
  const redraw = useMemo(() => afterQuiet(invalidate, 300), [invalidate]);
  const hidden = useMemo(
    () => new Set(inventory.parts.filter((part) => !part.included).map((part) => part.id)),
    [inventory.parts],
  );

  useExposure(shownLit ? shownLit.ev100 : null);

  useEffect(() => picturesInUse(), []);

  const lensed = shownLit === null;
  useEffect(() => {
    // What it looks like lit takes the place of numbers alone once its pictures are there.
    const worn: ThreeMaterial[] = [];
    const byId = new Map(
      inventory.materials.map((material, number) => [material.id, [material, number] as const]),
    );
    root.traverse((object) => {
      if (!(object instanceof Mesh)) return;
      const original = (object.userData.slot ??=
        (object.material as { userData: { id?: string } }).userData.id ?? "") as string;
      const [material, number] = byId.get(original) ?? [undefined, -1];
      const shape = object.geometry as BufferGeometry;
      const has = {
        colors: shape.hasAttribute("color"),
        uvs: (set: number) => shape.hasAttribute(uvName(set)),
      };
      const made = materialFor(wish, material, number, has, {
        move,
        version: inventory.view,
        redraw,
        texels: (worn, set) => texelsOf(inventory, worn, set),
      });
      object.material = made;
      worn.push(made);
    });
    invalidate();
    return () => {
      for (const one of worn) one.dispose();
    };
  }, [root, wish, inventory, move, invalidate, redraw, lensed]);

  useEffect(() => {
    root.traverse((object) => {
      if (!(object instanceof Mesh)) return;
      const part = partOf(object);
      object.visible = early || !(part && hidden.has(part));
    });
    invalidate();
  }, [root, hidden, early, invalidate]);

  return (
    <>
      <primitive
        object={root}
        onClick={(event: {
          stopPropagation: () => void;
          object: Object3D;
          faceIndex?: number | null;
          point: Vector3;
          delta: number;
          nativeEvent: MouseEvent;
        }) => {
          if (event.delta > 4 || drawing) return;
          event.stopPropagation();
          if (measured ?? numbered) return onPoint([event.point.x, event.point.y, event.point.z]);
          const part = partOf(event.object);
          if (onFace && part && event.faceIndex != null) {
            onFace(part, event.faceIndex + facesBefore(root, part, event.object));
            return;
          }
          onChoose(partOf(event.object), event.nativeEvent.shiftKey || event.nativeEvent.ctrlKey);
        }}
        onDoubleClick={(event: {
          stopPropagation: () => void;
          object: Object3D;
          faceIndex?: number | null;
        }) => {
          const part = partOf(event.object);
          if (!onFace || drawing || !part || event.faceIndex == null) return;
          event.stopPropagation();
          onSurface(part, event.faceIndex + facesBefore(root, part, event.object));
        }}
      />
      {wish.lens === "lit" && shownLit === null && <hemisphereLight args={["#ffffff", "#8d8b84", 2.2]} />}
      {shownLit && (
        <LitModel
          move={move}
          side={side}
          lit={shownLit}
          root={root}
          alone={against === null}
          onDressed={hearDressed}
        />
      )}
      {shownLit && against && (
        <Other move={move} left={root} sharing={sharing} parted={parted} clock={clock} {...against} />
      )}
      {shot && (
        <Posed root={root} clips={gltf.animations} clip={shot.clip} clock={clock} through={shot.through} />
      )}
      {shownLit && lamps && (
        <LampMarks lit={shownLit} reach_m={reachOf(inventory)} middle={middleOf(inventory)} clock={clock} />
      )}
      <Chosen root={root} chosen={chosen} />
      {marked && <Marked root={root} marked={marked} />}
      {wish.lens === "ids" && <Numbers root={root} inventory={inventory} />}
      {numbered && <Numbered places={numbered} reach_m={reachOf(inventory)} />}
      {measured && <Measured points={measured} reach_m={reachOf(inventory)} />}
      {drawing && <Area {...drawing} />}
      {rod !== "off" && <Rod root={root} inventory={inventory} person={rod === "person"} />}
      <Framing
        root={root}
        inventory={inventory}
        chosen={chosen}
        ask={ask}
        rod={rod !== "off"}
        still={drawing !== null || !!shot?.through}
        halved={shownLit !== null && against !== null && sharing === "beside"}
        standing={standing}
        opening={opening}
        walk={walk}
      />
    </>
  );
}

/** Texels of the largest image that a material reads by a UV set, times its repeats; those of a usual one where it reads none. */
function texelsOf(inventory: Inventory, material: Material | undefined, set: number): [number, number] {
  let most: [number, number] = [0, 0];
  for (const input of material?.inputs ?? []) {
    const image = inventory.images.find((one) => one.id === input.image);
    if (!image || input.uv_set !== set) continue;
    const [wide, high] = [image.width * (input.scale[0] ?? 1), image.height * (input.scale[1] ?? 1)];
    if (Math.abs(wide * high) > Math.abs(most[0] * most[1])) most = [wide, high];
  }
  return most[0] ? most : [ASSUMED_TEXELS, ASSUMED_TEXELS];
}

const reachOf = ({ size: { low_m, high_m } }: Inventory) =>
  Math.hypot(...high_m.map((high, axis) => high - (low_m[axis] ?? 0)));

const middleOf = ({ size: { low_m, high_m } }: Inventory) =>
  [0, 1, 2].map((axis) => ((low_m[axis] ?? 0) + (high_m[axis] ?? 0)) / 2) as [number, number, number];

/** The second of two sides that share the picture. */
function Other({
  move,
  side,
  lit,
  left,
  sharing,
  parted,
  shot,
  clock,
}: {
  move: number;
  side: Side;
  lit: Lit;
  shot: Shot | null;
  clock: Clock;
  left: Group;
  sharing: Sharing;
  parted: number;
}) {
  const gltf = useLoader(GLTFLoader, pictures.view(shot?.view ?? lit.view));
  const { invalidate } = useThree();
  const root = useMemo(() => withNormals(cloneWithSkins(gltf.scene) as Group), [gltf]);
  useEffect(() => invalidate(), [sharing, parted, invalidate]);
  return (
    <>
      <primitive object={root} raycast={() => undefined} />
      <LitModel move={move} side={side} lit={lit} root={root} alone={false} />
      {shot && <Posed root={root} clips={gltf.animations} clip={shot.clip} clock={clock} through={null} />}
      <Halves left={left} right={root} sharing={sharing} parted={parted} />
    </>
  );
}
