import { useLoader, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  DoubleSide,
  type Group,
  LinearFilter,
  Mesh,
  MeshBasicMaterial,
  type PerspectiveCamera,
  SRGBColorSpace,
  TextureLoader,
} from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";

import { pictures } from "../../api/client";
import { boxOf } from "../../view/boxes";
import { partOf } from "../../view/faces";
import { Chosen } from "../../view/Marks";
import { frame, Stage3D, useOrbit } from "../../view/Stage3D";

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
    <Stage3D measured onMissed={() => props.onChoose(null)}>
      <Contents {...props} />
    </Stage3D>
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
  const { invalidate } = useThree();
  const boxed = useMemo(() => (chosen ? [chosen] : []), [chosen]);
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
      <Chosen root={root} chosen={boxed} />
      <Framing root={root} chosen={chosen} ask={ask} />
    </>
  );
}

function Framing({ root, chosen, ask }: { root: Group; chosen: string | null; ask: number }) {
  const { camera, invalidate } = useThree();
  const controls = useOrbit();
  useEffect(() => {
    const box = boxOf(root, ask > 0 && chosen ? [chosen] : []);
    if (box.isEmpty() || !controls) return;
    const lens = camera as PerspectiveCamera;
    frame(lens, controls, box, 0.28);
    lens.updateProjectionMatrix();
    controls.update();
    invalidate();
    // A new choice alone must not move the view; only an explicit request does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [root, ask, controls, invalidate]);
  return null;
}
