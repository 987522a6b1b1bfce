import { useThree } from "@react-three/fiber";
import { useCallback, useEffect, useRef, useState } from "react";
import { Box3, type Group, Mesh, type Object3D, Vector3 } from "three";

import type { Lit } from "../../api/client";
import { drawnByCard } from "../card";
import { withDecals } from "./decals";
import { dress } from "./dress";
import { lampsOf } from "./lamps";
import { type Surround, surround, surroundOf } from "./surroundings";
import { Textures } from "./textures";
import type { Side } from "./useLit";

/** What a root has to be shown with: read where one picture is made of two sides. */
export interface Shown {
  surround: Surround | null;
}

/** Dresses a root in a side's materials and lights it with that side's lamps and surroundings; `alone` says whether it has the scene to itself. `onDressed` hears once it wears its pictures and what surrounds it is there. */
export function LitModel({
  move,
  side,
  lit,
  root,
  alone,
  onDressed,
}: {
  move: number;
  side: Side;
  lit: Lit;
  root: Group;
  alone: boolean;
  onDressed?: () => void;
}) {
  const { gl, scene, invalidate } = useThree();
  const [textures, setTextures] = useState<Textures | null>(null);
  const [surrounded, setSurrounded] = useState(false);

  const worn = useRef<Textures | null>(null);
  /** Wears other pictures, or none, and lets go of those worn before once nothing shows them any more. */
  const wear = useCallback((next: Textures | null) => {
    const before = worn.current;
    worn.current = next;
    setTextures(next);
    if (before) setTimeout(() => before.letGo(), 500);
  }, []);

  useEffect(() => {
    let gone = false;
    void Textures.small(move, side, lit)
      .then((made) => {
        if (gone) return made.letGo();
        wear(made);
        void made.sharpen().then(() => invalidate());
      })
      .catch(() => undefined);
    return () => {
      gone = true;
    };
  }, [move, side, lit, wear, invalidate]);
  // Until others are there, what was worn stays; another side has none of it.
  useEffect(() => () => wear(null), [move, side, wear]);

  useEffect(() => {
    if (!textures) return;
    const undress = dress(root, lit, textures, drawnByCard());
    const peel = withDecals(root, move, lit, invalidate);
    root.traverse((object) => {
      if (object instanceof Mesh) object.castShadow = object.receiveShadow = true;
    });
    gl.shadowMap.needsUpdate = true;
    invalidate();
    return () => {
      peel();
      undress();
    };
  }, [root, move, lit, textures, gl, invalidate]);

  useEffect(() => {
    gl.shadowMap.enabled = true;
    gl.shadowMap.autoUpdate = false;
    gl.shadowMap.needsUpdate = true;
    const box = new Box3().setFromObject(root);
    const reach = Math.max(box.getSize(new Vector3()).length(), 1e-3);
    const lamps = lampsOf(lit, reach, box.getCenter(new Vector3()));
    root.add(lamps);
    invalidate();
    return () => {
      root.remove(lamps);
      lamps.traverse((one: Object3D & { dispose?: () => void }) => one.dispose?.());
    };
  }, [root, lit, gl, invalidate]);

  useEffect(() => {
    let gone = false;
    let around: Surround | null = null;
    void surroundOf(gl, move, side, lit)
      .then((made) => {
        if (gone) return made.letGo();
        around = made;
        if (made.probe) root.add(made.probe);
        (root.userData as Shown).surround = made;
        if (alone) surround(scene, made);
        invalidate();
      })
      .catch(() => undefined)
      .finally(() => setSurrounded(true));
    return () => {
      gone = true;
      (root.userData as Shown).surround = null;
      if (alone) surround(scene, null);
      if (around?.probe) root.remove(around.probe);
      around?.letGo();
    };
  }, [gl, scene, move, side, lit, root, alone, invalidate]);

  useEffect(() => {
    if (textures && surrounded) onDressed?.();
  }, [textures, surrounded, onDressed]);
  return null;
}
