import { useLoader, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { type BufferGeometry, type Material, Mesh, type Object3D, PMREMGenerator } from "three";
import { RoomEnvironment } from "three/examples/jsm/environments/RoomEnvironment.js";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";

import { type Inventory, pictures } from "../api/client";
import { Area } from "./Area";
import { facesBefore, partOf } from "./faces";
import { type Ask, Framing, type Standing } from "./Framing";
import { materialFor, picturesInUse, type Wish } from "./lenses";
import { Chosen, Marked, Numbers } from "./Marks";
import { Rod } from "./Rod";
import { Stage3D } from "./Stage3D";

interface Props {
  move: number;
  inventory: Inventory;
  wish: Wish;
  chosen: string[];
  onChoose: (part: string | null, more: boolean) => void;
  ask: Ask;
  rod: boolean;
  /** Show the delivery before any mend but unit and axis. */
  before: boolean;
  /** Faces to hatch, by part and number as received; shown on the delivery before mends. */
  marked: Record<string, number[]> | null;
  /** While faces are picked by hand: hears of each face by part and number as received. */
  onFace: ((part: string, face: number) => void) | null;
  standing?: Standing;
  /** While an area is drawn instead of the view being turned: hears of all faces in it, by part. */
  onArea: ((found: Record<string, number[]>) => void) | null;
}

/** The live view: a quick look at the geometry under a lens, with the rod beside it. */
export function View(props: Props) {
  return (
    <Stage3D onMissed={() => props.onChoose(null, false)}>
      <Contents {...props} />
    </Stage3D>
  );
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
  before,
  marked,
  onFace,
  onArea,
  standing,
}: Props) {
  const early = before || marked !== null || onFace !== null;
  const gltf = useLoader(GLTFLoader, pictures.view(early ? inventory.received_view : inventory.view));
  const { gl, scene, invalidate } = useThree();
  const root = useMemo(() => gltf.scene.clone(true), [gltf]);
  const redraw = useMemo(() => afterQuiet(invalidate, 300), [invalidate]);
  const hidden = useMemo(
    () => new Set(inventory.parts.filter((part) => !part.included).map((part) => part.id)),
    [inventory.parts],
  );

  useEffect(() => {
    const maker = new PMREMGenerator(gl);
    const room = maker.fromScene(new RoomEnvironment(), 0.04);
    scene.environment = room.texture;
    scene.environmentIntensity = 0.55;
    invalidate();
    return () => {
      scene.environment = null;
      room.dispose();
      maker.dispose();
    };
  }, [gl, scene, invalidate]);

  useEffect(() => picturesInUse(), []);

  useEffect(() => {
    const worn: Material[] = [];
    const byId = new Map(
      inventory.materials.map((material, number) => [material.id, [material, number] as const]),
    );
    root.traverse((object) => {
      if (!(object instanceof Mesh)) return;
      const original = (object.userData.slot ??=
        (object.material as { userData: { id?: string } }).userData.id ?? "") as string;
      const [material, number] = byId.get(original) ?? [undefined, -1];
      const colored = (object.geometry as BufferGeometry).hasAttribute("color");
      const made = materialFor(wish, material, number, colored, {
        move,
        version: inventory.view,
        redraw,
      });
      object.material = made;
      worn.push(made);
      const part = partOf(object);
      object.visible = early || !(part && hidden.has(part));
    });
    invalidate();
    return () => {
      for (const one of worn) one.dispose();
    };
  }, [root, wish, inventory, hidden, move, invalidate, redraw, early]);

  return (
    <>
      <primitive
        object={root}
        onClick={(event: {
          stopPropagation: () => void;
          object: Object3D;
          faceIndex?: number | null;
          delta: number;
          nativeEvent: MouseEvent;
        }) => {
          if (event.delta > 4 || onArea) return;
          event.stopPropagation();
          const part = partOf(event.object);
          if (onFace && part && event.faceIndex != null) {
            onFace(part, event.faceIndex + facesBefore(root, part, event.object));
            return;
          }
          onChoose(partOf(event.object), event.nativeEvent.shiftKey || event.nativeEvent.ctrlKey);
        }}
      />
      <Chosen root={root} chosen={chosen} />
      {marked && <Marked root={root} marked={marked} />}
      {wish.lens === "ids" && <Numbers root={root} inventory={inventory} />}
      {onArea && <Area root={root} chosen={chosen} onArea={onArea} />}
      {rod && <Rod inventory={inventory} />}
      <Framing
        root={root}
        inventory={inventory}
        chosen={chosen}
        ask={ask}
        rod={rod}
        still={onArea !== null}
        standing={standing}
      />
    </>
  );
}
