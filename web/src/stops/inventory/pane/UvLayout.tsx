import { useEffect, useMemo, useRef, useState } from "react";
import { type BufferGeometry, type Group, Mesh } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";

import { type Inventory, pictures } from "../../../api/client";
import { useUvLayout } from "../../../api/facts";
import { whole } from "../../../ui/format";
import { partOf } from "../../../view/faces";
import { uvName } from "../../../view/lenses";
import { NamedOptions } from "../../../ui/NamedOptions";

/** Triangles of a UV set: three corners of u and v each, V running down as in the image. */
type UvTriangles = Float32Array;

const SIDE = 1024;
/** More triangles than these are not drawn: it would hold the page up. */
const MOST = 1_000_000;

/** The UVs of a material flat over its image and its repeats, darker where they lie twice; the image itself is framed. */
export function UvLayout({
  move,
  data,
  seen,
  set,
}: {
  move: number;
  data: Inventory;
  /** Chosen parts; without any, all that wear the material. */
  seen: string[];
  set: number;
}) {
  const [root, setRoot] = useState<Group | null>(null);
  const [problem, setProblem] = useState("");
  const [chosen, setChosen] = useState<string | null>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    let gone = false;
    new GLTFLoader()
      .loadAsync(pictures.view(data.view))
      .then((gltf) => !gone && setRoot(gltf.scene))
      .catch((reason: unknown) => !gone && setProblem(String(reason)));
    return () => {
      gone = true;
    };
  }, [data.view]);
  const worn = useMemo(() => {
    const parts = data.parts.filter((part) => (seen.length ? seen.includes(part.id) : part.included));
    const ids = new Set(parts.flatMap((part) => part.materials));
    return data.materials.filter((material) => ids.has(material.id));
  }, [data, seen]);
  const material = worn.find((one) => one.id === chosen) ?? worn[0];
  const uvs = useMemo(() => {
    if (!root || !material) return null;
    return trianglesOf(root, material.id, new Set(seen), set);
  }, [root, material, seen, set]);
  const told = useUvLayout(move, material?.id ?? null, seen, set, data.view);
  const facts = told.data ?? null;
  const backdrop = material?.inputs.find((input) => input.file && input.uv_set === set);

  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen || !uvs || uvs.length / 6 > MOST) return;
    let gone = false;
    const draw = (image?: HTMLImageElement) => {
      if (gone) return;
      pen.clearRect(0, 0, SIDE, SIDE);
      pen.fillStyle = "#f5f2ed";
      pen.fillRect(0, 0, SIDE, SIDE);
      const { low, side } = reachOf(uvs);
      const place = (uv: number, axis: 0 | 1) => ((uv - low[axis]) / side) * SIDE;
      const unit = SIDE / side;
      if (image) {
        pen.globalAlpha = 0.55;
        for (let x = Math.floor(low[0]); x < low[0] + side; x++)
          for (let y = Math.floor(low[1]); y < low[1] + side; y++)
            pen.drawImage(image, place(x, 0), place(y, 1), unit, unit);
        pen.globalAlpha = 1;
      }
      paint(pen, uvs, place);
      pen.strokeStyle = "#22241f";
      pen.lineWidth = 3;
      pen.strokeRect(place(0, 0), place(0, 1), unit, unit);
    };
    draw();
    if (backdrop && material) {
      const image = new Image();
      image.onload = () => draw(image);
      image.src = pictures.input(
        move,
        material.id,
        backdrop.name,
        `${data.view}${backdrop.image ?? ""}`,
        512,
      );
    }
    return () => {
      gone = true;
    };
  }, [uvs, backdrop, material, move, data.view]);

  return (
    <div className="absolute inset-0 flex flex-col items-center justify-center gap-2 bg-booth pt-24 pb-24">
      <div className="flex flex-wrap items-center justify-center gap-2">
        <select
          className="plate"
          aria-label="Material laid out"
          value={material?.id ?? ""}
          onChange={(event) => setChosen(event.target.value)}
        >
          <NamedOptions of={worn} />
        </select>
        <span className="plate" role="status">
          {problem ||
            told.error?.message ||
            (!uvs || !facts
              ? "Laying it out…"
              : !uvs.length
                ? `nothing here has a UV set ${set + 1}`
                : uvs.length / 6 > MOST
                  ? `${whole(uvs.length / 6)} triangles are too many to lay out`
                  : `${whole(facts.triangles)} triangles in ${whole(facts.islands)} island${facts.islands === 1 ? "" : "s"} · ${percent(facts.covered)} of the image covered · ${percent(facts.twice)} of that twice or more · ${percent(facts.beyond)} of triangles beyond it`)}
        </span>
      </div>
      <canvas
        ref={canvas}
        width={SIDE}
        height={SIDE}
        aria-label={`UV set ${set + 1} of ${material?.name ?? "nothing"}, laid flat`}
        role="img"
        className="aspect-square min-h-0 max-w-full flex-1 border border-base-content"
      />
    </div>
  );
}

const percent = (share: number) =>
  share > 0 && share < 0.005 ? "less than 1 %" : `${Math.round(share * 100)} %`;

/** The triangles of what wears a material, in parts that are chosen or in all. */
function trianglesOf(root: Group, material: string, parts: Set<string>, set: number): UvTriangles {
  const found: number[] = [];
  root.traverse((object) => {
    if (!(object instanceof Mesh)) return;
    const slot = (object.material as { userData: { id?: string } }).userData.id;
    if (slot !== material || (parts.size && !parts.has(partOf(object) ?? ""))) return;
    const shape = object.geometry as BufferGeometry;
    if (!shape.hasAttribute(uvName(set))) return;
    const uv = shape.getAttribute(uvName(set));
    const corners = shape.index?.count ?? uv.count;
    for (let k = 0; k < corners; k++) {
      const at = shape.index ? shape.index.getX(k) : k;
      found.push(uv.getX(at), uv.getY(at));
    }
  });
  return Float32Array.from(found);
}

/** So many repeats of the image are drawn, at most. */
const REPEATS = 24;

/** The square that the triangles and the image itself fill: its upper left corner and its side. */
function reachOf(uvs: UvTriangles): { low: [number, number]; side: number } {
  const [low, high] = [
    [0, 0],
    [1, 1],
  ] as [[number, number], [number, number]];
  for (let k = 0; k < uvs.length; k++) {
    const axis = (k % 2) as 0 | 1;
    low[axis] = Math.max(Math.min(low[axis], uvs[k]!), -REPEATS);
    high[axis] = Math.min(Math.max(high[axis], uvs[k]!), REPEATS);
  }
  return { low, side: Math.max(high[0] - low[0], high[1] - low[1]) };
}

function paint(pen: CanvasRenderingContext2D, uvs: UvTriangles, place: (uv: number, axis: 0 | 1) => number) {
  pen.fillStyle = "rgba(154, 46, 64, 0.22)";
  pen.strokeStyle = "rgba(34, 36, 31, 0.75)";
  pen.lineWidth = 0.7;
  for (let t = 0; t < uvs.length; t += 6) {
    pen.beginPath();
    for (let k = 0; k < 6; k += 2) {
      const [x, y] = [place(uvs[t + k]!, 0), place(uvs[t + k + 1]!, 1)];
      if (k) pen.lineTo(x, y);
      else pen.moveTo(x, y);
    }
    pen.closePath();
    pen.fill();
    pen.stroke();
  }
}
