import { Canvas, useLoader, useThree } from "@react-three/fiber";
import { Suspense, useEffect, useMemo } from "react";
import {
  Box3,
  Box3Helper,
  Color,
  DoubleSide,
  type Group,
  LinearFilter,
  Mesh,
  MeshBasicMaterial,
  type PerspectiveCamera,
  SRGBColorSpace,
  TextureLoader,
  Vector3,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";

import { pictures } from "../../api/client";
import { partOf } from "../../view/faces";

interface Props {
  move: number;
  version: string;
  lens: string;
  chosen: string | null;
  onChoose: (part: string | null) => void;
  /** Raised to move the view to the chosen part. */
  ask: number;
}

/** The parts whose light is written down, wearing their lightmaps under a lens and nothing else. */
export function LightmapView(props: Props) {
  return (
    <Canvas
      frameloop="demand"
      flat
      dpr={[1, 2]}
      camera={{ fov: 35, near: 0.01, far: 500 }}
      style={{ background: "#777777" }}
      onPointerMissed={() => props.onChoose(null)}
      gl={{ preserveDrawingBuffer: true }}
    >
      <Suspense fallback={null}>
        <Contents {...props} />
      </Suspense>
    </Canvas>
  );
}

const loader = new TextureLoader();

/** Measured lenses are mostly paper: a little of the slope towards the eye, so that shapes can be told. */
function shaped(shader: { vertexShader: string; fragmentShader: string }) {
  shader.vertexShader = shader.vertexShader
    .replace("void main() {", "varying vec3 vSeen;\nvoid main() {")
    .replace("#include <project_vertex>", "#include <project_vertex>\nvSeen = mvPosition.xyz;");
  shader.fragmentShader = shader.fragmentShader
    .replace("void main() {", "varying vec3 vSeen;\nvoid main() {")
    .replace(
      "#include <map_fragment>",
      "#include <map_fragment>\nvec3 slope = normalize(cross(dFdx(vSeen), dFdy(vSeen)));\ndiffuseColor.rgb *= 0.55 + 0.45 * abs(dot(slope, normalize(vSeen)));",
    );
}

function Contents({ move, version, lens, chosen, onChoose, ask }: Props) {
  const gltf = useLoader(GLTFLoader, pictures.lightmapView(move, version));
  const { scene, invalidate } = useThree();
  const root = useMemo(() => gltf.scene.clone(true), [gltf]);

  useEffect(() => {
    const made = new Map<number, MeshBasicMaterial>();
    root.traverse((object) => {
      if (!(object instanceof Mesh)) return;
      const slot = (object.userData.slot ??=
        (object.material as { userData: { id?: string } }).userData.id ?? "") as string;
      const number = Number(slot.split(" ").pop() ?? 0);
      let worn = made.get(number);
      if (!worn) {
        const map = loader.load(pictures.lightmap(move, number, lens, version), () => invalidate());
        map.colorSpace = SRGBColorSpace;
        map.flipY = false;
        map.generateMipmaps = false;
        map.minFilter = map.magFilter = LinearFilter;
        worn = new MeshBasicMaterial({ map, side: DoubleSide, toneMapped: false });
        if (lens !== "light") worn.onBeforeCompile = shaped;
        made.set(number, worn);
      }
      object.material = worn;
    });
    invalidate();
    return () => {
      for (const one of made.values()) {
        one.map?.dispose();
        one.dispose();
      }
    };
  }, [root, lens, move, version, invalidate]);

  useEffect(() => {
    if (!chosen) return;
    const box = boxOf(root, chosen);
    if (box.isEmpty()) return;
    const helper = new Box3Helper(box.expandByScalar(0.004), new Color("#9a2e40"));
    scene.add(helper);
    invalidate();
    return () => {
      scene.remove(helper);
      invalidate();
    };
  }, [root, chosen, scene, invalidate]);

  return (
    <>
      <primitive
        object={root}
        onClick={(event: { stopPropagation: () => void; object: Mesh; delta: number }) => {
          if (event.delta > 4) return;
          event.stopPropagation();
          onChoose(partOf(event.object));
        }}
      />
      <Framing root={root} chosen={chosen} ask={ask} />
    </>
  );
}

function boxOf(root: Group, part: string | null): Box3 {
  const box = new Box3();
  root.updateMatrixWorld(true);
  root.traverse((object) => {
    const wanted = part === null || partOf(object) === part;
    if (wanted && object instanceof Mesh) box.expandByObject(object);
  });
  return box;
}

function Framing({ root, chosen, ask }: { root: Group; chosen: string | null; ask: number }) {
  const { camera, gl, invalidate } = useThree();
  const controls = useMemo(() => new OrbitControls(camera, gl.domElement), [camera, gl]);
  useEffect(() => {
    const redraw = () => invalidate();
    controls.addEventListener("change", redraw);
    return () => controls.removeEventListener("change", redraw);
  }, [controls, invalidate]);
  useEffect(() => () => controls.dispose(), [controls]);
  useEffect(() => {
    const box = boxOf(root, ask > 0 ? chosen : null);
    if (box.isEmpty()) return;
    const lens = camera as PerspectiveCamera;
    const center = box.getCenter(new Vector3());
    const radius = Math.max(box.getSize(new Vector3()).length() / 2, 1e-3);
    const room = Math.tan((lens.fov * Math.PI) / 360) * Math.min(1, lens.aspect);
    lens.position
      .copy(center)
      .add(new Vector3(0.35, 0.28, 1).normalize().multiplyScalar((radius / room) * 0.98));
    lens.near = radius / 100;
    lens.far = radius * 100;
    lens.updateProjectionMatrix();
    controls.target.copy(center);
    controls.update();
    invalidate();
    // A new choice alone must not move the view; only an explicit request does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [root, ask, controls, invalidate]);
  return null;
}
