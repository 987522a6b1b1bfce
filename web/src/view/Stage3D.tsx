import { Canvas, useThree } from "@react-three/fiber";
import { type ReactNode, Suspense, useEffect, useState } from "react";
import {
  type Box3,
  type BufferGeometry,
  LineSegments,
  type Material,
  Mesh,
  type Object3D,
  type PerspectiveCamera,
  Sprite,
  type Texture,
  Vector3,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";

import { drawnByCard } from "./card";

/** Pixels of the view for each of the screen: without a graphics card fewer, so that it can be turned. */
const SHARPNESS: [number, number] = drawnByCard() ? [1, 2] : [0.75, 0.75];

/** Where geometry is looked at: drawn when something changes, on neutral grey. */
export function Stage3D({
  measured,
  onMissed,
  children,
}: {
  /** Colours are shown as they are measured, without a tone curve. */
  measured?: boolean;
  onMissed: () => void;
  children: ReactNode;
}) {
  return (
    <Canvas
      frameloop="demand"
      flat={measured ?? false}
      dpr={SHARPNESS}
      camera={{ fov: 35, near: 0.01, far: 500 }}
      style={{ background: "#777777" }}
      onPointerMissed={onMissed}
      gl={{ preserveDrawingBuffer: true }}
    >
      <Suspense fallback={null}>{children}</Suspense>
    </Canvas>
  );
}

/** Controls that turn the view, once they are there; each turn is drawn. */
export function useOrbit(still = false): OrbitControls | null {
  const { camera, gl, invalidate } = useThree();
  const [controls, setControls] = useState<OrbitControls | null>(null);
  useEffect(() => {
    const made = new OrbitControls(camera, gl.domElement);
    made.addEventListener("change", () => invalidate());
    setControls(made);
    return () => {
      setControls(null);
      made.dispose();
    };
  }, [camera, gl, invalidate]);
  useEffect(() => {
    if (controls) controls.enabled = !still;
  }, [controls, still]);
  return controls;
}

/** The share of the picture's width and height that a framed box takes; the rest is for the plates at its edges. */
const FILLED = [0.95, 0.84] as const;

/** Stands so that a box fills the picture, seen from a little above and aside. */
export function frame(
  lens: PerspectiveCamera,
  controls: OrbitControls,
  box: Box3,
  above = 0.18,
  aspect = lens.aspect,
) {
  const center = box.getCenter(new Vector3());
  const radius = Math.max(box.getSize(new Vector3()).length() / 2, 1e-3);
  const back = new Vector3(0.35, above, 1).normalize();
  const right = new Vector3(0, 1, 0).cross(back).normalize();
  const up = back.clone().cross(right);
  const high = Math.tan((lens.fov * Math.PI) / 360) * FILLED[1];
  const wide = Math.tan((lens.fov * Math.PI) / 360) * aspect * FILLED[0];
  let away = radius * 0.1;
  for (const x of [box.min.x, box.max.x])
    for (const y of [box.min.y, box.max.y])
      for (const z of [box.min.z, box.max.z]) {
        const corner = new Vector3(x, y, z).sub(center);
        const nearer = corner.dot(back);
        away = Math.max(
          away,
          nearer + Math.abs(corner.dot(right)) / wide,
          nearer + Math.abs(corner.dot(up)) / high,
        );
      }
  lens.position.copy(center).addScaledVector(back, away);
  lens.near = radius / 100;
  lens.far = radius * 100;
  controls.target.copy(center);
}

/** Things that are in the scene as long as they are given, and let go of when they leave. */
export function useThings(make: () => Object3D[], reasons: readonly unknown[]) {
  const { scene, invalidate } = useThree();
  useEffect(() => {
    const things = make();
    for (const thing of things) scene.add(thing);
    invalidate();
    return () => {
      for (const thing of things) {
        scene.remove(thing);
        letGo(thing);
      }
      invalidate();
    };
    // What is made follows the reasons that are given for it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [scene, invalidate, ...reasons]);
}

/** Frees what a thing and all below it hold on the graphics card: their own geometry, material and texture. */
function letGo(thing: Object3D) {
  thing.traverse((one) => {
    if (one instanceof Mesh || one instanceof LineSegments) (one.geometry as BufferGeometry).dispose();
    if (one instanceof Mesh || one instanceof LineSegments || one instanceof Sprite) {
      const worn = one.material as Material & { map?: Texture | null };
      worn.map?.dispose();
      worn.dispose();
    }
  });
}
