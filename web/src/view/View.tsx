import { Canvas, useLoader, useThree } from "@react-three/fiber";
import { type RefObject, Suspense, useEffect, useMemo, useRef } from "react";
import {
  Box3,
  Box3Helper,
  BufferGeometry,
  CanvasTexture,
  Color,
  type Group,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  DoubleSide,
  type Object3D,
  PerspectiveCamera,
  PMREMGenerator,
  Quaternion,
  Scene as ThreeScene,
  Shape,
  ShapeGeometry,
  Sprite,
  SRGBColorSpace,
  SpriteMaterial,
  Vector3,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { RoomEnvironment } from "three/examples/jsm/environments/RoomEnvironment.js";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";

import { type Inventory, pictures } from "../api/client";
import { Area } from "./Area";
import { faceCount, facesBefore, partOf } from "./faces";
import { markedMaterial, materialFor, type Wish } from "./lenses";

interface Props {
  move: number;
  inventory: Inventory;
  wish: Wish;
  chosen: string[];
  onChoose: (part: string | null, more: boolean) => void;
  /** Raised to ask for a framing: everything, the chosen parts, a camera of the scene, or standing in it at eye height. */
  ask: { kind: "all" | "chosen" | "camera" | "walk"; camera?: string; number: number };
  rod: boolean;
  /** Show the delivery before any mend but unit and axis. */
  before: boolean;
  /** Faces to hatch, by part and number as received; shown on the delivery before mends. */
  marked: Record<string, number[]> | null;
  /** While faces are picked by hand: hears of each face by part and number as received. */
  onFace: ((part: string, face: number) => void) | null;
  /** Filled in with a way to read where the view stands: camera to world row by row, and the full vertical angle. */
  standing?: RefObject<(() => { matrix: number[]; yfov_rad: number }) | null>;
  /** While an area is drawn instead of the view being turned: hears of all faces in it, by part. */
  onArea: ((found: Record<string, number[]>) => void) | null;
}

/** The live view: a quick look at the geometry under a lens, with the rod beside it. */
export function View(props: Props) {
  return (
    <Canvas
      frameloop="demand"
      flat={false}
      dpr={[1, 2]}
      camera={{ fov: 35, near: 0.01, far: 500 }}
      style={{ background: "#777777" }}
      onPointerMissed={() => props.onChoose(null, false)}
      gl={{ preserveDrawingBuffer: true }}
    >
      <Suspense fallback={null}>
        <Contents {...props} />
      </Suspense>
    </Canvas>
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
    scene.environment = maker.fromScene(new RoomEnvironment() as unknown as ThreeScene, 0.04).texture;
    scene.environmentIntensity = 0.55;
    invalidate();
    return () => maker.dispose();
  }, [gl, scene, invalidate]);

  useEffect(() => {
    const byId = new Map(
      inventory.materials.map((material, number) => [material.id, [material, number] as const]),
    );
    root.traverse((object) => {
      if (!(object instanceof Mesh)) return;
      const original = (object.userData.slot ??=
        (object.material as { userData: { id?: string } }).userData.id ?? "") as string;
      const [material, number] = byId.get(original) ?? [undefined, -1];
      const colored = (object.geometry as BufferGeometry).hasAttribute("color");
      object.material = materialFor(wish, material, number, colored, {
        move,
        version: inventory.view,
        redraw,
      });
      const part = partOf(object);
      object.visible = early || !(part && hidden.has(part));
    });
    invalidate();
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

function boxOf(root: Group, ids: string[]): Box3 {
  const box = new Box3();
  const wanted = new Set(ids);
  root.updateMatrixWorld(true);
  root.traverse((object) => {
    if (object instanceof Mesh && object.visible && (!wanted.size || wanted.has(partOf(object) ?? "")))
      box.expandByObject(object);
  });
  return box;
}

function Chosen({ root, chosen }: { root: Group; chosen: string[] }) {
  const { scene, invalidate } = useThree();
  useEffect(() => {
    const helpers = chosen.slice(0, 60).map((id) => {
      const box = boxOf(root, [id]);
      return box.isEmpty() ? null : new Box3Helper(box.expandByScalar(0.004), new Color("#9a2e40"));
    });
    for (const helper of helpers) if (helper) scene.add(helper);
    invalidate();
    return () => {
      for (const helper of helpers) if (helper) scene.remove(helper);
      invalidate();
    };
  }, [root, chosen, scene, invalidate]);
  return null;
}

/** Hatched copies of the marked faces, a hair in front of the model. Faces are numbered over a part's meshes in order. */
function Marked({ root, marked }: { root: Group; marked: Record<string, number[]> }) {
  const { scene, invalidate } = useThree();
  useEffect(() => {
    root.updateMatrixWorld(true);
    const meshesOf = new Map<string, Mesh[]>();
    root.traverse((object) => {
      const shown = object instanceof Mesh;
      const part = shown ? partOf(object) : null;
      if (part && marked[part]) meshesOf.set(part, [...(meshesOf.get(part) ?? []), object as Mesh]);
    });
    const made: Mesh[] = [];
    for (const [part, meshes] of meshesOf) {
      let start = 0;
      const wanted = marked[part]!;
      for (const mesh of meshes) {
        const geometry = mesh.geometry as BufferGeometry;
        const index = geometry.index;
        const count = faceCount(mesh);
        const own = wanted
          .filter((face) => face >= start && face < start + count)
          .map((face) => face - start);
        if (own.length) {
          const copy = new BufferGeometry();
          for (const name of ["position", "normal"] as const)
            if (geometry.hasAttribute(name)) copy.setAttribute(name, geometry.getAttribute(name));
          copy.setIndex(
            own.flatMap((face) => [0, 1, 2].map((k) => (index ? index.getX(face * 3 + k) : face * 3 + k))),
          );
          const shown = new Mesh(copy, markedMaterial());
          shown.matrixAutoUpdate = false;
          shown.matrix.copy(mesh.matrixWorld);
          shown.raycast = () => undefined;
          shown.renderOrder = 5;
          made.push(shown);
        }
        start += count;
      }
    }
    for (const mesh of made) scene.add(mesh);
    invalidate();
    return () => {
      for (const mesh of made) scene.remove(mesh);
      invalidate();
    };
  }, [root, marked, scene, invalidate]);
  return null;
}

function plateSprite(text: string, height: number): Sprite {
  const canvas = document.createElement("canvas");
  const pen = canvas.getContext("2d")!;
  pen.font = "600 40px 'Spline Sans Mono Variable', monospace";
  canvas.width = Math.ceil(pen.measureText(text).width) + 28;
  canvas.height = 60;
  pen.fillStyle = "#fbfaf8";
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.font = "600 40px 'Spline Sans Mono Variable', monospace";
  pen.fillStyle = "#22241f";
  pen.fillText(text, 14, 44);
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  const sprite = new Sprite(
    new SpriteMaterial({ map, depthTest: false, sizeAttenuation: false, toneMapped: false }),
  );
  sprite.scale.set((height * canvas.width) / canvas.height, height, 1);
  sprite.renderOrder = 10;
  return sprite;
}

function Numbers({ root, inventory }: { root: Group; inventory: Inventory }) {
  const { scene, invalidate } = useThree();
  useEffect(() => {
    const sprites = inventory.materials.map((material, number) => {
      const part = inventory.parts
        .filter((one) => one.included && one.materials.includes(material.id))
        .sort((a, b) => b.triangles - a.triangles)[0];
      if (!part) return null;
      const sprite = plateSprite(String(number + 1), 0.02);
      boxOf(root, [part.id]).getCenter(sprite.position);
      scene.add(sprite);
      return sprite;
    });
    invalidate();
    return () => {
      for (const sprite of sprites) if (sprite) scene.remove(sprite);
    };
  }, [root, inventory, scene, invalidate]);
  return null;
}

/** The striped staff: a tenth of a round height a stripe, standing where the scene ends. */
function Rod({ inventory }: { inventory: Inventory }) {
  const { scene, invalidate } = useThree();
  const { low_m: low, high_m: high } = inventory.size;
  useEffect(() => {
    const height = Math.max((high[1] ?? 1) - (low[1] ?? 0), 1e-3);
    const step = 10 ** Math.floor(Math.log10(height)) / 10 || 0.1;
    const stripe = height / step > 40 ? step * 10 : step;
    const stripes = Math.max(1, Math.ceil(height / stripe - 1e-6));
    const width = height * 0.022;
    const x = (high[0] ?? 1) + width * 3;
    const z = ((low[2] ?? 0) + (high[2] ?? 0)) / 2;
    const group: Object3D[] = [];
    for (let k = 0; k < stripes; k++) {
      const piece = new Mesh(boxGeometry(width, stripe, width), new MeshBasicMaterial({ toneMapped: false }));
      (piece.material as MeshBasicMaterial).color.set(k % 2 ? "#22241f" : "#fbfaf8");
      piece.position.set(x, (low[1] ?? 0) + (k + 0.5) * stripe, z);
      group.push(piece);
    }
    for (const [label, at] of [
      ["0", 0],
      [`${(stripes * stripe).toFixed(2)} m`, stripes * stripe],
    ] as const) {
      const plate = plateSprite(label, 0.018);
      plate.position.set(x + width * 3, (low[1] ?? 0) + at, z);
      group.push(plate);
    }
    const person = new Mesh(
      personGeometry(PERSON_M),
      new MeshBasicMaterial({ color: "#4b4c47", side: DoubleSide, toneMapped: false }),
    );
    person.position.set(x + width * 3 + PERSON_M * 0.2, low[1] ?? 0, z);
    group.push(person);
    for (const object of group) scene.add(object);
    invalidate();
    return () => {
      for (const object of group) scene.remove(object);
      invalidate();
    };
  }, [scene, invalidate, low, high]);
  return null;
}

const PERSON_M = 1.7;
/** Right half of a standing figure, in parts of its height, from between the feet up to the neck. */
const OUTLINE = [
  [0.012, 0.47],
  [0.02, 0.25],
  [0.025, 0],
  [0.085, 0],
  [0.08, 0.04],
  [0.085, 0.27],
  [0.098, 0.47],
  [0.1, 0.56],
  [0.125, 0.45],
  [0.155, 0.46],
  [0.145, 0.62],
  [0.135, 0.77],
  [0.12, 0.815],
  [0.035, 0.845],
  [0.03, 0.87],
] as const;

/** A flat figure of the given height, standing on its origin. */
function personGeometry(height: number): BufferGeometry {
  const body = new Shape();
  OUTLINE.forEach(([px, py], at) =>
    at ? body.lineTo(px * height, py * height) : body.moveTo(px * height, py * height),
  );
  [...OUTLINE].reverse().forEach(([px, py]) => body.lineTo(-px * height, py * height));
  const head = new Shape();
  head.absellipse(0, 0.93 * height, 0.05 * height, 0.07 * height, 0, 2 * Math.PI, false, 0);
  return new ShapeGeometry([body, head], 16);
}

function boxGeometry(x: number, y: number, z: number): BufferGeometry {
  const geometry = new BufferGeometry();
  const corners = [-1, 1].flatMap((a) =>
    [-1, 1].flatMap((b) => [-1, 1].map((c) => new Vector3((a * x) / 2, (b * y) / 2, (c * z) / 2))),
  );
  geometry.setFromPoints(corners);
  geometry.setIndex([
    0, 1, 3, 0, 3, 2, 4, 6, 7, 4, 7, 5, 0, 4, 5, 0, 5, 1, 2, 3, 7, 2, 7, 6, 0, 2, 6, 0, 6, 4, 1, 5, 7, 1, 7,
    3,
  ]);
  return geometry;
}

function Framing({
  root,
  inventory,
  chosen,
  ask,
  rod,
  still,
  standing,
}: {
  root: Group;
  inventory: Inventory;
  chosen: string[];
  ask: Props["ask"];
  rod: boolean;
  still: boolean;
  standing: Props["standing"];
}) {
  const { camera, gl, invalidate } = useThree();
  const controls = useRef<OrbitControls | null>(null);
  useEffect(() => {
    const made = new OrbitControls(camera, gl.domElement);
    made.addEventListener("change", () => invalidate());
    controls.current = made;
    return () => made.dispose();
  }, [camera, gl, invalidate]);

  useEffect(() => {
    if (controls.current) controls.current.enabled = !still;
  }, [still]);

  useEffect(() => {
    if (!standing) return;
    standing.current = () => {
      camera.updateMatrixWorld();
      return {
        matrix: camera.matrixWorld.clone().transpose().toArray(),
        yfov_rad: ((camera as PerspectiveCamera).fov * Math.PI) / 180,
      };
    };
    return () => {
      standing.current = null;
    };
  }, [camera, standing]);

  useEffect(() => {
    const lens = camera as PerspectiveCamera;
    const made = controls.current;
    if (!made) return;
    if (ask.kind === "walk") {
      stand(lens, made, inventory);
      lens.updateProjectionMatrix();
      made.update();
      invalidate();
      return;
    }
    const shot = ask.kind === "camera" ? inventory.cameras.find((one) => one.id === ask.camera) : undefined;
    if (shot) {
      const matrix = new Matrix4().fromArray(shot.matrix);
      const position = new Vector3();
      matrix.decompose(position, new Quaternion(), new Vector3());
      const ahead = new Vector3(0, 0, -1).transformDirection(matrix);
      lens.position.copy(position);
      lens.fov = shot.yfov_deg;
      made.target.copy(position).addScaledVector(ahead, Math.max(0.1, position.length()));
    } else {
      const { low_m, high_m } = inventory.size;
      const box =
        ask.kind === "chosen" ? boxOf(root, chosen) : new Box3(new Vector3(...low_m), new Vector3(...high_m));
      if (box.isEmpty()) return;
      if (rod && ask.kind === "all") {
        // The figure beside a small prop would fill the view; it is there all the same when one turns to it.
        const across = box.getSize(new Vector3());
        box.max.x += across.y * 0.3 + (across.length() > PERSON_M * 0.6 ? PERSON_M * 0.4 : 0);
      }
      const center = box.getCenter(new Vector3());
      const radius = box.getSize(new Vector3()).length() / 2;
      lens.fov = 35;
      const room = Math.tan((lens.fov * Math.PI) / 360) * Math.min(1, lens.aspect);
      lens.position
        .copy(center)
        .add(new Vector3(0.35, 0.18, 1).normalize().multiplyScalar((radius / room) * 0.98));
      lens.near = radius / 100;
      lens.far = radius * 100;
      made.target.copy(center);
    }
    lens.updateProjectionMatrix();
    made.update();
    invalidate();
    // A new choice alone must not move the view; only an explicit request does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ask.number, root]);

  useEffect(() => {
    if (ask.kind !== "walk") return;
    const holder = gl.domElement;
    holder.tabIndex = 0;
    holder.focus();
    function step(event: KeyboardEvent) {
      const made = controls.current;
      if (!made) return;
      const ahead = made.target.clone().sub(camera.position);
      const pace = event.shiftKey ? 1 : 0.25;
      if (event.key === "ArrowUp" || event.key === "ArrowDown") {
        const move = ahead
          .clone()
          .setY(0)
          .normalize()
          .multiplyScalar(event.key === "ArrowUp" ? pace : -pace);
        camera.position.add(move);
        made.target.add(move);
      } else if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
        ahead.applyAxisAngle(new Vector3(0, 1, 0), event.key === "ArrowLeft" ? 0.12 : -0.12);
        made.target.copy(camera.position).add(ahead);
      } else return;
      event.preventDefault();
      made.update();
      invalidate();
    }
    holder.addEventListener("keydown", step);
    return () => holder.removeEventListener("keydown", step);
  }, [ask.kind, ask.number, camera, gl, invalidate]);
  return null;
}

const EYE_M = 1.6;

/** At eye height before the scene, looking into it; the arrow keys walk and turn. */
function stand(lens: PerspectiveCamera, controls: OrbitControls, inventory: Inventory) {
  const { low_m, high_m } = inventory.size;
  const middle = [0, 1, 2].map((k) => ((low_m[k] ?? 0) + (high_m[k] ?? 0)) / 2);
  const deep = (high_m[2] ?? 0) - (low_m[2] ?? 0);
  const height = (low_m[1] ?? 0) + EYE_M;
  lens.fov = 55;
  lens.near = 0.02;
  lens.far = 2000;
  lens.position.set(middle[0] ?? 0, height, (high_m[2] ?? 0) + Math.max(deep, 1.5));
  controls.target.set(middle[0] ?? 0, Math.min(height, Math.max(middle[1] ?? 0, height - 1)), middle[2] ?? 0);
}
